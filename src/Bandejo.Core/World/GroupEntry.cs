using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.Rules;

namespace Bandejo.Core.World;

/// <summary>A group in the world with the devices that are in it.</summary>
public sealed class GroupEntry
{
    private RowRule? _compiled;
    private HashSet<string>? _apps;
    private GroupEntry? _still;

    internal GroupEntry(GroupRecord record, Bitmap isIn, Bitmap notKnown)
    {
        (Record, In, NotKnown) = (record, isIn, notKnown);
        Rule = record.Rule is null ? null : Rule.OfKept(record.Rule);
        (Calendars, Fetch) = (CalendarsOf(record), FetchOf(record));
    }

    private GroupEntry(GroupEntry moving) =>
        (Record, Rule, In, NotKnown, Calendars, Fetch, _still) = (
            moving.Record, moving.Rule, moving.In.Still(), moving.NotKnown.Still(), moving.Calendars, moving.Fetch, this);

    public GroupRecord Record { get; private set; }

    /// <summary>Null for a listed group.</summary>
    public Rule? Rule { get; private set; }

    /// <summary>The calendars that rule its devices, by their short names.</summary>
    public IReadOnlyList<string> Calendars { get; private set; }

    /// <summary>How its devices fetch files; null for nothing said.</summary>
    public FetchRule? Fetch { get; private set; }

    /// <summary>Whether what its devices are told depends on it.</summary>
    internal bool IsRuling => Calendars.Count > 0 || Fetch is not null;

    /// <summary>The rows that are certainly in it. To be read only.</summary>
    public Bitmap In { get; private set; }

    /// <summary>The rows for which its rule is not known yet. To be read only.</summary>
    public Bitmap NotKnown { get; private set; }

    /// <summary>The calendars of a group as it is kept, by their short names.</summary>
    public static IReadOnlyList<string> CalendarsOf(GroupRecord record) => record.Calendars.Split(' ', StringSplitOptions.RemoveEmptyEntries);

    // What is kept was read when it was said.
    private static FetchRule? FetchOf(GroupRecord record) =>
        record.Fetch is not null && FetchRule.Parse(record.Fetch) is { Ok: true, Value: var rule } ? rule : null;

    /// <summary>What an event is called by which a device comes into a group, or leaves it.</summary>
    public static string MoveWord(string slug, bool isIn) => $"{(isIn ? "into" : "out-of")} {slug}";

    /// <summary>Whether its rule asks about an app.</summary>
    public bool AsksAbout(string app) => (_apps ??= [.. Rule?.Facts().Where(fact => fact.IsApp).Select(fact => fact.Name) ?? []]).Contains(app);

    internal GroupEntry Still() => _still ??= new GroupEntry(this);

    /// <summary>Takes over what is kept of it, and what its rule says where that is another.</summary>
    internal void Become(GroupRecord record, FleetColumns columns)
    {
        if (record.Rule != Record.Rule)
        {
            (Rule, _compiled, _apps) = (record.Rule is null ? null : Rule.OfKept(record.Rule), null, null);
        }

        (Record, Calendars, Fetch) = (record, CalendarsOf(record), FetchOf(record));
        _still = null;
        Judge(columns);
    }

    /// <summary>Works out which devices its rule holds for.</summary>
    internal void Judge(FleetColumns columns)
    {
        if (Rule is not null)
        {
            (In, NotKnown) = columns.Evaluate(Rule);
            _still = null;
        }
    }

    /// <summary>Works out whether its rule holds for one device.</summary>
    internal void Judge(FleetColumns columns, int row)
    {
        if (Rule is null)
        {
            return;
        }

        var truth = (_compiled ??= columns.Compile(Rule)).At(row);
        Put(row, truth == Truth.True, truth == Truth.NotKnown);
    }

    /// <summary>Says whether a device is in it.</summary>
    internal void Put(int row, bool isIn, bool isNotKnown)
    {
        if (In[row] != isIn || NotKnown[row] != isNotKnown)
        {
            In[row] = isIn;
            NotKnown[row] = isNotKnown;
            _still = null;
        }
    }
}
