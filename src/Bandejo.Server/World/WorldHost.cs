using System.Collections.Concurrent;
using Bandejo.Core;
using Bandejo.Core.Fleet;
using Bandejo.Core.Rollouts;
using Bandejo.Core.Site;
using Bandejo.Core.World;
using Bandejo.Server.Devices;
using Bandejo.Store;

namespace Bandejo.Server.World;

/// <summary>
/// Holds the world. Changes are decided one after the other and handed to the store in the order in which they were decided; whoever asked for a change is
/// answered when it is durable. Readers get the world as it stands and take their time. After a failed write nobody looks at it or changes it until
/// everything has been read from the store again: what is in memory then may never come to be.
/// </summary>
internal sealed partial class WorldHost(IStore store, TimeProvider time, DeviceOptions devices, ILogger<WorldHost> log)
{
    /// <summary>How many changes are decided in one go, so that a flood of them keeps nobody from looking.</summary>
    private const int MostAtOnce = 64;

    /// <summary>So many deployments that are over may be fetched for one question or change.</summary>
    private const int MostFetched = 8;

    /// <summary>So many deployments that are over are kept at hand for whoever reads next.</summary>
    private const int MostLent = 4;

    private readonly Lock _lock = new();
    private readonly List<string> _lent = [];
    private readonly ConcurrentQueue<PendingChange> _asked = new();
    private FleetWorld _world = null!;
    private Task _durable = Task.CompletedTask;
    private long _lastEvent;
    private int _timesRead;

    /// <summary>True once everything is loaded; false again while it is being read anew.</summary>
    public bool IsReady { get; private set; }

    public IStore Store => store;

    /// <summary>The time between two check-ins of a device.</summary>
    public TimeSpan CheckInInterval => TimeSpan.FromSeconds(devices.CheckInSeconds);

    public DateTimeOffset Now => time.GetUtcNow();

    /// <summary>The number of the last event that may be read.</summary>
    public long LastEvent => Volatile.Read(ref _lastEvent);

    /// <summary>Raised when new events are durable.</summary>
    public event Action? EventsAdded;

    /// <summary>
    /// Looks at the world as it stands now, on the caller's own time: nobody waits for it. What is read may not be durable yet; answers that devices act on
    /// wait with <see cref="Durable"/>.
    /// </summary>
    /// <exception cref="StoreException">It is being read anew.</exception>
    public T Read<T>(Func<FleetWorld, T> look)
    {
        var still = Peek(each => each.Still());
        for (var fetched = 0; ; fetched++)
        {
            try
            {
                return look(still);
            }
            catch (TargetsShelvedException error) when (fetched < MostFetched)
            {
                Lend(still, error.Deployment);
            }
        }
    }

    /// <summary>Looks at the world itself, while nobody decides: for what takes no longer than a moment.</summary>
    /// <inheritdoc cref="Read" path="/exception"/>
    public T Peek<T>(Func<FleetWorld, T> look)
    {
        try
        {
            lock (_lock)
            {
                if (!IsReady)
                {
                    throw BeingRead();
                }

                _world.Now = Now;
                return look(_world);
            }
        }
        finally
        {
            LetDecide();
        }
    }

    /// <summary>Completes when everything that is in memory now is durable.</summary>
    /// <exception cref="StoreException">It is being read anew, or what was in memory could not be kept.</exception>
    public Task Durable() => Peek(_ => _durable);

    /// <summary>
    /// The store, once everything that is in memory now is in it: for whoever puts what stands in memory together with what is only kept.
    /// </summary>
    /// <inheritdoc cref="Durable" path="/exception"/>
    public async Task<IStore> Kept()
    {
        await Durable();
        return store;
    }

    /// <summary>
    /// Changes the world; the answer comes when the change is durable. What is asked for while somebody else decides is decided by that one, in the order in
    /// which
    /// it was asked, so that many waiters cost no waiting threads and share a commit.
    /// </summary>
    /// <param name="by">Whose doing it is: an account, a device's name, or null for the service itself.</param>
    /// <param name="command">Decides and changes.</param>
    /// <exception cref="StoreException">The answer: it could not be kept, or everything is being read anew.</exception>
    public Task<Outcome<T>> Change<T>(string? by, Func<Decision, Outcome<T>> command) => Ask(by, command).Durable;

    /// <summary>The same for whoever goes on as soon as it is decided, and asks later whether it is durable.</summary>
    /// <inheritdoc cref="Change"/>
    public PendingChange<T> Ask<T>(string? by, Func<Decision, Outcome<T>> command)
    {
        var asked = new PendingChange<T>(
            by, by is not null && Http.Once.Current is { } once ? decision => OnceKeys.Do(decision, once, command) : command);
        _asked.Enqueue(asked);
        DecideAsked();
        return asked;
    }

    /// <summary>Decides what was asked for. Whoever has the lock meanwhile does so when it lets go.</summary>
    private void DecideAsked()
    {
        while (!_asked.IsEmpty && !_lock.IsHeldByCurrentThread && _lock.TryEnter())
        {
            var decided = new List<PendingChange>();
            Task durable;
            int timesRead;
            try
            {
                durable = Decide(decided);
                timesRead = _timesRead;
            }
            finally
            {
                _lock.Exit();
            }

            // Whoever is answered goes on elsewhere; this one looks whether more was asked for meanwhile.
            _ = Answer(decided, durable, timesRead);
        }
    }

    /// <summary>After somebody only looked: what was asked for meanwhile is decided elsewhere, so that looking stays quick.</summary>
    private void LetDecide()
    {
        if (!_asked.IsEmpty)
        {
            ThreadPool.UnsafeQueueUserWorkItem(static world => world.DecideAsked(), this, preferLocal: false);
        }
    }

    /// <summary>Lends to what stands still the targets of a deployment that are only kept.</summary>
    private void Lend(FleetWorld still, string deployment)
    {
        // What changed last may still be on its way into the store.
        Durable().GetAwaiter().GetResult();

        // One at a time: whoever asks for the same meanwhile finds it there.
        lock (_lent)
        {
            if (still.CanRead(deployment))
            {
                return;
            }

            still.Lend(deployment, store.Targets(deployment));
            _lent.Remove(deployment);
            _lent.Add(deployment);
            if (_lent.Count > MostLent)
            {
                var longest = _lent[0];
                _lent.RemoveAt(0);
                Peek(world =>
                {
                    world.ForgetLent(longest);
                    return true;
                });
            }
        }
    }

    /// <summary>Has the targets of a deployment brought into memory, and then asks once more.</summary>
    private async Task Bring(string deployment, PendingChange asked)
    {
        try
        {
            await Task.Yield();
            var targets = (await Kept()).Targets(deployment);
            await Ask(null, decision => Shelving.Bring(decision, deployment, targets)).Decided;
            _asked.Enqueue(asked);
            DecideAsked();
        }
        catch (Exception error)
        {
            // Whatever it is: it is the matter of whoever asked.
            asked.Fail(error);
        }
    }

    /// <summary>Decides some of what was asked for, and hands what must be kept to the store. Returns when that is durable; only under the lock.</summary>
    private Task Decide(List<PendingChange> decided)
    {
        var (changes, now) = (new List<Change>(), Now);
        while (decided.Count < MostAtOnce && _asked.TryDequeue(out var asked))
        {
            decided.Add(asked);
            try
            {
                asked.Decide(IsReady ? _world : throw BeingRead(), now, changes);
            }
            catch (TargetsShelvedException error) when (asked.Fetches++ < MostFetched)
            {
                decided.Remove(asked);
                _ = Bring(error.Deployment, asked);
            }
            catch (Exception error)
            {
                // Whatever it is: it is the matter of whoever asked, and nothing of it is left.
                asked.Fail(error);
                if (error is HalfDecidedException)
                {
                    HalfDecided(log, error);
                    IsReady = false;
                }
            }
        }

        if (changes.Count > 0)
        {
            // Also the words of a change that failed half-way: numbers once given stay given, and none may be missing in what is kept.
            changes.AddRange(_world.TakeWords());
            Volatile.Write(ref _lastEvent, _world.LastEvent);
            _durable = store.Commit(now, changes);
        }

        // Commits are made in their order, so ours is durable only when all before it are. Where nothing was changed, what was seen may still be on its way.
        return _durable;
    }

    /// <summary>Answers when what was decided is durable, or could not be kept.</summary>
    /// <param name="timesRead">How often everything had been read when it was decided: what fails of an earlier state says nothing of a later one.</param>
    private async Task Answer(List<PendingChange> decided, Task durable, int timesRead)
    {
        try
        {
            await durable;
        }
        catch (StoreException error)
        {
            lock (_lock)
            {
                if (IsReady && timesRead == _timesRead)
                {
                    WriteFailed(log, error);
                    IsReady = false;
                }
            }

            decided.ForEach(asked => asked.Fail(error));
            return;
        }

        EventsAdded?.Invoke();
        decided.ForEach(asked => asked.Answer());
    }

    /// <summary>
    /// Reads everything from the store. Not under the lock, where all who ask would wait for it with the threads that answer: while it is not ready, nobody
    /// else touches what is in memory.
    /// </summary>
    /// <returns>How many devices and deployments there are.</returns>
    /// <exception cref="StoreException">It cannot be read; it is not ready then as before.</exception>
    /// <exception cref="InvalidOperationException">It is ready: others may be looking at it.</exception>
    public (int Devices, int Deployments) Load()
    {
        lock (_lock)
        {
            if (IsReady)
            {
                throw new InvalidOperationException("What others look at cannot be read anew.");
            }
        }

        var kept = store.Load();
        var world = KeptWorld.Read(kept, CheckInInterval, Now);

        // A newer program may judge a rule otherwise, and an older one did not keep who was in its group.
        var told = GroupMoves.AtStart(world, kept.WereIn);
        lock (_lock)
        {
            (_world, _durable, IsReady) = (world, told.Count > 0 ? store.Commit(Now, told) : Task.CompletedTask, true);
            Volatile.Write(ref _lastEvent, world.LastEvent);
            _timesRead++;
        }

        return (world.Devices.Count, world.Deployments.Count);
    }

    private static StoreException BeingRead() => new("The service is reading its state; try again in a moment.");

    [LoggerMessage(Level = LogLevel.Critical, Message = "A decision failed and could not be taken back; the state is read anew")]
    private static partial void HalfDecided(ILogger logger, Exception error);

    [LoggerMessage(Level = LogLevel.Critical, Message = "The state could not be written; it is read anew")]
    private static partial void WriteFailed(ILogger logger, Exception error);
}
