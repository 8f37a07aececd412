using Bandejo.Core.Deployments;
using Bandejo.Core.World;
using Dapper;
using Microsoft.Data.Sqlite;

namespace Bandejo.Store;

/// <summary>
/// The one writer, which commits for all callers that wait at the moment. What fails once fails all that follows, until <see cref="Restart"/>: it was decided
/// on top of what is now lost.
/// </summary>
internal sealed class WriteQueue : IAsyncDisposable
{
    /// <summary>How many changes one commit takes, but for those of the caller that reaches this.</summary>
    private const int LargestCommit = 1024;

    /// <summary>
    /// A commit of a quarter as many changes shows that much comes. The next is then put off until so many wait again, or for <see cref="Patience"/>: a good
    /// part of what it costs is the same for few and for many.
    /// </summary>
    private const int Many = 512;

    /// <summary>How many milliseconds a commit is put off at most.</summary>
    private const int Patience = 4;

    /// <summary>How many targets are written ahead at once; few, so that nobody waits long behind them.</summary>
    private const int AheadAtOnce = 1024;

    /// <summary>After how many changes the database is brought up to date from its log of pages, beside the writing.</summary>
    private const int ChangesBetweenCheckpoints = 20_000;

    private readonly Func<SqliteConnection> _connect;
    private readonly object _door = new();
    private readonly Queue<Job> _waiting = new();
    private readonly Task _writing;
    private Changes? _open;
    private bool _isClosed;
    private SqliteConnection? _connection;
    private SqliteWriter? _writer;
    private StoreException? _broken;
    private int _lastSize;
    private int _changesSince;
    private Task _checkpoint = Task.CompletedTask;

    /// <param name="connect">Opens a connection that the queue has for itself.</param>
    public WriteQueue(Func<SqliteConnection> connect)
    {
        _connect = connect;

        // On a thread of its own: it waits for the disk most of the time, and must not keep one from those who answer.
        _writing = Task.Factory.StartNew(Write, CancellationToken.None, TaskCreationOptions.LongRunning, TaskScheduler.Default);
    }

    /// <summary>Completes when the changes are durable. Callers that wait at the same time share a commit, in the order in which they came.</summary>
    public Task Commit(IReadOnlyList<Change> changes)
    {
        lock (_door)
        {
            if (_isClosed || _broken is not null)
            {
                return Task.FromException(_broken ?? Closed());
            }

            if (_open is null || _open.All.Count >= LargestCommit)
            {
                Enqueue(new Changes());
            }

            var before = _open!.All.Count;
            _open.All.AddRange(changes);
            if (before < Many && _open.All.Count >= Many)
            {
                Monitor.Pulse(_door);
            }

            return _open.Done.Task;
        }
    }

    /// <summary>Writes targets in pieces, between which others commit.</summary>
    /// <returns>The number under which they stand.</returns>
    public async Task<long> PutAhead(IEnumerable<Target> targets)
    {
        long? book = null;
        foreach (var some in targets.Chunk(AheadAtOnce).DefaultIfEmpty([]))
        {
            await Do(writer => book = writer.PutAhead(book, some));
        }

        return book!.Value;
    }

    /// <summary>Takes away what was written ahead and is not needed.</summary>
    public Task DropAhead(long book) => Do(writer => writer.DropAhead(book));

    /// <summary>Takes changes again where a failure had stopped it. Its caller is blocked until all that was asked before has failed or is written.</summary>
    public void Restart()
    {
        var restart = new Job(null);
        lock (_door)
        {
            if (_isClosed)
            {
                throw Closed();
            }

            Enqueue(restart);
        }

        restart.Done.Task.GetAwaiter().GetResult();
    }

    public async ValueTask DisposeAsync()
    {
        lock (_door)
        {
            _isClosed = true;
            Monitor.Pulse(_door);
        }

        await _writing;
        await _checkpoint;
        LetGo();
    }

    private static StoreException Closed() => new("The store is closed.");

    private Task Do(Action<SqliteWriter> write)
    {
        lock (_door)
        {
            if (_isClosed || _broken is not null)
            {
                return Task.FromException(_broken ?? Closed());
            }

            var job = new Job(write);
            Enqueue(job);
            return job.Done.Task;
        }
    }

    private void Enqueue(Job job)
    {
        _open = job as Changes;
        _waiting.Enqueue(job);
        Monitor.Pulse(_door);
    }

    private void Write()
    {
        while (Next() is { } job)
        {
            var failure = job.Write is { } write ? Try(write, job) : Begin();
            if (failure is null)
            {
                job.Done.SetResult();
                Checkpoint();
            }
            else
            {
                job.Done.SetException(failure);
            }
        }
    }

    private Job? Next()
    {
        lock (_door)
        {
            while (_waiting.Count == 0 && !_isClosed)
            {
                Monitor.Wait(_door);
            }

            if (_lastSize >= Many / 4 && !_isClosed && _waiting.Count == 1 && _waiting.Peek() is Changes { All.Count: < Many })
            {
                Monitor.Wait(_door, Patience);
            }

            if (!_waiting.TryDequeue(out var job))
            {
                return null;
            }

            _open = ReferenceEquals(_open, job) ? null : _open;
            _lastSize = job is Changes changes ? changes.All.Count : 0;
            return job;
        }
    }

    private StoreException? Begin()
    {
        lock (_door)
        {
            _broken = null;
        }

        return null;
    }

    /// <summary>Writes; what went wrong stops all that follows.</summary>
    private StoreException? Try(Action<SqliteWriter> write, Job job)
    {
        if (_broken is not null)
        {
            return _broken;
        }

        try
        {
            if (_writer is null)
            {
                _connection = _connect();
                _writer = new SqliteWriter(_connection);
            }

            write(_writer);
            _changesSince += job is Changes changes ? changes.All.Count : AheadAtOnce;
            return null;
        }
        catch (Exception error)
        {
            // Whatever it is: those who wait must hear of it, and nothing decided on top of it may be written.
            LetGo();
            var failure = error as StoreException ?? new StoreException($"The database cannot be written: {error.Message}", error);
            lock (_door)
            {
                _broken = failure;
            }

            return failure;
        }
    }

    /// <summary>
    /// Brings what was written from SQLite's log of pages into the database, on a connection of its own: whoever commits meanwhile does not wait for it.
    /// </summary>
    private void Checkpoint()
    {
        if (_changesSince < ChangesBetweenCheckpoints || !_checkpoint.IsCompleted)
        {
            return;
        }

        _changesSince = 0;
        _checkpoint = Task.Factory.StartNew(
            () =>
            {
                try
                {
                    using var connection = _connect();
                    connection.Execute("PRAGMA wal_checkpoint(PASSIVE)");
                }
                catch (SqliteException)
                {
                    // The log grows on until the next time, or until the writer does it by itself; what is durable stays so.
                }
            },
            CancellationToken.None, TaskCreationOptions.LongRunning, TaskScheduler.Default);
    }

    /// <summary>Closes the connection, whatever state a failure left it in: the next write begins with another.</summary>
    private void LetGo()
    {
        try
        {
            _writer?.Dispose();
            _connection?.Dispose();
        }
        catch (SqliteException)
        {
            // Who waits has been told why already, or will be by the next write.
        }

        (_writer, _connection) = (null, null);
    }

    /// <summary>What is to be written in one commit.</summary>
    /// <param name="write">Writes it; null for the wish to begin anew.</param>
    private class Job(Action<SqliteWriter>? write)
    {
        public Action<SqliteWriter>? Write { get; protected init; } = write;

        public TaskCompletionSource Done { get; } = new(TaskCreationOptions.RunContinuationsAsynchronously);
    }

    private sealed class Changes : Job
    {
        public Changes()
            : base(null) => Write = writer => writer.Commit(All);

        public List<Change> All { get; } = [];
    }
}
