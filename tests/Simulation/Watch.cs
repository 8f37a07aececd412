using Bandejo.Contract.Device;
using Bandejo.Core.Deployments;
using Bandejo.Core.World;
using Bandejo.Device;

namespace Bandejo.Simulation.Tests;

/// <summary>Holds what happens against what should hold. This part looks at the devices: what they start, and what becomes of what they told.</summary>
internal sealed partial class Watch(Simulation simulation)
{
    private readonly Dictionary<SimulatedDevice, Known> _known = [];
    private readonly Dictionary<SimulatedDevice, string> _fetching = [];
    private readonly HashSet<SimulatedDevice> _moved = [];
    private readonly Dictionary<string, int> _atOnce = new(StringComparer.Ordinal);
    private readonly HashSet<string> _steps = new(StringComparer.Ordinal);
    private readonly HashSet<(string Deployment, int Wave)> _opened = [];
    private readonly Dictionary<string, long> _numbers = new(StringComparer.Ordinal);
    private readonly Dictionary<(string Deployment, string Device), int> _waves = [];
    private readonly Dictionary<string, AttemptRecord> _attempts = new(StringComparer.Ordinal);

    /// <summary>How often something happened, by its name.</summary>
    public Dictionary<string, int> Done { get; } = new(StringComparer.Ordinal);

    /// <summary>Something happened.</summary>
    public void Count(string what) => Done[what] = Done.GetValueOrDefault(what) + 1;

    private DateTimeOffset Now => simulation.Clock.Now;

    /// <summary>An agent starts: it knows what its journal knows.</summary>
    public void Starts(SimulatedDevice device)
    {
        var known = KnownOf(device);
        var state = DeviceState.Of(device.Machine.Load(), _ => { });
        if (known.Id != device.Identity!.DeviceId)
        {
            _known[device] = known = new Known { Id = device.Identity.DeviceId };
        }

        known.Orders = state.Orders;
        known.Calendars = state.Calendars;
        known.Current = state.Current?.Id;
    }

    /// <summary>A device stands at another site: what it began at the first it may end at the second.</summary>
    public void Moved(SimulatedDevice device) => _moved.Add(device);

    /// <summary>A device fetches content.</summary>
    public void Fetches(SimulatedDevice device, string sha256)
    {
        _fetching[device] = sha256;
        foreach (var order in KnownOf(device).Orders.Where(each => each is { Kind: "install", Fetch: not null } && Catalogue.PayloadOf(each.Package.Digest) == sha256))
        {
            Count("fetches by a rule");
            if (FetchRule.Together([.. order.Fetch!.Select(rule => FetchRule.Parse(rule).Value)]).AtOnce is not { } most || IsAlsoWanted(device, order, sha256))
            {
                continue;
            }

            var others = _fetching.Where(each => each.Key != device && each.Value == sha256 && AreAlike(device, each.Key)
                && KnownOf(each.Key).Orders.Any(other => other.Deployment == order.Deployment && other.Kind == "install")
                && !IsAlsoWanted(each.Key, order, sha256)).Select(each => each.Key.Name).ToList();
            Hold(
                others.Count < most || KnownOf(device).HasJumped, "no more of a site fetch at once than asked for",
                $"{device.Name} fetches for {order.Deployment} beside {string.Join(", ", others)}, and {most} may at once");
        }
    }

    /// <summary>It has it, or gave it up.</summary>
    public void Fetched(SimulatedDevice device) => _fetching.Remove(device);

    // Somebody wants it without such a rule, or puts it back.
    private bool IsAlsoWanted(SimulatedDevice device, Order order, string sha256) => KnownOf(device).Orders.Any(
        each => each.Deployment != order.Deployment && new[] { each.Package.Digest, each.Previous?.Digest }.Any(
            digest => digest is not null && Catalogue.PayloadOf(digest) == sha256)) || device.Engine?.State.Current is not null;

    private bool AreAlike(SimulatedDevice one, SimulatedDevice other) =>
        !_moved.Contains(one) && !_moved.Contains(other) && one.Machine.Facts["site"] == other.Machine.Facts["site"];

    /// <summary>A device's clock is another.</summary>
    public void Jumped(SimulatedDevice device) => KnownOf(device).HasJumped = true;

    /// <summary>The service starts: of what it was told and did not have to keep it knows nothing.</summary>
    public void ServiceStarts(FleetWorld world)
    {
        _numbers.Clear();
        _holdsSince.Clear();

        // What it had seen and could not keep, it has not seen.
        foreach (var deployment in world.Deployments.Values)
        {
            for (var wave = 0; wave < deployment.State.Waves.Count; wave++)
            {
                if (deployment.State.Waves[wave].ReachedAt is { } reached)
                {
                    _holdsSince[(deployment.Id, wave)] = reached;
                }
            }
        }
    }

    /// <summary>The service takes a check-in with a number.</summary>
    public void TakesCheckIn(string device, long number)
    {
        var before = _numbers.GetValueOrDefault(device);
        Hold(number >= before, "nothing is taken that comes after something newer", $"the service takes the check-in {number} of {device} after {before}");
        _numbers[device] = number;
    }

    /// <summary>A device hears an answer.</summary>
    public void Hears(SimulatedDevice device, CheckInRequest request, CheckInAnswer answer)
    {
        var known = KnownOf(device);
        if (answer.Orders is { } orders)
        {
            known.Orders = orders;

            // What is not asked for any more begins from the beginning where it is asked for again.
            foreach (var key in known.Tries.Keys.Where(key => !orders.Any(order => order.Deployment == key.Split('/')[0])).ToList())
            {
                known.Tries.Remove(key);
            }
        }

        if (answer.Orders is not null || answer.OrdersTag == request.OrdersTag)
        {
            (known.HeardAt, known.HasJumped) = (Now, false);
        }

        foreach (var name in answer.Acknowledged)
        {
            var (id, what) = (name.Split('/')[0], name.Split('/')[1]);
            var isKept = what == "said"
                ? simulation.Service.Store.HasWord(known.Id, id)
                    || simulation.Service.Store.Events.Values.Any(each => each is { What: "words-left-out" } && each.Device == known.Id)
                : simulation.Service.Store.Attempts.TryGetValue(id, out var attempt) && (what == "began" || attempt.EndedAt is not null);
            Hold(isKept, "what is acknowledged is kept", $"{device.Name} was told that {name} is kept");
        }
    }

    /// <summary>A device writes an entry into its journal.</summary>
    public void Journal(SimulatedDevice device, JournalEntry entry)
    {
        var known = KnownOf(device);
        switch (entry)
        {
            case AttemptBegan { Attempt: var attempt }:
                simulation.Say(
                    $"{device.Name} begins {attempt.Id}: {attempt.Order.Kind} {attempt.Order.Package.App} {attempt.Order.Package.Version} for "
                        + $"{attempt.Order.Deployment}/{attempt.Order.Number}, try {attempt.Try}");
                Begins(device, known, attempt);
                break;
            case OrdersTaken { Orders: var orders }:
                simulation.Say(
                    $"{device.Name} has its orders: "
                        + $"{string.Join(", ", orders.Select(order => $"{DeviceState.KeyOf(order)} {(order.MayStart ? "may" : "may not")}{(order.FetchesLater ? ", fetches later" : "")}"))}");
                break;
            case CalendarsTaken { Content: var content }:
                simulation.Say($"{device.Name} holds calendars: {string.Join(", ", content.Calendars.Select(each => each.Id))}");
                Hold(
                    known.Calendars is null || content.At >= known.Calendars.At, "no device goes back to earlier calendars",
                    $"{device.Name} takes those of {content.At:O} after those of {known.Calendars?.At:O}");
                known.Calendars = content;
                break;
            case NoticeGiven given:
                simulation.Say($"{device.Name} tells its user that {given.Order} starts at {given.StartsAt:O}");
                Count("notices");
                known.Told[given.Order] = (Now, given, device.Ahead);
                break;
            case AttemptEnded { Report: var report }:
                simulation.Say($"{device.Name} ends {report.Id}: {report.Outcome}, {report.Message}");
                Hold(known.Current == report.Id, "one attempt at a time", $"{device.Name} ends {report.Id} while {known.Current} is in hand");
                known.Current = null;
                if (report.Outcome is "restart" or "waits")
                {
                    known.Restarted.Add(DeviceState.KeyOf(report.Deployment, report.Order, report.Kind));
                }

                known.Outcomes[report.Id] = report.Outcome!;
                break;
        }
    }

    /// <summary>A step is begun on a device.</summary>
    public void StepBegins(SimulatedDevice device, StepRun run)
    {
        simulation.Say($"{device.Name} runs '{run.Name}' of {run.Attempt}");
        Count("steps");
        var known = KnownOf(device);
        Hold(_steps.Add($"{run.Attempt}/{run.Name}"), "nothing is done twice", $"{device.Name} runs the step '{run.Name}' of {run.Attempt} again");
        Hold(known.Current == run.Attempt, "one attempt at a time", $"{device.Name} runs a step of {run.Attempt} while {known.Current} is in hand");
        Hold(!device.Machine.IsAtWork, "one attempt at a time", $"{device.Name} runs a step of {run.Attempt} while another goes on");
        if (known.Changed.Add(run.Attempt))
        {
            MayStart(device, known, device.Engine!.State.Current!.Order);
        }
    }

    /// <summary>A device restarts itself.</summary>
    public void Restarts(SimulatedDevice device)
    {
        Count("restarts");
        var (known, state, now) = (KnownOf(device), device.Engine!.State, Now + device.Ahead);
        Hold(state.Current is null && !device.Machine.IsAtWork, "no device restarts in the middle of work", device.Name);
        var waiting = state.Orders.Where(order => state.Progress.GetValueOrDefault(DeviceState.KeyOf(order))?.WaitsForBoot == device.Machine.BootId).ToList();
        Hold(waiting.Count > 0, "no device restarts for nothing", device.Name);
        var isLast = waiting.Any(order => order.Restart?.AfterSeconds is { } after
            && state.Progress[DeviceState.KeyOf(order)].NeedsRestartSince?.AddSeconds(after) <= now);
        foreach (var order in waiting)
        {
            var key = DeviceState.KeyOf(order);
            Hold(IsWanted(known, order), "no device restarts after hearing otherwise", $"{device.Name} restarts for {key}; what it heard last was {Words(known)}");
            var when = device.Machine.IsSignedIn ? order.Restart?.WhileSignedIn : order.Restart?.When;
            Hold(isLast || when is "in-window" or "with-install", "no device restarts that is left to people", $"{device.Name} restarts for {key}");
            var isAnyGentle = waiting.Any(each => (device.Machine.IsSignedIn ? each.Restart?.WhileSignedIn : each.Restart?.When) == "in-window");
            bool? isAtOnce = isLast ? true : isAnyGentle ? false : null;
            var closed = Hours.Closed(known.Calendars, order, now, device.Machine.Facts["zone"], 600, isAtOnce);
            Hold(closed is null, "no device restarts outside its window or in a freeze", $"{device.Name} restarts for {key} at {now:O}: {closed}");
        }
    }

    /// <summary>Changes were kept.</summary>
    public void Kept(IReadOnlyList<Change> changes)
    {
        foreach (var change in changes)
        {
            switch (change)
            {
                case PutDeployment(var deployment):
                    if (deployment.Plan?.AtOnce is { } atOnce)
                    {
                        _atOnce[deployment.Id] = atOnce.Devices;
                    }

                    for (var wave = 0; wave < deployment.State.Waves.Count; wave++)
                    {
                        if (deployment.State.Waves[wave].OpenedAt is not null)
                        {
                            _opened.Add((deployment.Id, wave));
                        }
                    }

                    break;
                case PutTarget(var deployment, var target):
                    _waves[(deployment, target.Device)] = target.Wave;
                    break;
                case PutAttempt(var attempt):
                    var before = _attempts.GetValueOrDefault(attempt.Id);
                    Hold(
                        before?.EndedAt is null || (before.Outcome == attempt.Outcome && before.EndedAt == attempt.EndedAt), "nothing is counted twice",
                        $"the attempt {attempt.Id}, which had ended ({before?.Outcome}), is kept again ({attempt.Outcome})");
                    _attempts[attempt.Id] = attempt;
                    break;
            }
        }
    }

    private void Begins(SimulatedDevice device, Known known, Attempt attempt)
    {
        var order = attempt.Order;
        Count("begins");
        Hold(known.Current is null, "one attempt at a time", $"{device.Name} begins {attempt.Id} while {known.Current} is in hand");
        Hold(!device.Machine.IsAtWork, "one attempt at a time", $"{device.Name} begins {attempt.Id} while a step goes on");
        Hold(known.Begun.Add(attempt.Id), "nothing is done twice", $"{device.Name} begins {attempt.Id} again");
        known.Current = attempt.Id;

        // Going back waits for no turn, and takes none.
        known.AtWorkFor = order.Kind == "restore" ? "" : order.Deployment;
        if (_atOnce.TryGetValue(order.Deployment, out var most) && order.Kind != "restore")
        {
            Count("begins in its turn");
            // Nobody knows of what was begun unheard, once its device is silent for longer than its lease; it ends that where it had changed something.
            var others = _known.Where(each => each.Key != device && each.Value is { Current: not null } other && other.AtWorkFor == order.Deployment
                && Now <= other.HeardAt + TimeSpan.FromSeconds(order.LeaseSeconds) && AreAlike(device, each.Key) && simulation.Service.IsKnown(other.Id)).Select(each => each.Key.Name).ToList();
            Hold(
                others.Count < most || known.HasJumped, "no more of a site are changed at once than asked for",
                $"{device.Name} begins for {order.Deployment} beside {string.Join(", ", others)}, and {most} may at once");
        }

        MayStart(device, known, order);
        Hold(
            _waves.TryGetValue((order.Deployment, known.Id), out var wave) && _opened.Contains((order.Deployment, wave)),
            "nothing starts before its wave opened",
            $"{device.Name} begins for {order.Deployment}, wave {wave}");
        if (order is { AtDeadline: true, NoticeSeconds: > 0, AtOnce: false }
            && Hours.Closed(known.Calendars, order, Now + device.Ahead, device.Machine.Facts["zone"], isAtOnce: false) is not null)
        {
            Count("begins by its deadline");
            if (device.Machine.IsSignedIn)
            {
                Count("begins after a notice");
            }
        }

        if (known.Calendars is { Calendars.Count: > 0 })
        {
            Count("begins in its hours");
        }

        // Taken up again after a restart, it is the same try.
        var key = DeviceState.KeyOf(order);
        known.Tries[key] = known.Tries.GetValueOrDefault(key) + (known.Restarted.Remove(key) ? 0 : 1);
        Hold(known.Tries[key] <= order.Tries, "no more tries than asked for", $"{device.Name} begins try {known.Tries[key]} of {order.Tries} for {key}");
    }

    /// <summary>What has to be so when a device begins, and still when it changes the first thing.</summary>
    private void MayStart(SimulatedDevice device, Known known, Order order)
    {
        Hold(
            IsWanted(known, order), "nothing starts after hearing otherwise",
            $"{device.Name} begins {order.Kind} {order.Package.App} {order.Package.Version} for {order.Deployment}/{order.Number}; what it heard last was "
                + $"{Words(known)}");
        Hold(
            known.HasJumped || Now <= known.HeardAt + TimeSpan.FromSeconds(order.LeaseSeconds), "nothing starts past its lease",
            $"{device.Name} begins for {order.Deployment} at {Now:HH:mm:ss}; it heard last at {known.HeardAt:HH:mm:ss} and the lease is {order.LeaseSeconds} "
                + $"s");
        var closed = Hours.Closed(known.Calendars, order, Now + device.Ahead, device.Machine.Facts["zone"]);
        Hold(closed is null, "nothing starts outside its window or in a freeze", $"{device.Name} begins for {order.Deployment} at {Now + device.Ahead:O}: {closed}");
        if (order is { AtDeadline: true, NoticeSeconds: > 0, AtOnce: false } && device.Machine.IsSignedIn
            && Hours.Closed(known.Calendars, order, Now + device.Ahead, device.Machine.Facts["zone"], isAtOnce: false) is not null)
        {
            Hold(
                known.Told.TryGetValue(DeviceState.KeyOf(order), out var told) && told.Given.BootId == device.Machine.BootId
                    && (told.Ahead != device.Ahead || (Now - told.At >= TimeSpan.FromSeconds(order.NoticeSeconds) && Now + device.Ahead >= told.Given.StartsAt)),
                "nothing starts for its deadline alone before its user had notice", $"{device.Name} begins for {DeviceState.KeyOf(order)} at {Now:O}");
        }

        if (order is { Start: { } start, Kind: not "trial" })
        {
            Hold(!start.OnMains || device.Machine.Facts.GetValueOrDefault("power.mains") != "no", "nothing starts on battery that waits for mains", device.Name);
            Hold(
                order.AtOnce || !(start.With is "nobody" or "system-start" && device.Machine.IsSignedIn), "nothing starts that waits until nobody is signed in",
                device.Name);
            Hold(
                order.AtOnce || start.With != "system-start" || Now - device.SwitchedOnAt <= TimeSpan.FromMinutes(15), "nothing starts long after system start",
                $"{device.Name}, which was started at {device.SwitchedOnAt:O}");
        }
    }

    private static bool IsWanted(Known known, Order order) =>
        known.Orders.Any(each => each.MayStart && DeviceState.KeyOf(each) == DeviceState.KeyOf(order) && each.Package.Digest == order.Package.Digest);

    private static string Words(Known known) =>
        string.Join(", ", known.Orders.Select(each => $"{DeviceState.KeyOf(each)} {(each.MayStart ? "may" : "may not")}"));

    private Known KnownOf(SimulatedDevice device) => _known.TryGetValue(device, out var known) ? known : _known[device] = new Known();

    private void Hold(bool holds, string invariant, string says)
    {
        if (!holds)
        {
            simulation.Find(new Breach(invariant, says));
        }
    }

    /// <summary>What a device has heard and done.</summary>
    private sealed class Known
    {
        public string Id { get; init; } = "";

        public IReadOnlyList<Order> Orders { get; set; } = [];

        public DateTimeOffset HeardAt { get; set; }

        /// <summary>The calendars that it holds.</summary>
        public CalendarsContent? Calendars { get; set; }

        /// <summary>Its clock has jumped since it heard.</summary>
        public bool HasJumped { get; set; }

        /// <summary>What its user was told of each order, when, and how far its clock was ahead then.</summary>
        public Dictionary<string, (DateTimeOffset At, NoticeGiven Given, TimeSpan Ahead)> Told { get; } = new(StringComparer.Ordinal);

        /// <summary>For which deployment it is at work, or was last.</summary>
        public string AtWorkFor { get; set; } = "";

        /// <summary>The attempt in hand.</summary>
        public string? Current { get; set; }

        /// <summary>What was in place but for a restart.</summary>
        public HashSet<string> Restarted { get; } = new(StringComparer.Ordinal);

        /// <summary>The attempts of which a step was begun.</summary>
        public HashSet<string> Changed { get; } = new(StringComparer.Ordinal);

        public HashSet<string> Begun { get; } = new(StringComparer.Ordinal);

        public Dictionary<string, string> Outcomes { get; } = new(StringComparer.Ordinal);

        public Dictionary<string, int> Tries { get; } = new(StringComparer.Ordinal);
    }
}
