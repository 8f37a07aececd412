using Bandejo.Contract.Device;
using Bandejo.Core;
using Bandejo.Core.Catalogue;
using Bandejo.Core.CheckIns;
using Bandejo.Core.Deployments;
using Bandejo.Core.Rollouts;
using Bandejo.Core.Site;
using Bandejo.Core.World;
using Bandejo.Device;
using Bandejo.Server.Devices;
using Bandejo.Server.Http;
using Bandejo.Server.World;

namespace Bandejo.Simulation.Tests;

/// <summary>
/// The service: the world, its decisions, and what is kept. It answers when what was decided is kept; it can be killed at any moment, and what it keeps can
/// fail; both leave it with what was kept before.
/// </summary>
internal sealed class SimulatedService(Simulation simulation)
{
    private static readonly TimeSpan Pace = TimeSpan.FromMilliseconds(200);

    private readonly List<(List<Change> Changes, Action Answer, Action<Exception> Fail)> _pending = [];
    private readonly Dictionary<string, string> _told = new(StringComparer.Ordinal);
    private readonly CalendarSeals _seals = new(Catalogue.SignCalendars);
    private FleetWorld? _world;
    private int _ids;
    private int _lives;
    private DateTimeOffset? _lookAt;
    private bool _failsNext;

    public MemoryStore Store { get; } = new();

    /// <summary>Whether a device is enrolled, as far as can be told.</summary>
    public bool IsKnown(string device) => _world?.Devices.Get(device) is not null;

    /// <summary>The world in memory.</summary>
    /// <exception cref="LinkException">It is down.</exception>
    public FleetWorld World => _world ?? throw new LinkException("The service cannot be reached.", 0);

    public bool IsUp => _world is not null;

    /// <summary>Whether all that was decided is kept.</summary>
    public bool IsKept => _pending.Count == 0;

    private SimulatedClock Clock => simulation.Clock;

    /// <summary>Reads what is kept.</summary>
    public void Start()
    {
        _lives++;
        _world = KeptWorld.Read(Store.Load(), simulation.History.CheckInInterval, Clock.Now, simulation.History.Slice, simulation.History.ShelveAfter);
        Lend(_world, isLent: true);
        _told.Clear();
        _lookAt = null;
        simulation.Say("the service is up");
        simulation.Watch.ServiceStarts(_world);
        LookWhenDue();
    }

    /// <summary>Ends at once, and is up again after a while. Who waits for an answer gets none.</summary>
    public void Kill(TimeSpan down)
    {
        if (!IsUp)
        {
            return;
        }

        simulation.Say("the service is killed");
        simulation.Watch.Count("kills");
        _lives++;
        _world = null;
        var waiting = _pending.ToList();
        _pending.Clear();
        waiting.ForEach(each => each.Fail(new LinkException("The service cannot be reached.", 0)));
        Clock.At(Clock.Now + down, Start);
    }

    /// <summary>What is kept next fails.</summary>
    public void FailNext() => _failsNext = true;

    /// <summary>Decides; the answer comes when it is kept.</summary>
    public Task<Outcome<T>> Change<T>(string? by, string what, Func<Decision, Outcome<T>> command)
    {
        var (world, changes) = (World, new List<Change>());
        simulation.Watch.Before(world);
        Lend(world, isLent: false);
        Outcome<T> decided;
        try
        {
            decided = DecideFetching(world, by, changes, command);
        }
        catch (Exception error)
        {
            simulation.Find(new Breach("no decision throws", $"{what}: {error}"));
            throw new LinkException(error.Message, 500);
        }

        Lend(world, isLent: true);
        simulation.Watch.After(world, what, decided.Ok, changes);
        LookWhenDue();
        if (changes.Count > 0)
        {
            changes.AddRange(world.TakeWords());
        }
        else if (_pending.Count == 0)
        {
            return Task.FromResult(decided);
        }

        var answer = new TaskCompletionSource<Outcome<T>>();
        if (_pending.Count == 0)
        {
            var life = _lives;
            Clock.At(Clock.Now + simulation.Chance.Between($"commit/{_ids++}", TimeSpan.FromMilliseconds(1), TimeSpan.FromMilliseconds(120)), () => Keep(life));
        }

        _pending.Add((changes, () => answer.TrySetResult(decided), error => answer.TrySetException(error)));
        return answer.Task;
    }

    public async Task<JoinAnswer> Join(JoinRequest request)
    {
        var key = new KeyRecord(request.Key.KeyId, request.Key.X, request.Key.Y);
        var joined = await Change(null, $"{request.Name} joins", decision => Enrolment.Join(decision, request.Name, key, request.Code, DeviceForms.Told(
            request.Facts)));
        return joined.Ok
            ? new JoinAnswer(joined.Value.Id, joined.Value.Name, [Catalogue.SealKey], (int)simulation.History.CheckInInterval.TotalSeconds)
            : throw Refused(joined.Failure!);
    }

    public async Task<CheckInAnswer> CheckIn(string id, CheckInRequest request)
    {
        var told = DeviceForms.Told(request, _ => null);
        if (Quick(World, id, request, told) is { } answered)
        {
            var quick = answered.Ok ? answered.Value : throw Refused(answered.Failure!);
            simulation.Watch.TakesCheckIn(id, told.Sequence);
            if (quick.Orders is not null && !IsKept)
            {
                await Change<bool>(null, "waits until it is kept", _ => true);
            }

            return Form(quick);
        }

        var heard = World.Devices.Get(id)?.Record.Heard;
        var before = ToldBefore.Of(
            told, World.Devices.Get(id)?.Memory.NewestAttempt ?? Store.NewestAttempt(id), Store.Attempts.ContainsKey,
            word => heard?.Contains(word) != true && Store.HasWord(id, word)) with { Shelved = ShelvedOf(id) };
        var reply = await Change<CheckInAnswer>(null, $"{World.Devices.Get(id)?.Name} checks in", decision =>
        {
            var acknowledged = Core.CheckIns.CheckIn.Take(decision, id, told, before);
            if (!acknowledged.Ok)
            {
                return acknowledged.Failure!;
            }

            simulation.Watch.TakesCheckIn(id, told.Sequence);
            return DeviceForms.Answer(decision.World, decision.World.Devices[id], request, acknowledged.Value, NextSeconds, _seals);
        });
        return reply.Ok ? Form(reply.Value) : throw Refused(reply.Failure!);
    }

    /// <summary>Content that an order of the device names; null where none does.</summary>
    public byte[]? Fetch(string id, string sha256) =>
        World.Devices.Get(id) is { } device && DeviceOrder.Names(World, device, sha256) ? Catalogue.Content(sha256) : null;

    /// <summary>The targets of a device that are only kept.</summary>
    public ShelvedTargets ShelvedOf(string device) => new(
        World.Shelved.Select(each => each.Id).ToHashSet(),
        [.. World.Shelved.Select(each => (each.Id, Store.Target(each.Id, device)!)).Where(each => each.Item2 is not null)]);

    /// <summary>Those who watch may read the targets that are only kept; whoever decides finds that they are not there.</summary>
    public void Lend(FleetWorld world, bool isLent)
    {
        foreach (var deployment in world.Shelved.ToList())
        {
            world.Lend(deployment.Id, isLent ? Store.TargetsOf(deployment.Id) : null);
        }
    }

    /// <summary>Decides; what is missing for it is fetched, and it is decided again.</summary>
    private Outcome<T> DecideFetching<T>(FleetWorld world, string? by, List<Change> changes, Func<Decision, Outcome<T>> command)
    {
        while (true)
        {
            try
            {
                return world.Decide(by, Clock.Now, NewId, changes, command);
            }
            catch (TargetsShelvedException error)
            {
                world.Decide(null, Clock.Now, NewId, changes, decision => Shelving.Bring(decision, error.Deployment, Store.TargetsOf(error.Deployment)));
            }
        }
    }

    private int NextSeconds => (int)simulation.History.CheckInInterval.TotalSeconds;

    private string NewId() => (++_ids).ToString("x8", System.Globalization.CultureInfo.InvariantCulture);

    private static LinkException Refused(Failure failure) => new(failure.Message, Problems.StatusOf(failure.Kind)) { Taken = failure.Taken };

    // Through its bytes, as it travels.
    private static CheckInAnswer Form(CheckInAnswer answer) => System.Text.Json.JsonSerializer.Deserialize(
        System.Text.Json.JsonSerializer.SerializeToUtf8Bytes(answer, Contract.ContractJson.Default.CheckInAnswer),
        Contract.ContractJson.Default.CheckInAnswer)!;

    private Outcome<CheckInAnswer>? Quick(FleetWorld world, string id, CheckInRequest request, CheckInTold told)
    {
        world.Now = Clock.Now;
        return Core.CheckIns.CheckIn.TakeQuiet(world, id, told) is not { } taken ? null
            : taken.Ok ? DeviceForms.Answer(world, taken.Value, request, [], NextSeconds, _seals)
            : taken.Failure!;
    }

    /// <summary>Keeps all that was decided and is not kept yet.</summary>
    private void Keep(int life)
    {
        if (life != _lives)
        {
            return;
        }

        var waiting = _pending.ToList();
        _pending.Clear();
        if (_failsNext)
        {
            simulation.Say("what was decided cannot be kept");
            simulation.Watch.Count("failed commits");
            (_failsNext, _world) = (false, null);
            _lives++;
            Clock.At(Clock.Now + TimeSpan.FromSeconds(1), Start);
            waiting.ForEach(each => each.Fail(new LinkException("The service could not keep it.", 503)));
            return;
        }

        var changes = waiting.SelectMany(each => each.Changes).ToList();
        Store.Commit(changes);
        simulation.Watch.Kept(changes);
        waiting.ForEach(each => each.Answer());
        if (simulation.History.Hails)
        {
            CallDevices();
        }
    }

    /// <summary>Calls the devices whose orders are others than they were told.</summary>
    private void CallDevices()
    {
        var world = World;
        foreach (var row in world.TakeInDoubt().Rows().Where(row => world.Columns.Live[row]).ToList())
        {
            var device = world.Devices.At(row);
            var tag = Orders.TagOf(world, device);
            if (_told.GetValueOrDefault(device.Id) != tag)
            {
                _told[device.Id] = tag;
                simulation.DeviceOf(device.Id)?.Hail();
            }
        }
    }

    /// <summary>Looks at deployments when something is due, a slice at a time.</summary>
    private void LookWhenDue()
    {
        if (World.Agenda.Next is not { } next)
        {
            return;
        }

        var at = next > Clock.Now + Pace ? next : Clock.Now + Pace;
        if (_lookAt <= at)
        {
            return;
        }

        _lookAt = at;
        var life = _lives;
        Clock.At(at, () =>
        {
            if (life != _lives || _lookAt != at)
            {
                return;
            }

            _lookAt = null;
            _ = Change(null, "looks", Due.Take);
            LookWhenDue();
        });
    }
}
