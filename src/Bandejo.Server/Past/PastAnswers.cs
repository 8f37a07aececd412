using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.Rules;
using Bandejo.Core.World;
using Bandejo.Server.Compliance;
using Bandejo.Server.Deployments;
using Bandejo.Server.Devices;
using Bandejo.Server.Http;
using Bandejo.Store;

namespace Bandejo.Server.Past;

/// <summary>
/// Answers as they would have been at a past moment. What is not kept of it is left out: when devices were last heard, and what was said of their silence.
/// </summary>
/// <param name="now">As it stands now: what something is called, and what never changes (plans).</param>
/// <param name="past">As it stood.</param>
internal sealed class PastAnswers(FleetWorld now, IPast past)
{
    private readonly Lazy<IReadOnlyDictionary<string, DeploymentState>> _states = new(past.Deployments);

    /// <summary>The deployments that were under way, with what compliance is counted of.</summary>
    private IEnumerable<DeploymentEntry> Active => now.Deployments.Values.Where(
        deployment => _states.Value.TryGetValue(deployment.Id, out var state) && state.Status != DeploymentStatus.Ended);

    public Outcome<IReadOnlyList<ComplianceRow>> Compliance(string by)
    {
        var groups = by == "group" ? past.Groups() : [];
        var members = groups.Select(group => past.Members(group.Slug)).ToList();
        try
        {
            return ComplianceRows.Of(by, [.. Active.AsParallel().AsOrdered().Select(deployment => Standing(deployment, members))], groups);
        }
        catch (AggregateException error) when (error.InnerException is StoreException lost)
        {
            throw new StoreException(lost.Message, lost);
        }
    }

    /// <summary>The targets behind a figure.</summary>
    public Outcome<IEnumerable<TargetInfo>> Targets(string? named, string? app, string? group, string? only)
    {
        var slug = app is null ? default : Named.App(now, app);
        if (app is not null && !slug.Ok)
        {
            return slug.Failure!;
        }

        var deployments = Active.Where(deployment => app is null || deployment.Plan.App == slug.Value).ToList();
        if (named is not null)
        {
            var found = Deployment(named);
            if (!found.Ok)
            {
                return found.Failure!;
            }

            deployments = [found.Value];
        }

        if (group is not null && past.Groups().All(each => each.Slug != group))
        {
            return NoGroup(group);
        }

        var members = group is null ? null : past.Members(group);
        var names = new Names(now, past);
        return Outcome.Of(deployments.SelectMany(deployment => past.Targets(deployment.Id)
            .Where(each => (members?[each.Number] ?? true)
                && ComplianceRows.IsMeant(each.Target.State, only, IsLate(deployment, names, each.Number, each.Target)))
            .Select(each => Info(deployment, each.Target, names, each.Number, names.Of(each.Number)))
            .OrderBy(target => target.DeviceName, StringComparer.OrdinalIgnoreCase)));
    }

    /// <summary>A deployment.</summary>
    public Outcome<DeploymentDetails> Details(string named)
    {
        var found = Deployment(named);
        if (!found.Ok)
        {
            return found.Failure!;
        }

        var (deployment, plan, state) = (found.Value, found.Value.Plan, _states.Value[found.Value.Id]);
        var entry = DeploymentEntry.Kept(deployment.Record with { State = state }, deployment.Package);
        var harmed = new List<(int Number, Target Target)>();

        // Whom nobody heard from for long is not kept: nobody is taken to have been silent.
        var names = new Names(now, past);
        var (late, byWave) = (new int[Enum.GetValues<TargetState>().Length], new int[plan.Waves.Count]);
        foreach (var (number, target) in past.Targets(deployment.Id))
        {
            entry.TakeKept(number, target, now.CheckInInterval);
            if (target.Harms > 0)
            {
                harmed.Add((number, target));
            }

            if (IsLate(deployment, names, number, target))
            {
                late[(int)target.State]++;
                byWave[Math.Max(0, target.Wave)] += target.Wave >= 0 ? 1 : 0;
            }
        }

        var tallies = entry.Targets.Tallies(_ => past.At, past.At).Select((tally, wave) => tally with { Late = byWave[wave] });
        var info = Views.Deployment(entry, [.. tallies], past.At, late);
        return new DeploymentDetails(
            info, plan.Groups, plan.Except, plan.Halt.ToString(), plan.Retry.Tries, Units.FormatDuration(plan.Retry.Pause), Units.FormatDuration(plan.Lease), 0,
            null, [], [.. harmed.OrderByDescending(each => each.Target.TroubleAt).Take(20).Select(each => new HarmInfo(
                names.Of(each.Number), each.Target.Harms, each.Target.Harm ?? ""))], Views.Settings(deployment), Chosen.Of(now, deployment), plan.Calendars,
            StateNames.Hyphenate(plan.AfterDeadline.ToString()), plan.Restart.ToString(), []);
    }

    /// <summary>The targets of a deployment, a page of them.</summary>
    public Outcome<Page<TargetInfo>> Page(string named, TargetQuery query)
    {
        var found = Deployment(named);
        if (!found.Ok)
        {
            return found.Failure!;
        }

        var deployment = found.Value;
        var states = TargetList.States(query.State);
        if (!states.Ok)
        {
            return states.Failure!;
        }

        var wave = TargetList.Wave(deployment, query.Wave);
        if (!wave.Ok)
        {
            return wave.Failure!;
        }

        if (query.Filter is { } filter && Rule.IsMeant(filter))
        {
            return new Failure(ErrorKind.Invalid, "As of a past moment, targets are found by words of the device's name, by state and by wave, not by a rule.");
        }

        if (query.SortedBy is not ("name" or "since" or "state"))
        {
            return new Failure(ErrorKind.Invalid, $"Targets are sorted by name, since or state, not by '{query.Sort}'.");
        }

        if (DeviceList.CursorAgainst(query.Sort, query.Cursor) is { } against)
        {
            return against;
        }

        var names = new Names(now, past);
        var all = past.Targets(deployment.Id)
            .Where(each => (states.Value.Count == 0 || states.Value.Contains(each.Target.State))
                && (query.Late != true || IsLate(deployment, names, each.Number, each.Target)) && (wave.Value is null
                    || each.Target.Wave == wave.Value))
            .Select(each => (each.Target, each.Number, Name: names.Of(each.Number)))
            .Where(each => query.Filter is null || each.Name.Contains(query.Filter.Trim(), StringComparison.OrdinalIgnoreCase)).ToList();
        TargetState[] byNeed = [.. TargetTraits.ByNeed];

        // What comes before the page is left out first: only what stands in it is put in order then.
        var rest = all.Where(each => query.Cursor is null || string.Compare(each.Name, query.Cursor, StringComparison.OrdinalIgnoreCase) > 0);
        var way = query.IsTheOtherWayRound ? -1 : 1;
        var byName = Comparer<string>.Create((one, other) => way * string.Compare(one, other, StringComparison.OrdinalIgnoreCase));
        var sorted = query.SortedBy switch
        {
            "since" => rest.OrderBy(each => way * each.Target.Since.UtcTicks).ThenBy(each => each.Name, byName),
            "state" => rest.OrderBy(each => way * Array.IndexOf(byNeed, each.Target.State)).ThenBy(each => each.Name, byName),
            _ => rest.OrderBy(each => each.Name, byName),
        };
        var size = Routes.PageSize(query.Limit);
        var page = sorted.Skip(query.Skip ?? 0).Take(size + 1).ToList();
        return new Page<TargetInfo>(
            [.. page.Take(size).Select(each => Info(deployment, each.Target, names, each.Number, each.Name))],
            page.Count > size && query.Sort is null or "name" ? page[size - 1].Name : null, all.Count);
    }

    /// <summary>A device with all that was known of it.</summary>
    public Outcome<DeviceDetails> Device(string named)
    {
        var id = now.Devices.Find(named)?.Id ?? past.IdOf(named);
        if (id is null)
        {
            return Named.NoDevice(now, named);
        }

        if (past.Device(id) is not { } device)
        {
            return new Failure(ErrorKind.NotFound, $"{named} was not there on {PastMoments.InWords(past.At)}.");
        }

        var was = past.TargetsOf(id).ToDictionary(each => each.Deployment, each => each.Target, StringComparer.Ordinal);
        var names = new Names(now, past);
        var targets = now.Deployments.Values.Where(deployment => _states.Value.ContainsKey(deployment.Id) && was.ContainsKey(deployment.Id))
            .Select(deployment => Info(deployment, was[deployment.Id], names, device.Number, device.Name)).ToList();
        return new DeviceDetails(
            Infos([device]).Single(), [.. device.Facts.Select(fact => FleetRoutes.Fact(fact.Name, fact.Value, fact.Since))],
            [.. device.Programs.OrderBy(program => program.Source).ThenBy(program => program.Name, StringComparer.OrdinalIgnoreCase).Select(
                program => new ProgramInfo(program.Name, program.Version, program.Source))],
            device.IsInventoryComplete, past.GroupsOf(id), targets);
    }

    /// <summary>A group.</summary>
    public Outcome<GroupInfo> Group(string slug) => past.Groups().FirstOrDefault(each => each.Slug == slug) is { } group
        ? new GroupInfo(
            group.Slug, group.Name, group.Rule is null ? "listed" : "rule", group.Rule, group.IsForTesting, past.Members(slug).Count(), 0, group.Revision,
            Calendars: GroupEntry.CalendarsOf(group) is { Count: > 0 } calendars ? calendars : null,
            Fetch: group.Fetch)
        : NoGroup(slug);

    /// <summary>The groups.</summary>
    public IReadOnlyList<GroupInfo> Groups() => [.. past.Groups().Select(group => Group(group.Slug).Value)];

    /// <summary>The devices that were in a group, a page of them.</summary>
    public Outcome<Page<DeviceInfo>> Members(string slug, int skip, string? cursor, int? limit)
    {
        var group = Group(slug);
        if (!group.Ok)
        {
            return group.Failure!;
        }

        var (names, size, members) = (new Names(now, past), Routes.PageSize(limit), past.Members(slug));
        var page = members.Rows().Select(number => (Number: number, Name: names.Of(number)))
            .Where(each => cursor is null || string.Compare(each.Name, cursor, StringComparison.OrdinalIgnoreCase) > 0)
            .OrderBy(each => each.Name, StringComparer.OrdinalIgnoreCase).Skip(skip).Take(size + 1).ToList();
        var devices = past.Devices(page.Take(size).Select(each => each.Number));
        return new Page<DeviceInfo>(
            [.. Infos(devices)], page.Count > size ? page[size - 1].Name : null, members.Count());
    }

    private Failure NoGroup(string slug) => new(ErrorKind.NotFound, $"There was no group '{slug}' on {PastMoments.InWords(past.At)}.");

    private Outcome<DeploymentEntry> Deployment(string named)
    {
        var found = Named.Deployment(now, named);
        return found.Ok && !_states.Value.ContainsKey(found.Value.Id)
            ? new Failure(
                ErrorKind.NotFound,
                $"'{found.Value.Plan.Name}' had not begun on {PastMoments.InWords(past.At)}; it began on {PastMoments.InWords(found.Value.State.StartedAt)}.")
            : found;
    }

    private Standing Standing(DeploymentEntry deployment, IReadOnlyList<Bitmap> groups)
    {
        var (plan, states, byGroup) = (
            deployment.Plan, past.States(deployment.Id), groups.Count == 0 ? (IReadOnlyList<int[]>)[] : past.States(deployment.Id, groups));
        if (!Deadlines.AreOfWaves(plan))
        {
            return new Standing(plan, Counted(states), [.. byGroup.Select(Counted)]);
        }

        var (names, all, late) = (new Names(now, past), new int[states.Length], groups.Select(_ => new int[states.Length]).ToList());
        foreach (var (number, target) in past.Targets(deployment.Id).Where(each => IsLate(deployment, names, each.Number, each.Target)))
        {
            all[(int)target.State]++;
            for (var group = 0; group < groups.Count; group++)
            {
                late[group][(int)target.State] += groups[group][number] ? 1 : 0;
            }
        }

        return new Standing(plan, new StandingCounts(states, all), [.. byGroup.Select((some, group) => new StandingCounts(some, late[group]))]);

        StandingCounts Counted(int[] some) => new(some, Counting.Late(some, plan.Deadline, past.At));
    }

    private bool IsLate(DeploymentEntry deployment, Names names, int number, Target target) =>
        Counting.IsLate(target.State, DeadlineOf(deployment, names, number, target), past.At);

    /// <summary>When a target was late, by the clocks that its device has now where those of each count.</summary>
    private DateTimeOffset? DeadlineOf(DeploymentEntry deployment, Names names, int number, Target target) => Deadlines.Of(
        deployment.Plan, _states.Value[deployment.Id], target.Wave,
        Deadlines.AreOfWaves(deployment.Plan) && now.Devices.Get(names.IdOf(number)) is { } device ? Lateness.ClocksOf(now, device) : null);

    private TargetInfo Info(DeploymentEntry deployment, Target target, Names names, int number, string name) => Views.Target(
        deployment.Plan, target with { Device = names.IdOf(number), ProvenAt = null }, name, "", DeadlineOf(deployment, names, number, target), past.At);

    /// <summary>Devices as they stand in lists, with what was open of them.</summary>
    private IEnumerable<DeviceInfo> Infos(IReadOnlyList<PastDevice> devices)
    {
        var (numbers, open) = (devices.Select(device => device.Number).ToList(), new Dictionary<int, (int Met, int Unmet)>());
        foreach (var (_, number, target) in past.Targets([.. Active.Select(deployment => deployment.Id)], numbers))
        {
            var (counts, (met, unmet)) = (Counting.Compliance(target.State, null, past.At), open.GetValueOrDefault(number));
            open[number] = (met + counts.Met, unmet + counts.Unmet + counts.Unknown);
        }

        return devices.Select(device => Info(device, open.GetValueOrDefault(device.Number)));
    }

    private static DeviceInfo Info(PastDevice device, (int Met, int Unmet) open)
    {
        return new DeviceInfo(
            device.Id, device.Name, device.Fact("kind"), device.Fact("site"), device.Fact("model"),
            FleetRoutes.System(device.Fact("os.name"), device.Fact("os.version")), device.Joined, null, open.Met, open.Unmet,
            false);
    }

    /// <summary>What devices are called, by their numbers.</summary>
    private sealed class Names(FleetWorld now, IPast past)
    {
        private readonly IReadOnlyDictionary<int, string> _identities = past.Identities();

        public string IdOf(int number) => _identities.GetValueOrDefault(number, "");

        public string Of(int number) => IdOf(number) is var id && now.Devices.Get(id) is { } device ? device.Name : past.Device(id)?.Name ?? id;
    }
}
