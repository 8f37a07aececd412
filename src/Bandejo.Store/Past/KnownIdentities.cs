using System.Data.Common;

namespace Bandejo.Store.Past;

/// <summary>The identities of all devices that ever were, by their numbers. They never change, so only those that came since are read.</summary>
internal sealed class KnownIdentities
{
    private readonly Lock _adding = new();
    private volatile Known _known = new([], 0);

    /// <summary>All of them; what is given out is not changed later.</summary>
    public IReadOnlyDictionary<int, string> All(DbConnection connection)
    {
        lock (_adding)
        {
            var (known, last) = _known;
            var more = KeptTables.Rows(
                connection, "SELECT number, id FROM device_number WHERE number > @last ORDER BY number", row => ((int)row.GetInt64(0), row.GetString(1)),
                ("@last", (long)last)).ToList();
            if (more.Count > 0)
            {
                var all = new Dictionary<int, string>(known);
                more.ForEach(each => all[each.Item1] = each.Item2);
                _known = new Known(all, more[^1].Item1);
            }

            return _known.Identities;
        }
    }

    private sealed record Known(Dictionary<int, string> Identities, int Last);
}
