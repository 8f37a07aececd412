using Bandejo.Core.World;
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
    private const int MostWaiting = 1_000_000;

    /// <summary>After so many milliseconds without a caller the queue is quiet.</summary>
    private const int Quiet = 20;

    /// <summary>
    /// A commit of half as many changes shows that much comes. The next is then put off until so many wait again, or for <see cref="Patience"/>: it costs
    /// nearly the same for few and for many.
    /// </summary>
    private const int Many = 512;

    /// <summary>How many milliseconds a commit is put off at most.</summary>
    private const int Patience = 4;

    private readonly Func<SqliteConnection> _connect;
    private readonly object _door = new();
    private readonly Queue<Batch> _waiting = new();
    private readonly RecentForm _form = new();
    private readonly Task _writing;
    private Batch? _open;
    private bool _isClosed;
    private SqliteWriter? _writer;
    private long _number;
    private long _lastEvent;
    private volatile StoreException? _broken;

    /// <summary>What was taken up, for the first who reads everything; null once something came after it.</summary>
    private LatestChanges? _takenUp;
    private int _readers;

    /// <summary>Begins, with what an earlier run left in <c>recent</c>.</summary>
    /// <param name="connect">Opens a connection that the queue has for itself.</param>
    /// <exception cref="StoreException">What was left cannot be read.</exception>
    public WriteQueue(Func<SqliteConnection> connect)
    {
        _connect = connect;
        Guarded(TakeUp);
        if (_broken is { } broken)
        {
            throw broken;
        }

        // On a thread of its own: it waits for the disk most of the time, and must not keep one from those who answer.
        _writing = Task.Factory.StartNew(Write, CancellationToken.None, TaskCreationOptions.LongRunning, TaskScheduler.Default);
    }

    public Backlog Backlog { get; } = new();

    /// <summary>The number of the last event that is durable; 0 for none.</summary>
    public long LastEvent => Volatile.Read(ref _lastEvent);

    /// <summary>Completes when the changes are durable. Callers that wait at the same time share a commit, in the order in which they came.</summary>
    public Task Commit(IReadOnlyList<Change> changes)
    {
        lock (_door)
        {
            if (_isClosed || _broken is not null)
            {
                return Task.FromException(_broken ?? Closed());
            }

            if (_open is null || _open.Changes.Count >= LargestCommit)
            {
                Open(new Batch(IsRestart: false));
            }

            var before = _open!.Changes.Count;
            _open.Changes.AddRange(changes);
            if (before < Many && _open.Changes.Count >= Many)
            {
                Monitor.Pulse(_door);
            }

            return _open.Done.Task;
        }
    }

    /// <summary>
    /// Takes changes again where a failure had stopped it, with what is durable as it stands on disk. Answers what waits for its tables. Its caller is blocked
    /// meanwhile, and must hold no lock that those who are answered need: taking up works with threads of the pool.
    /// </summary>
    public LatestChanges Restart()
    {
        var restart = new Batch(IsRestart: true);
        lock (_door)
        {
            if (_isClosed)
            {
                throw Closed();
            }

            Open(restart);
            _open = null;
        }

        restart.Done.Task.GetAwaiter().GetResult();
        return Interlocked.Exchange(ref _takenUp, null) ?? Backlog.Latest();
    }

    /// <summary>
    /// Nothing goes into its tables until what is returned is disposed of, unless too much waits: whoever reads all of them has the disk and the processor for
    /// it.
    /// </summary>
    public IDisposable Still()
    {
        Interlocked.Increment(ref _readers);
        return new Stillness(this);
    }

    public async ValueTask DisposeAsync()
    {
        lock (_door)
        {
            _isClosed = true;
            Monitor.Pulse(_door);
        }

        await _writing;
        LetGo();
    }

    private static StoreException Closed() => new("The store is closed.");

    private void Open(Batch batch)
    {
        _open = batch;
        _waiting.Enqueue(batch);
        Monitor.Pulse(_door);
    }

    private void Write()
    {
        var last = 0;
        while (Comes(isBusy: last >= Many / 2) is { } batch)
        {
            last = batch.Changes.Count;
            if (batch.IsRestart)
            {
                if (_broken is not null)
                {
                    _broken = null;
                    Guarded(TakeUp);
                }
            }
            else if (_broken is null)
            {
                // What waits behind a failure was decided on top of what is now lost: it must not be written either.
                Guarded(() => Commit(batch.Changes));
            }

            if (_broken is { } failure)
            {
                batch.Done.SetException(failure);
            }
            else
            {
                batch.Done.SetResult();
            }
        }
    }

    /// <summary>Waits for callers; where none comes for a while, it uses the time. Null when the queue is closed and all are served.</summary>
    private Batch? Comes(bool isBusy)
    {
        while (true)
        {
            lock (_door)
            {
                if (_waiting.Count == 0 && !_isClosed)
                {
                    Monitor.Wait(_door, Backlog.Count > 0 && _broken is null ? Quiet : Timeout.Infinite);
                }

                if (isBusy && !_isClosed && _waiting is { Count: 1 } && _waiting.Peek().Changes.Count < Many)
                {
                    Monitor.Wait(_door, Patience);
                }

                if (_waiting.TryDequeue(out var batch))
                {
                    _open = ReferenceEquals(_open, batch) ? null : _open;
                    return batch;
                }

                if (_isClosed)
                {
                    return null;
                }
            }

            if (Backlog.Count > 0 && _broken is null && Volatile.Read(ref _readers) == 0)
            {
                Guarded(Table);
            }
        }
    }

    private void Guarded(Action write)
    {
        try
        {
            write();
        }
        catch (Exception thrown)
        {
            // Whatever it is: those who wait must hear of it, and nothing decided on top of it may be written.
            var error = thrown is AggregateException { InnerException: { } inner } ? inner : thrown;
            _broken = error as StoreException ?? new StoreException($"The database cannot be written: {error.Message}", error);
            Backlog.Clear();
            LetGo();
        }
    }

    /// <summary>Closes the connection, whatever state a failure left it in: the next write begins with another.</summary>
    private void LetGo()
    {
        try
        {
            _writer?.Dispose();
        }
        catch (SqliteException)
        {
            // Who waits has been told why already, or will be by the next write.
        }

        _writer = null;
    }

    private void Commit(List<Change> changes)
    {
        _takenUp = null;
        if (changes.Exists(change => change is DeleteDevice))
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

        _form.Clear();
        var others = new List<Change>();
        var lastEvent = _lastEvent;
        foreach (var change in changes)
        {
            if (!RecentChanges.Takes(change))
            {
                others.Add(change);
                continue;
            }

            // What is durable must go into its table without fail later: nothing else that tables refuse can be in it.
            if (change is AddEvent(var added))
            {
                lastEvent = added.Number > lastEvent
                    ? added.Number
                    : throw new StoreException($"Events must be numbered upwards; the last is {lastEvent}, and {added.Number} was to follow.");
            }

            RecentChanges.Write(_form, change);
        }

        if (_form.Count == 0)
        {
            Writer().Commit(others);
            return;
        }

        Writer().Commit(others, added: (_number + 1, _form.Written));
        _number++;
        _lastEvent = lastEvent;
        Backlog.Add(_number, _form.Written.ToArray(), _form.Count, _form.Marks);
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

    /// <summary>Takes up what is durable and waits for its tables, as it stands on disk.</summary>
    private void TakeUp()
    {
        Backlog.Clear();
        (_number, _lastEvent, _takenUp) = (0, Writer().Connection.ExecuteScalar<long?>("SELECT max(number) FROM event") ?? 0, new LatestChanges());
        using var texts = new ThreadLocal<TextPool>(() => new TextPool());
        foreach (
            var some in Writer().Connection.Query<(long Number, byte[] Data)>("SELECT number, data FROM recent ORDER BY number", buffered: false).Chunk(64))
        {
            var read = new (IReadOnlyList<Change> State, List<RecentMark> Marks)[some.Length];
            Parallel.For(0, some.Length, i =>
            {
                var marks = new List<RecentMark>();
                read[i] = (RecentChanges.ReadState(some[i].Data, texts.Value!, marks), marks);
            });
            foreach (var ((number, data), (state, marks)) in some.Zip(read))
            {
                var events = marks.Where(mark => mark.Number > 0);
                Backlog.Add(number, data, state.Count + events.Count(), marks);
                _takenUp.Take(state);
                _lastEvent = Math.Max(_lastEvent, events.LastOrDefault().Number);
                _number = _number == 0 || number == _number + 1
                    ? number
                    : throw new StoreException($"What was kept last cannot be read: after row {_number} follows {number}.");
            }
        }
    }

    private SqliteWriter Writer() => _writer ??= new SqliteWriter(_connect());

    private sealed class Stillness(WriteQueue queue) : IDisposable
    {
        public void Dispose() => Interlocked.Decrement(ref queue._readers);
    }

    /// <summary>What goes into one commit, or the wish to begin anew.</summary>
    private sealed record Batch(bool IsRestart)
    {
        public List<Change> Changes { get; } = [];

        public TaskCompletionSource Done { get; } = new(TaskCreationOptions.RunContinuationsAsynchronously);
    }
}
