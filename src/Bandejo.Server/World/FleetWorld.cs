using System.Collections.Concurrent;
using System.Text;
using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Device;
using Bandejo.Core;
using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.Rules;
using Bandejo.Core.Versions;
using Bandejo.Core.World;
using Bandejo.Server.Deployments;
using Bandejo.Server.Devices;
using Bandejo.Store;

namespace Bandejo.Server.World;

/// <summary>
/// Everything the service knows, in memory, behind one lock. Changes are decided here and handed to the store in the order in which they were decided;
/// whoever asked for a change is answered when it is durable. After a failed write nobody looks at it or changes it until everything has been read from the
/// store again: what is in memory then may never come to be.
/// </summary>
internal sealed partial class FleetWorld(IStore store, TimeProvider time, DeviceOptions devices, ILogger<FleetWorld> log)
{
    /// <summary>How many changes are decided in one go, so that a flood of them keeps nobody from looking.</summary>
    private const int MostAtOnce = 64;

    private readonly Lock _lock = new();
    private readonly ConcurrentQueue<PendingChange> _asked = new();
    private Task _durable = Task.CompletedTask;
    private readonly List<DeviceEntry> _inDoubt = [];
    private readonly StringBuilder _words = new();
    private WordMeanings _meanings = new(new WordBook(), new FleetColumns());
    private (DeviceEntry[] Devices, int[] Rows)? _inOrder;
    private long _lastEvent;
    private int _timesRead;

    public Dictionary<string, string> Settings { get; private set; } = [];

    public Dictionary<string, AccountRecord> Accounts { get; private set; } = [];

    /// <summary>Personal tokens by the hash of their secret.</summary>
    public Dictionary<string, TokenRecord> Tokens { get; private set; } = [];

    /// <summary>Join codes by their hash.</summary>
    public Dictionary<string, JoinCodeRecord> JoinCodes { get; private set; } = [];

    /// <summary>The words of the devices' sheets.</summary>
    public WordBook Words => _meanings.Book;

    public FleetColumns Columns { get; private set; } = new();

    /// <summary>What people may look for a device by.</summary>
    public RowTexts Texts { get; private set; } = new();

    public Dictionary<string, DeviceEntry> Devices { get; private set; } = [];

    public Dictionary<string, DeviceEntry> DevicesByName { get; private set; } = [];

    public Dictionary<string, DeviceEntry> DevicesByKey { get; private set; } = [];

    public Dictionary<int, DeviceEntry> DevicesByRow { get; private set; } = [];

    public SortedDictionary<string, GroupEntry> Groups { get; private set; } = new(StringComparer.Ordinal);

    public Dictionary<string, PackageEntry> Packages { get; private set; } = [];

    public SortedDictionary<string, DeploymentEntry> Deployments { get; private set; } = new(StringComparer.Ordinal);

    /// <summary>Wave plans by slug.</summary>
    public SortedDictionary<string, WavePlanRecord> WavePlans { get; private set; } = [];

    /// <summary>Kept handlings by their short names.</summary>
    public SortedDictionary<string, HandlingRecord> Handlings { get; private set; } = [];

    /// <summary>The last trial that each device was asked for, by device.</summary>
    public Dictionary<string, DeviceTrialRecord> DeviceTrials { get; private set; } = [];

    /// <summary>Attempts that have begun and not ended, by identity.</summary>
    public Dictionary<string, AttemptRecord> OpenAttempts { get; private set; } = [];

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

    /// <summary>Looks at the world. What is read may not be durable yet; answers that devices act on wait with <see cref="Durable"/>.</summary>
    /// <exception cref="StoreException">It is being read anew.</exception>
    public T Read<T>(Func<FleetWorld, T> look)
    {
        try
        {
            lock (_lock)
            {
                return IsReady ? look(this) : throw BeingRead();
            }
        }
        finally
        {
            LetDecide();
        }
    }

    /// <summary>Completes when everything that is in memory now is durable.</summary>
    /// <exception cref="StoreException">It is being read anew, or what was in memory could not be kept.</exception>
    public Task Durable() => Read(each => each._durable);

    /// <summary>
    /// Changes the world; the answer comes when the change is durable. A failure must be found before anything is changed. What is asked for while somebody else
    /// decides is decided by that one, in the order in which it was asked, so that many waiters cost no waiting threads and share a commit.
    /// </summary>
    /// <param name="by">Whose doing it is: an account, a device's name, or null for the service itself.</param>
    /// <param name="act">Decides and changes.</param>
    /// <exception cref="StoreException">The answer: it could not be kept, or everything is being read anew.</exception>
    public Task<Outcome<T>> Change<T>(string? by, Func<WorldChange, Outcome<T>> act)
    {
        var asked = new PendingChange<T>(by, act);
        _asked.Enqueue(asked);
        DecideAsked();
        return asked.Task;
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
                (durable, timesRead) = (Decide(decided), _timesRead);
            }
            finally
            {
                _lock.Exit();
            }

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

    /// <summary>Decides some of what was asked for, and hands what must be kept to the store. Returns when that is durable; only under the lock.</summary>
    private Task Decide(List<PendingChange> decided)
    {
        var (changes, now) = (new List<Change>(), Now);
        while (decided.Count < MostAtOnce && _asked.TryDequeue(out var asked))
        {
            decided.Add(asked);
            var begin = changes.Count;
            try
            {
                asked.Decide(IsReady ? new WorldChange(this, asked.By, now, changes) : throw BeingRead());
            }
            catch (Exception error)
            {
                // Whatever it is: it is the matter of whoever asked, and nothing of it is kept.
                changes.RemoveRange(begin, changes.Count - begin);
                asked.Fail(error);
            }
        }

        if (changes.Count > 0)
        {
            // Also the words of a change that failed half-way: numbers once given stay given, and none may be missing in what is kept.
            var (gone, added) = Words.TakeChanges();
            changes.AddRange(gone.Select(number => new DeleteWord(number)));
            changes.AddRange(added.Select(word => new AddWord(word.Number, word.Text)));

            _durable = store.Commit(changes);
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

    /// <summary>The next number for an event.</summary>
    public long NextEvent() => ++_lastEvent;

    /// <summary>Reads everything from the store. Not under the lock, where all who ask would wait for it with the threads that answer: while it is not ready, nobody else touches what is in memory.</summary>
    /// <exception cref="StoreException">It cannot be read; it is not ready then as before.</exception>
    /// <exception cref="InvalidOperationException">It is ready: others may be looking at it.</exception>
    public void Load()
    {
        lock (_lock)
        {
            if (IsReady)
            {
                throw new InvalidOperationException("What others look at cannot be read anew.");
            }
        }

        ReadAll();
        lock (_lock)
        {
            (_durable, IsReady) = (Task.CompletedTask, true);
            _timesRead++;
        }
    }

    private void ReadAll()
    {
        var kept = store.Load();
        Settings = kept.Settings.ToDictionary();
        Accounts = kept.Accounts.ToDictionary(account => account.Account);
        Tokens = kept.Tokens.ToDictionary(token => token.Hash);
        JoinCodes = kept.JoinCodes.ToDictionary(code => code.Hash);
        _inDoubt.Clear();
        OrderChanged();
        Columns = new FleetColumns();
        Texts = new RowTexts();
        _meanings = new WordMeanings(kept.Words, Columns);
        Devices = new(kept.DeviceCount);
        DevicesByName = new(kept.DeviceCount);
        DevicesByKey = new(kept.DeviceCount);
        DevicesByRow = new(kept.DeviceCount);
        foreach (var device in kept.Devices)
        {
            FactsApplied(Enrol(device));
        }

        // What was the word of devices that say others now, or are gone; nothing has been made of it here, and no sheet that is kept needs it.
        kept.Words.KeepOnly(Devices.Values.Select(device => device.Record.Sheet));

        Groups = new(StringComparer.Ordinal);
        foreach (var group in kept.Groups)
        {
            Groups[group.Slug] = new GroupEntry(group, group.Rule is null ? null : Rule.OfKept(group.Rule));
        }

        foreach (var (group, device) in kept.Members.GetAwaiter().GetResult())
        {
            if (Groups.TryGetValue(group, out var entry) && Devices.TryGetValue(device, out var member))
            {
                entry.In[member.Row] = true;
            }
        }

        foreach (var group in Groups.Values)
        {
            EvaluateGroup(group);
        }

        Packages = kept.Packages.ToDictionary(package => package.Digest, package => new PackageEntry(package, DocumentOf(package)));
        Deployments = new(StringComparer.Ordinal);
        foreach (var deployment in kept.Deployments)
        {
            Deployments[deployment.Id] = Planning.FromRecord(deployment, Packages[deployment.Package]);
        }

        foreach (var (id, target) in kept.Targets.GetAwaiter().GetResult())
        {
            if (Deployments.TryGetValue(id, out var deployment) && Devices.TryGetValue(target.Device, out var device))
            {
                deployment.Put(device, target, CheckInInterval);
                device.Joins(deployment);
            }
        }

        WavePlans = new(kept.WavePlans.ToDictionary(plan => plan.Slug), StringComparer.Ordinal);
        Handlings = new(kept.Handlings.ToDictionary(handling => handling.Slug), StringComparer.Ordinal);
        DeviceTrials = kept.DeviceTrials.ToDictionary(trial => trial.Device);
        OpenAttempts = kept.OpenAttempts.ToDictionary(attempt => attempt.Id);
        Volatile.Write(ref _lastEvent, kept.LastEvent);
    }

    private static StoreException BeingRead() => new("The service is reading its state; try again in a moment.");

    /// <summary>Gives a device its row and makes it findable.</summary>
    public DeviceEntry Enrol(DeviceRecord device)
    {
        var entry = new DeviceEntry(device, Columns.Add());
        Devices[device.Id] = entry;
        DevicesByName[device.Name] = entry;
        DevicesByKey[device.Key.KeyId] = entry;
        DevicesByRow[entry.Row] = entry;
        OrderChanged();
        return entry;
    }

    /// <summary>Takes a device's kept facts over into the columns.</summary>
    public void FactsApplied(DeviceEntry device)
    {
        var words = _words.Clear().Append(device.Name);
        var facts = device.Record.Sheet.Walk();
        Span<char> room = stackalloc char[512];
        while (facts.MoveNext())
        {
            var meaning = _meanings.Fact(facts.Name);
            ReadOnlySpan<char> text = facts.Value.Length <= room.Length ? room[..Encoding.UTF8.GetChars(facts.Value, room)] : Encoding.UTF8.GetString(facts.Value);
            Columns.Set(device.Row, meaning.Column, meaning.Value(text));
            if (meaning.IsLookedFor)
            {
                words.Append(' ').Append(text);
            }
        }

        Texts.Set(device.Row, words.ToString());
        Columns.Set(device.Row, _meanings.Name, FactLookup.Of(FactValue.OfText(device.Name)));
        Columns.Set(device.Row, _meanings.Joined, FactLookup.Of(FactValue.OfDate(DateOnly.FromDateTime(device.Record.Joined.UtcDateTime))));
        var programs = device.Record.Sheet.Programs();
        Columns.SetInventoryComplete(device.Row, programs is not null);
        foreach (var program in programs ?? [])
        {
            if (_meanings.Version(program.Version) is { Value: not null } version)
            {
                Columns.Set(device.Row, _meanings.App(program.Name), version);
            }
        }
    }

    /// <summary>Takes a device's facts out of the columns, before others are taken over or the device goes.</summary>
    public void FactsGone(DeviceEntry device)
    {
        var facts = device.Record.Sheet.Walk();
        while (facts.MoveNext())
        {
            Columns.Set(device.Row, _meanings.Fact(facts.Name).Column, FactLookup.NotKnown);
        }

        foreach (var program in device.Record.Sheet.Programs() ?? [])
        {
            Columns.Set(device.Row, _meanings.App(program.Name), FactLookup.NotKnown);
        }
    }

    /// <summary>What a device last said of a fact, for people; null where it is not known.</summary>
    public string? Fact(DeviceEntry device, string name) => Columns.Get(device.Row, new FactRef(name, false)).Value?.ToString();

    /// <summary>Works out which devices a rule group holds.</summary>
    public void EvaluateGroup(GroupEntry group)
    {
        if (group.Rule is not null)
        {
            (group.In, group.NotKnown) = Columns.Evaluate(group.Rule);
        }
    }

    /// <summary>What a device is to do may have changed.</summary>
    public void OrdersInDoubt(DeviceEntry device)
    {
        device.OrdersTag = null;
        if (!device.IsInDoubt)
        {
            device.IsInDoubt = true;
            _inDoubt.Add(device);
        }
    }

    /// <summary>Takes off the list the devices whose orders may have changed, with the tags of their orders now.</summary>
    public IReadOnlyList<(string Device, string Tag)> TakeOrdersInDoubt()
    {
        var changed = new List<(string, string)>(_inDoubt.Count);
        foreach (var device in _inDoubt)
        {
            device.IsInDoubt = false;
            if (Devices.ContainsKey(device.Id))
            {
                changed.Add((device.Id, Orders.TagOf(this, device)));
            }
        }

        _inDoubt.Clear();
        return changed;
    }

    /// <summary>When a device was last heard from; null for never, or for a device that is no longer there.</summary>
    public DateTimeOffset? LastHeard(string device) => Devices.GetValueOrDefault(device)?.LastHeard;

    /// <summary>All devices in the order of their names; made anew when one has come or gone.</summary>
    public IReadOnlyList<DeviceEntry> DevicesInOrder => Order().Devices;

    /// <summary>The devices of some rows in the order of their names.</summary>
    /// <param name="rows">Which.</param>
    /// <param name="after">Only those after this name; null for all.</param>
    public IEnumerable<DeviceEntry> InOrder(Bitmap rows, string? after = null)
    {
        // The rows are walked beside the devices: those that are not meant are passed over without a look at them.
        var (devices, order) = Order();
        for (var i = after is null ? 0 : PlaceAfter(devices, after); i < order.Length; i++)
        {
            if (rows[order[i]])
            {
                yield return devices[i];
            }
        }
    }

    private static int PlaceAfter(DeviceEntry[] devices, string name)
    {
        int from = 0, to = devices.Length;
        while (from < to)
        {
            var middle = (from + to) / 2;
            if (string.CompareOrdinal(devices[middle].Name, name) <= 0)
            {
                from = middle + 1;
            }
            else
            {
                to = middle;
            }
        }

        return from;
    }

    private (DeviceEntry[] Devices, int[] Rows) Order()
    {
        if (_inOrder is not { } order)
        {
            DeviceEntry[] devices = [.. Devices.Values];
            Array.Sort(devices, (a, b) => string.CompareOrdinal(a.Name, b.Name));
            _inOrder = order = (devices, Array.ConvertAll(devices, device => device.Row));
        }

        return order;
    }

    /// <summary>A device has come or gone.</summary>
    public void OrderChanged() => _inOrder = null;

    public DeviceEntry? FindDevice(string idOrName) => Devices.GetValueOrDefault(idOrName) ?? DevicesByName.GetValueOrDefault(idOrName);

    public IReadOnlyList<Tally> Tallies(DeploymentEntry deployment) => deployment.Targets.Tallies(LastHeard, Now);

    /// <summary>The document of a kept package; one without any variant where this version cannot read it.</summary>
    public static PackageDocument DocumentOf(PackageRecord package) =>
        TryRead(package.Document) ?? new PackageDocument(1, package.App, package.App, package.Version, "", "", "", [], []);

    private static PackageDocument? TryRead(string document)
    {
        try
        {
            return JsonSerializer.Deserialize(document, ContractJson.Default.PackageDocument);
        }
        catch (JsonException)
        {
            return null;
        }
    }

    [LoggerMessage(Level = LogLevel.Critical, Message = "The state could not be written; it is read anew")]
    private static partial void WriteFailed(ILogger logger, Exception error);
}
