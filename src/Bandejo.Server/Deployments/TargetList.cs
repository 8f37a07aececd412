using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.World;
using Bandejo.Server.Devices;
using Bandejo.Server.Http;
using Bandejo.Server.World;

namespace Bandejo.Server.Deployments;

/// <summary>What is asked of a list of targets. All parts may be missing.</summary>
internal sealed record TargetQuery
{
    /// <summary>Only these states, separated by commas.</summary>
    public string? State { get; init; }

    /// <summary>Only this wave.</summary>
    public string? Wave { get; init; }

    /// <summary>A rule, or words that name, kind, model or site of the device contain.</summary>
    public string? Filter { get; init; }

    /// <summary>Only those that are late: due, not met, and still to come.</summary>
    public bool? Late { get; init; }

    /// <summary>
    /// <c>name</c>, <c>since</c> (longest first) or <c>state</c> (what needs somebody first); with <c>-</c> before it the other way round.
    /// </summary>
    public string? Sort { get; init; }

    /// <summary>What it is sorted by, whichever way round.</summary>
    public string SortedBy => Sort?.TrimStart('-') ?? "name";

    public bool IsTheOtherWayRound => Sort?.StartsWith('-') == true;

    /// <summary>How many to leave out at the beginning.</summary>
    public int? Skip { get; init; }

    /// <summary>Only devices after this name; for lists in the order of names.</summary>
    public string? Cursor { get; init; }

    /// <summary>The size of the page.</summary>
    public int? Limit { get; init; }
}

/// <summary>Finds, sorts and cuts lists of targets.</summary>
internal static class TargetList
{
    /// <summary>A page of targets.</summary>
    public static Outcome<Page<TargetInfo>> Page(FleetWorld world, string named, TargetQuery query)
    {
        if (query.Sort == "since" || query.IsTheOtherWayRound)
        {
            return PageOf(world, named, query);
        }

        var found = Named.Deployment(world, named);
        if (!found.Ok || Against(query) is not null)
        {
            return (found.Failure ?? Against(query))!;
        }

        var deployment = found.Value;
        var rows = Rows(world, deployment, query);
        if (!rows.Ok)
        {
            return rows.Failure!;
        }

        // Nothing of the fleet's size is made for a page: the parts are sets, and only the part in which the page lies is walked.
        var size = Routes.PageSize(query.Limit);
        var (skip, total) = (query.Skip ?? 0, 0);
        var page = new List<DeviceEntry>();
        IEnumerable<Bitmap> parts = query.Sort == "state" ? TargetTraits.ByNeed.Select(state => deployment.Targets.In(state).And(rows.Value)) : [rows.Value];
        foreach (var part in parts.Where(part => !part.IsEmpty()))
        {
            var count = part.Count();
            total += count;
            if (page.Count > size || (skip >= count && query.Cursor is null))
            {
                skip = Math.Max(0, skip - count);
                continue;
            }

            page.AddRange(world.Devices.InOrder(part, query.Cursor).Skip(skip).Take(size + 1 - page.Count));
            skip = 0;
        }

        return Cut(world, deployment, page, size, total, query.Sort is null or "name");
    }

    /// <summary>A page in an order for which all must be looked at.</summary>
    private static Outcome<Page<TargetInfo>> PageOf(FleetWorld world, string named, TargetQuery query)
    {
        var found = Find(world, named, query);
        if (!found.Ok || Against(query) is not null)
        {
            return (found.Failure ?? Against(query))!;
        }

        var size = Routes.PageSize(query.Limit);
        return Cut(
            world, found.Value.Deployment, [.. found.Value.Devices.Skip(query.Skip ?? 0).Take(size + 1)], size, found.Value.Devices.Count, isByName: false);
    }

    private static Failure? Against(TargetQuery query) => query.SortedBy is "name" or "since" or "state"
        ? DeviceList.CursorAgainst(query.Sort, query.Cursor)
        : new Failure(ErrorKind.Invalid, $"Targets are sorted by name, since or state, not by '{query.Sort}'.");

    private static Page<TargetInfo> Cut(FleetWorld world, DeploymentEntry deployment, List<DeviceEntry> page, int size, int total, bool isByName) =>
        new(
            [.. page.Take(size).Select(device => Views.Target(world, deployment, deployment.Targets[device]))],
            page.Count > size && isByName ? page[size - 1].Name : null, total);

    /// <summary>All targets that are asked for, as CSV.</summary>
    public static IResult Csv(FleetWorld world, string named, TargetQuery query) =>
        Find(world, named, query).Answer(found => Csv(found.Devices.Select(device => Views.Target(world, found.Deployment, found.Deployment.Targets[device]))));

    /// <summary>Targets as CSV.</summary>
    public static IResult Csv(IEnumerable<TargetInfo> targets) => Streams.Csv(
        ["device", "app", "version", "wish", "deployment", "wave", "state", "late", "reason", "since", "proven"],
        targets.Select(target => (string[])
        [
            target.DeviceName, target.App, target.Version, target.Wish, target.DeploymentName, target.Wave ?? "", target.State, target.IsLate ? "yes" : "no",
            target.Reason,
            Streams.Instant(target.Since), target.ProvenAt is { } proven ? Streams.Instant(proven) : "",
        ]));

    private static Outcome<(DeploymentEntry Deployment, List<DeviceEntry> Devices)> Find(FleetWorld world, string named, TargetQuery query)
    {
        var found = Named.Deployment(world, named);
        if (!found.Ok)
        {
            return found.Failure!;
        }

        var deployment = found.Value;
        var rows = Rows(world, deployment, query);
        if (!rows.Ok || Against(query) is not null)
        {
            return (rows.Failure ?? Against(query))!;
        }

        var devices = world.Devices.InOrder(rows.Value).ToList();
        switch (query.SortedBy)
        {
            case "since":
                devices = [.. devices.OrderBy(device => deployment.Targets[device].Since)];
                break;
            case "state":
                var sets = Array.ConvertAll([.. TargetTraits.ByNeed], state => deployment.Targets.In(state));
                devices = [.. sets.SelectMany(set => devices.Where(device => set[device.Row]))];
                break;
        }

        if (query.IsTheOtherWayRound)
        {
            devices.Reverse();
        }

        return (deployment, devices);
    }

    private static Outcome<Bitmap> Rows(FleetWorld world, DeploymentEntry deployment, TargetQuery query)
    {
        var filter = DeviceList.Filter(world, query.Filter);
        if (!filter.Ok)
        {
            return filter.Failure!;
        }

        var states = States(query.State);
        if (!states.Ok)
        {
            return states.Failure!;
        }

        var wave = Wave(deployment, query.Wave);
        if (!wave.Ok)
        {
            return wave.Failure!;
        }

        var rows = deployment.Targets.In(states.Value.Count == 0 ? Enum.GetValues<TargetState>() : states.Value.AsEnumerable()).And(filter.Value);
        rows = query.Late == true ? rows.And(Lateness.Rows(world, deployment)) : rows;
        return wave.Value is { } index ? rows.And(deployment.Targets.InWave(index)) : rows;
    }

    /// <summary>The states that are meant by words between commas; none for all.</summary>
    public static Outcome<IReadOnlySet<TargetState>> States(string? words)
    {
        var states = new HashSet<TargetState>();
        foreach (var word in (words ?? "").Split(',', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries))
        {
            if (StateNames.TargetState(word) is not { } known)
            {
                return new Failure(
                    ErrorKind.Invalid, $"There is no state '{word}'. States: {string.Join(", ", Enum.GetValues<TargetState>().Select(StateNames.Of))}.");
            }

            states.Add(known);
        }

        return states;
    }

    /// <summary>The wave that is meant by its name; null where none is named.</summary>
    public static Outcome<int?> Wave(DeploymentEntry deployment, string? name)
    {
        var waves = deployment.Plan.Waves.ToList();
        var index = waves.FindIndex(each => each.Name.Equals(name, StringComparison.OrdinalIgnoreCase));
        return name is null ? (int?)null
            : index < 0 ? new Failure(
                ErrorKind.Invalid, $"'{deployment.Plan.Name}' has no wave '{name}'. Waves: {string.Join(", ", waves.Select(each => each.Name))}.")
            : (int?)index;
    }
}
