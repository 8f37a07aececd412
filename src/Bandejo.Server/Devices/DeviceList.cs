using System.Globalization;
using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Core.Fleet;
using Bandejo.Core.Rules;
using Bandejo.Core.World;
using Bandejo.Server.Http;
using Bandejo.Server.World;

namespace Bandejo.Server.Devices;

/// <summary>What is asked of a list of devices. All parts may be missing.</summary>
internal sealed record DeviceQuery
{
    /// <summary>A rule, or words that name, kind, model or site contain.</summary>
    public string? Filter { get; init; }

    /// <summary>Only devices in this group.</summary>
    public string? Group { get; init; }

    /// <summary><c>name</c>, <c>heard</c>, <c>joined</c> or a fact; with <c>-</c> before it the other way round. What is not known comes last.</summary>
    public string? Sort { get; init; }

    /// <summary>How many to leave out at the beginning.</summary>
    public int? Skip { get; init; }

    /// <summary>Only devices after this name; only for lists in the order of names.</summary>
    public string? Cursor { get; init; }

    /// <summary>The size of the page.</summary>
    public int? Limit { get; init; }

    /// <summary>Facts to be answered with each device, separated by commas.</summary>
    public string? Columns { get; init; }
}

/// <summary>Finds, sorts and cuts lists of devices.</summary>
internal static class DeviceList
{
    private const int MostColumns = 50;

    /// <summary>The rows of the devices that are meant: by a rule where the text is one, else by its words. Null text means all.</summary>
    public static Outcome<Bitmap> Filter(FleetWorld world, string? text)
    {
        if (string.IsNullOrWhiteSpace(text))
        {
            return world.Columns.Live;
        }

        if (text.Trim() == "unsorted")
        {
            return world.Unsorted;
        }

        var rule = Rule.Parse(text);
        if (rule.Ok)
        {
            return world.Columns.Evaluate(rule.Value).True;
        }

        if (Rule.IsMeant(text))
        {
            return rule.Failure! with
            {
                Message = $"{rule.Failure!.Message} (It was read as a rule: 'is', 'and', 'or' and signs such as >= make one. "
                    + "Words alone are looked for in names, kinds, models and sites.)",
            };
        }

        return world.Texts.Containing(text);
    }

    /// <summary>The rows of the devices that are asked for, in any order.</summary>
    private static Outcome<Bitmap> Asked(FleetWorld world, DeviceQuery query)
    {
        var filter = Filter(world, query.Filter);
        if (!filter.Ok || query.Group is null)
        {
            return filter;
        }

        var group = Named.Group(world, query.Group);
        return group.Ok ? filter.Value.Copy().And(group.Value.In) : group.Failure!;
    }

    /// <summary>A page of devices.</summary>
    public static Outcome<Page<DeviceInfo>> Page(FleetWorld world, DeviceQuery query)
    {
        var facts = Facts(query.Columns);
        if (!facts.Ok)
        {
            return facts.Failure!;
        }

        if (CursorAgainst(query.Sort, query.Cursor) is { } against)
        {
            return against;
        }

        var size = Routes.PageSize(query.Limit);
        if (query.Sort is null or "name")
        {
            // Only the page is picked; nothing of the fleet's size is made.
            var filter = Asked(world, query);
            return filter.Ok
                ? Cut(
                    world, [.. world.Devices.InOrder(filter.Value, query.Cursor).Skip(query.Skip ?? 0).Take(size + 1)], size, filter.Value.Count(), facts.Value)
                : filter.Failure!;
        }

        var found = Ordered(world, query);
        if (!found.Ok)
        {
            return found.Failure!;
        }

        return Cut(world, [.. found.Value.Skip(query.Skip ?? 0).Take(size + 1)], size, found.Value.Count, facts.Value) with { Next = null };
    }

    /// <summary>A cursor is a name, so it means nothing in a list that is not in the order of names.</summary>
    public static Failure? CursorAgainst(string? sort, string? cursor) =>
        cursor is not null && sort is not (null or "name")
            ? new Failure(ErrorKind.Invalid, "A list that is not in the order of names is read on with skip, not with cursor.")
            : null;

    /// <summary>All devices that are asked for, as CSV.</summary>
    public static IResult Csv(FleetWorld world, DeviceQuery query)
    {
        var facts = Facts(query.Columns);
        var found = Ordered(world, query);
        if (!facts.Ok || !found.Ok)
        {
            return Problems.Of((facts.Failure ?? found.Failure)!);
        }

        string[] header = ["name", "kind", "site", "model", "os", "joined", "last-heard", "met", "unmet", .. facts.Value.Select(fact => fact.ToString())];
        return Streams.Csv(header, found.Value.Select(device => FleetRoutes.Info(world, device, facts.Value)).Select(info => (string[])
        [
            info.Name, info.Kind ?? "", info.Site ?? "", info.Model ?? "", info.Os ?? "", Streams.Instant(info.Joined),
            info.LastHeard is { } heard ? Streams.Instant(heard) : "",
            info.Met.ToString(CultureInfo.InvariantCulture), info.Unmet.ToString(CultureInfo.InvariantCulture),
            .. (info.Columns ?? []).Select(value => value ?? ""),
        ]));
    }

    private static Outcome<List<DeviceEntry>> Ordered(FleetWorld world, DeviceQuery query)
    {
        var filter = Asked(world, query);
        if (!filter.Ok)
        {
            return filter.Failure!;
        }

        var devices = world.Devices.InOrder(filter.Value).ToList();
        var isDown = query.Sort?.StartsWith('-') == true;
        var by = query.Sort?.TrimStart('-') ?? "name";
        if (by == "name")
        {
            if (isDown)
            {
                devices.Reverse();
            }

            return devices;
        }

        if (by is "heard" or "joined")
        {
            return Sorted(devices, device => by == "joined" ? device.Record.Joined.UtcTicks : device.LastHeard?.UtcTicks, isDown);
        }

        if (FactCatalog.TypeOf(by) is null)
        {
            var near = Suggest.Nearest(by, FactCatalog.All.Keys);
            return new Failure(ErrorKind.Invalid, $"Devices cannot be sorted by '{by}': it is no fact, and none of name, heard, joined." + (
                near is null ? "" : $" Did you mean '{near}'?"));
        }

        // Few values are many devices', so the values are sorted and the devices by the place of theirs.
        var fact = new FactRef(by, false);
        var values = devices.ConvertAll(device => world.Columns.Get(device.Row, fact).Value);
        var places = values.OfType<FactValue>().Distinct().Order(Comparer<FactValue>.Create(Compare)).Select((value, place) => (value, place))
            .ToDictionary(pair => pair.value, pair => (long)pair.place);
        var at = 0;
        return Sorted(devices, _ => values[at++] is { } value ? places[value] : null, isDown);
    }

    private static int Compare(FactValue a, FactValue b) =>
        a.Version is { } version && b.Version is { } other ? version.CompareTo(other)
        : a.Type is FactType.Text or FactType.Set ? string.Compare(a.ToString(), b.ToString(), StringComparison.OrdinalIgnoreCase)
        : a.Number.CompareTo(b.Number);

    private static List<DeviceEntry> Sorted(List<DeviceEntry> devices, Func<DeviceEntry, long?> keyOf, bool isDown)
    {
        var keys = devices.ConvertAll(device => keyOf(device) is { } key ? isDown ? -key : key : long.MaxValue).ToArray();
        var order = Enumerable.Range(0, devices.Count).ToArray();
        Array.Sort(order, (a, b) => keys[a] != keys[b] ? keys[a].CompareTo(keys[b]) : a.CompareTo(b));
        return [.. order.Select(at => devices[at])];
    }

    private static Outcome<IReadOnlyList<FactRef>> Facts(string? columns)
    {
        var facts = new List<FactRef>();
        foreach (var name in (columns ?? "").Split(',', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries))
        {
            var isApp = name.StartsWith("app ", StringComparison.Ordinal);
            if (!isApp && FactCatalog.TypeOf(name) is null)
            {
                var near = Suggest.Nearest(name, FactCatalog.All.Keys);
                return new Failure(ErrorKind.Invalid, $"There is no fact '{name}'." + (near is null ? "" : $" Did you mean '{near}'?"));
            }

            if (facts.Count >= MostColumns)
            {
                return new Failure(ErrorKind.Invalid, $"A list has at most {MostColumns} columns besides its own.");
            }

            facts.Add(isApp ? new FactRef(name[4..].Trim('"'), true) : new FactRef(name, false));
        }

        return facts;
    }

    // One more than the page tells that there is another.
    private static Page<DeviceInfo> Cut(FleetWorld world, List<DeviceEntry> devices, int size, int count, IReadOnlyList<FactRef> facts) =>
        new([.. devices.Take(size).Select(device => FleetRoutes.Info(world, device, facts))], devices.Count > size ? devices[size - 1].Name : null, count);
}
