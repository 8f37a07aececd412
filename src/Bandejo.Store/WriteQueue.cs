using System.Collections.Concurrent;
using Dapper;
using Microsoft.Data.Sqlite;

namespace Bandejo.Store;

/// <summary>
/// The one writer, which commits for all callers that wait at the moment. Changes that come by the thousand are made durable as one row of <c>recent</c> a
/// commit, an append; they go into their tables when the queue is quiet, or when too many wait. What waits is seen through <see cref="Backlog"/>.
/// </summary>
internal sealed class WriteQueue : IAsyncDisposable
{
    /// <summary>How many changes one commit takes at most.</summary>
    private const int LargestCommit = 8192;

    /// <summary>How many changes go into their tables at once; short enough that nobody waits long behind it.</summary>
    private const int TabledAtOnce = 4096;

    /// <summary>How many changes may wait for their tables; more are put there although callers wait.</summary>
    private const int MostWaiting = 400_000;

    /// <summary>After so many milliseconds without a caller the queue is quiet.</summary>
    private const int Quiet = 20;

    private readonly Func<SqliteConnection> _connect;
    private readonly BlockingCollection<Pending> _pending = [];
    private readonly Task _writing;
    private SqliteWriter? _writer;
    private long _number;
    private long _lastEvent;
    private volatile StoreException? _broken;

    /// <summary>Begins; what an earlier run left in <c>recent</c> goes into its tables first.</summary>
    /// <param name="connect">Opens a connection that the queue has for itself.</param>
    /// <exception cref="StoreException">What was left cannot be put into its tables.</exception>
    public WriteQueue(Func<SqliteConnection> connect)
    {
        _connect = connect;
        Guarded(Settle);
        if (_broken is { } broken)
        {
            throw broken;
        }

        // On a thread of its own: it waits for the disk most of the time, and must not keep one from those who answer.
        _writing = Task.Factory.StartNew(Write, CancellationToken.None, TaskCreationOptions.LongRunning, TaskScheduler.Default);
    }

    public Backlog Backlog { get; } = new();

    public Task Commit(IReadOnlyList<StoreChange> changes) => _broken is { } broken ? Task.FromException(broken) : Queue(changes);

    /// <summary>Puts everything durable into its table and takes changes again where a failure had stopped it.</summary>
    public Task Restart() => Queue(null);

    public async ValueTask DisposeAsync()
    {
        _pending.CompleteAdding();
        await _writing;
        _writer?.Dispose();
        _pending.Dispose();
    }

    private Task Queue(IReadOnlyList<StoreChange>? changes)
    {
        var pending = new Pending(changes, new TaskCompletionSource(TaskCreationOptions.RunContinuationsAsynchronously));
        try
        {
            _pending.Add(pending);
            return pending.Done.Task;
        }
        catch (Exception closed) when (closed is InvalidOperationException or ObjectDisposedException)
        {
            return Task.FromException(new StoreException("The store is closed.", closed));
        }
    }

    private void Write()
    {
        var batch = new List<Pending>();
        while (Comes() is { } pending)
        {
            batch.Clear();
            var count = 0;
            do
            {
                batch.Add(pending);
                count += pending.Changes?.Count ?? 0;
            }
            while (pending.Changes is not null && count < LargestCommit && _pending.TryTake(out pending));

            // What waits behind a failure was decided on top of what is now lost: it must not be written either.
            var restarts = batch[^1].Changes is null;
            if (_broken is null)
            {
                Guarded(() => Commit(batch));
            }

            foreach (var caller in batch.Where(each => each.Changes is not null))
            {
                Answer(caller, _broken);
            }

            if (restarts)
            {
                _broken = null;
                Guarded(Settle);
                Answer(batch[^1], _broken);
            }
        }
    }

    private static void Answer(Pending pending, StoreException? failure)
    {
        if (failure is null)
        {
            pending.Done.SetResult();
        }
        else
        {
            pending.Done.SetException(failure);
        }
    }

    /// <summary>Waits for a caller; where none comes for a while, it uses the time. Null when the queue is closed.</summary>
    private Pending? Comes()
    {
        while (!_pending.IsCompleted)
        {
            if (_pending.TryTake(out var pending, Backlog.Count > 0 && _broken is null ? Quiet : Timeout.Infinite))
            {
                return pending;
            }

            if (Backlog.Count > 0 && _broken is null && !_pending.IsAddingCompleted)
            {
                Guarded(Table);
            }
        }

        return null;
    }

    private void Guarded(Action write)
    {
        try
        {
            write();
        }
        catch (Exception error)
        {
            // Whatever it is: those who wait must hear of it, and nothing decided on top of it may be written.
            _broken = error as StoreException ?? new StoreException($"The database cannot be written: {error.Message}", error);
            _writer?.Dispose();
            _writer = null;
            Backlog.Clear();
        }
    }

    private void Commit(List<Pending> batch)
    {
        var changes = batch.SelectMany(pending => pending.Changes ?? []).ToArray();
        if (changes.Any(change => change is DeleteDevice))
        {
            // It takes away what others put there: everything before it must be there first.
            while (Backlog.Count > 0)
            {
                Table();
            }

            Writer().Commit(changes);
            _lastEvent = changes.OfType<AddEvent>().Select(added => added.Event.Number).Append(_lastEvent).Max();
            return;
        }

        var recent = Array.FindAll(changes, RecentChanges.Takes);
        if (recent.Length == 0)
        {
            Writer().Commit(changes);
            return;
        }

        // What is durable must go into its table without fail later: nothing else that tables refuse can be in it.
        var events = recent.OfType<AddEvent>().Select(added => added.Event.Number).ToArray();
        if (events.Zip(events.Prepend(_lastEvent)).Any(pair => pair.First <= pair.Second))
        {
            throw new StoreException($"Events must be numbered upwards; the last is {_lastEvent}, and {string.Join(", ", events.Take(5))} were to follow.");
        }

        Writer().Commit(Array.FindAll(changes, change => !RecentChanges.Takes(change)), added: (_number + 1, RecentChanges.Write(recent)));
        _number++;
        _lastEvent = events.Length == 0 ? _lastEvent : events[^1];
        Backlog.Add(_number, recent);
        if (Backlog.Count > MostWaiting)
        {
            Table();
        }
    }

    /// <summary>Puts some of what waits into its tables.</summary>
    private void Table()
    {
        var (changes, number) = Backlog.Oldest(TabledAtOnce);
        Writer().Commit(changes, tabled: number);
        Backlog.Remove(number);
    }

    /// <summary>Puts all that is durable into its tables, as it stands on disk.</summary>
    private void Settle()
    {
        Backlog.Clear();
        while (Writer().Connection.QueryFirstOrDefault<(long Number, byte[] Data)>("SELECT number, data FROM recent ORDER BY number LIMIT 1") is (var number, { } data))
        {
            Writer().Commit(RecentChanges.Read(data), tabled: number);
        }

        _number = 0;
        _lastEvent = Writer().Connection.ExecuteScalar<long?>("SELECT max(number) FROM event") ?? 0;
    }

    private SqliteWriter Writer() => _writer ??= new SqliteWriter(_connect());

    private sealed record Pending(IReadOnlyList<StoreChange>? Changes, TaskCompletionSource Done);
}
