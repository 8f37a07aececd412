using System.Data.Common;
using Bandejo.Core.Deployments;
using Bandejo.Core.World;
using Bandejo.Store.Databases;

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

    /// <summary>After how many changes the database is tidied, beside the writing.</summary>
    private const int ChangesBetweenTidying = 20_000;

    private readonly Database _database;
    private readonly object _door = new();
    private readonly Queue<Job> _waiting = new();
    private readonly Task _writing;
    private Changes? _open;
    private bool _isClosed;
    private long _epoch;
    private DbConnection? _connection;
    private Statements? _statements;
    private StoreWriter? _writer;
    private StoreException? _broken;
    private int _lastSize;
    private int _changesSince;
    private Task _tidying = Task.CompletedTask;

    /// <param name="epoch">Of this service: another that began to write meanwhile has another.</param>
    public WriteQueue(Database database, long epoch)
    {
        (_database, _epoch) = (database, epoch);

        // On a thread of its own: it waits for the disk most of the time, and must not keep one from those who answer.
        _writing = Task.Factory.StartNew(Write, CancellationToken.None, TaskCreationOptions.LongRunning, TaskScheduler.Default);
    }

    /// <summary>Completes when the changes are durable. Callers that wait at the same time share a commit, in the order in which they came.</summary>
    /// <param name="at">When they were decided.</param>
    public Task Commit(DateTimeOffset at, IReadOnlyList<Change> changes)
    {
        lock (_door)
        {
            if (_isClosed || _broken is not null)
            {
                return Task.FromException(_broken ?? Closed());
            }

            if (_open is null || _open.Count >= LargestCommit)
            {
                Enqueue(new Changes());
            }

            var before = _open!.Count;
            _open.Add(new LoggedPart(at, changes));
            if (before < Many && _open.Count >= Many)
            {
                Monitor.Pulse(_door);
            }

            return _open.Done.Task;
        }
    }

    /// <summary>Writes targets in pieces, between which others commit.</summary>
    /// <returns>The number under which they stand.</returns>
    public async Task<long> PutAhead(DateTimeOffset at, IEnumerable<Target> targets)
    {
        long? book = null;
        foreach (var some in targets.Chunk(AheadAtOnce).DefaultIfEmpty([]))
        {
            await Do(writer => book = writer.PutAhead(at, book, some));
        }

        return book!.Value;
    }

    /// <summary>Takes away what was written ahead and is not needed.</summary>
    public Task DropAhead(DateTimeOffset at, long book) => Commit(at, [new DroppedAhead(book)]);

    /// <summary>Takes changes again where a failure had stopped it. Its caller is blocked until all that was asked before has failed or is written.</summary>
    /// <param name="epoch">Of this service from now on.</param>
    public void Restart(long epoch)
    {
        var restart = new Job(null) { Epoch = epoch };
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
        await _tidying;
        LetGo();
    }

    private static StoreException Closed() => new("The store is closed.");

    private Task Do(Action<StoreWriter> write)
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
            var failure = job.Write is { } write ? Try(write, job) : Begin(job.Epoch);
            if (failure is null)
            {
                job.Done.SetResult();
                Tidy();
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

            if (_lastSize >= Many / 4 && !_isClosed && _waiting.Count == 1 && _waiting.Peek() is Changes { Count: < Many })
            {
                Monitor.Wait(_door, Patience);
            }

            if (!_waiting.TryDequeue(out var job))
            {
                return null;
            }

            _open = ReferenceEquals(_open, job) ? null : _open;
            _lastSize = job is Changes changes ? changes.Count : 0;
            return job;
        }
    }

    private StoreException? Begin(long epoch)
    {
        if (epoch != _epoch)
        {
            LetGo();
            _epoch = epoch;
        }

        lock (_door)
        {
            _broken = null;
        }

        return null;
    }

    /// <summary>Writes; what went wrong stops all that follows.</summary>
    private StoreException? Try(Action<StoreWriter> write, Job job)
    {
        if (_broken is not null)
        {
            return _broken;
        }

        try
        {
            if (_writer is null)
            {
                _connection = _database.ConnectToWrite();
                _statements = _database.Statements(_connection);
                _writer = new StoreWriter(_connection, _statements, _epoch);
            }

            write(_writer);
            _changesSince += job is Changes changes ? changes.Count : AheadAtOnce;
            return null;
        }
        catch (Exception error)
        {
            // Whatever it is: those who wait must hear of it, and nothing decided on top of it may be written.
            LetGo();
            var failure = error as StoreException ?? new StoreException(
                $"The database cannot be written: {(error is DbException fault ? _database.Explain(fault) : error.Message)}", error);
            lock (_door)
            {
                _broken = failure;
            }

            return failure;
        }
    }

    /// <summary>Has done beside the writing what must be done now and then.</summary>
    private void Tidy()
    {
        if (_changesSince < ChangesBetweenTidying || !_tidying.IsCompleted)
        {
            return;
        }

        _changesSince = 0;
        _tidying = Task.Factory.StartNew(
            () =>
            {
                try
                {
                    _database.Tidy();
                }
                catch (DbException)
                {
                    // It is tried again the next time.
                }
            },
            CancellationToken.None, TaskCreationOptions.LongRunning, TaskScheduler.Default);
    }

    /// <summary>Closes the connection, whatever state a failure left it in: the next write begins with another.</summary>
    private void LetGo()
    {
        try
        {
            _statements?.Dispose();
            _connection?.Dispose();
        }
        catch (DbException)
        {
            // Who waits has been told why already, or will be by the next write.
        }

        (_writer, _statements, _connection) = (null, null, null);
    }

    /// <summary>What is to be written in one commit.</summary>
    /// <param name="write">Writes it; null for the wish to begin anew.</param>
    private class Job(Action<StoreWriter>? write)
    {
        public Action<StoreWriter>? Write { get; protected init; } = write;

        /// <summary>Where it is to begin anew: as whom.</summary>
        public long Epoch { get; init; }

        public TaskCompletionSource Done { get; } = new(TaskCreationOptions.RunContinuationsAsynchronously);
    }

    private sealed class Changes : Job
    {
        private readonly List<LoggedPart> _parts = [];

        public Changes()
            : base(null) => Write = writer => writer.Commit(_parts);

        /// <summary>How many changes.</summary>
        public int Count { get; private set; }

        public void Add(LoggedPart part)
        {
            _parts.Add(part);
            Count += part.Changes.Count;
        }
    }
}
