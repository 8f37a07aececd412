using Bandejo.Store.Databases;
using Bandejo.Store.Forms;
using Google.Protobuf;

namespace Bandejo.Store.Past;

/// <summary>Keeps who was in which group. That a device is gone, its own rows say.</summary>
internal sealed class PastMemberships(Statements statements)
{
    /// <summary>After how many moves all members are told again; in a group that had more than these, after as many as it had.</summary>
    private const int Least = 256;

    private readonly Dictionary<string, Group> _groups = new(StringComparer.Ordinal);
    private readonly HashSet<Group> _changed = [];

    /// <summary>Notes that a device came into a group, or left it.</summary>
    public void Moved(string group, long device, bool isIn)
    {
        var of = Of(group);
        of.Moves[device] = isIn;
        _changed.Add(of);
    }

    /// <summary>Notes that nobody is in a group any more: it is gone.</summary>
    public void Emptied(string group)
    {
        var of = Of(group);
        (of.Moves, of.IsEmptied) = ([], true);
        _changed.Add(of);
    }

    /// <summary>Writes what changed.</summary>
    public void Flush(LogMoment moment)
    {
        foreach (var group in _changed)
        {
            var isAll = group.IsEmptied || group.Base == 0 || group.Told + group.Moves.Count > Math.Max(Least, group.AtBase);
            var into = group.Moves.Where(move => move.Value).Select(move => move.Key);
            var form = new KeptMembers();
            if (isAll)
            {
                var members = group.IsEmptied ? [] : Members(group.Slug, group.Base);
                members.ExceptWith(group.Moves.Keys);
                members.UnionWith(into);
                form.Into.Add(members);
                (group.Base, group.Told, group.AtBase) = (moment.Number, 0, members.Count);
            }
            else
            {
                form.Into.Add(into);
                form.OutOf.Add(group.Moves.Where(move => !move.Value).Select(move => move.Key));
                group.Told += group.Moves.Count;
            }

            statements.Add("member_past", group.Slug, moment.Number, group.Base, moment.At.UtcTicks, form.ToByteArray());
            (group.Moves, group.IsEmptied) = ([], false);
        }

        _changed.Clear();
    }

    private Group Of(string slug)
    {
        if (!_groups.TryGetValue(slug, out var group))
        {
            _groups[slug] = group = new Group(slug)
            {
                Base = statements.First("SELECT base FROM member_past WHERE device_group = $1 ORDER BY number DESC LIMIT 1", row => row.Number(0), slug),
            };
            foreach (var (isAll, form) in Rows(slug, group.Base))
            {
                group.AtBase = isAll ? form.Into.Count : group.AtBase;
                group.Told += isAll ? 0 : form.Into.Count + form.OutOf.Count;
            }
        }

        return group;
    }

    private SortedSet<long> Members(string slug, long first)
    {
        var members = new SortedSet<long>();
        foreach (var (_, form) in Rows(slug, first))
        {
            members.UnionWith(form.Into);
            members.ExceptWith(form.OutOf);
        }

        return members;
    }

    /// <summary>The rows from one that says all on.</summary>
    private IEnumerable<(bool IsAll, KeptMembers Form)> Rows(string slug, long first)
    {
        for (var number = first; number != 0;)
        {
            var (at, form) = statements.First(
                "SELECT number, body FROM member_past WHERE device_group = $1 AND number >= $2 ORDER BY number LIMIT 1",
                row => (row.Number(0), KeptMembers.Parser.ParseFrom(row.Bytes(1))), slug, number);
            if (at == 0)
            {
                break;
            }

            yield return (at == first, form!);
            number = at + 1;
        }
    }

    /// <summary>How a group's rows stand.</summary>
    private sealed class Group(string slug)
    {
        public string Slug { get; } = slug;

        /// <summary>The last row that says all; 0 for none.</summary>
        public long Base { get; set; }

        /// <summary>How many it says.</summary>
        public int AtBase { get; set; }

        /// <summary>How many moves the rows after it say.</summary>
        public int Told { get; set; }

        public SortedDictionary<long, bool> Moves { get; set; } = [];

        public bool IsEmptied { get; set; }
    }
}
