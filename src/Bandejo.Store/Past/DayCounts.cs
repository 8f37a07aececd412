using Bandejo.Store.Databases;

namespace Bandejo.Store.Past;

/// <summary>Keeps how many there were at the end of each day: what lines over months are drawn of.</summary>
internal sealed class DayCounts(Statements statements)
{
    /// <summary>All devices, by their kinds.</summary>
    public const string Fleet = "fleet";

    private readonly Dictionary<(string Subject, string Part), long> _kept = [];
    private readonly Dictionary<(string Subject, string Part), int> _changed = [];

    /// <summary>Devices with a program, by its versions.</summary>
    public static string OfProgram(string name) => $"program {Core.Rules.FactCatalog.Slug(name)}";

    /// <summary>The day of a moment, in days since 1970 (UTC).</summary>
    public static long Day(DateTimeOffset at) => at.UtcTicks / TimeSpan.TicksPerDay - DateTimeOffset.UnixEpoch.UtcTicks / TimeSpan.TicksPerDay;

    /// <summary>There is one more, or one less.</summary>
    public void Add(string subject, string part, int by)
    {
        var of = (subject, part);
        _changed[of] = _changed.GetValueOrDefault(of) + by;
    }

    /// <summary>Writes how many there are now, for the day.</summary>
    public void Flush(DateTimeOffset at)
    {
        foreach (var ((subject, part), by) in _changed.Where(change => change.Value != 0))
        {
            var count = _kept[(subject, part)] = Kept(subject, part) + by;
            statements.Run(
                "INSERT INTO day_count VALUES ($1, $2, $3, $4) ON CONFLICT (subject, part, day) DO UPDATE SET count = excluded.count", subject, part, Day(at),
                count);
        }

        _changed.Clear();
    }

    private long Kept(string subject, string part) => _kept.TryGetValue((subject, part), out var count) ? count : statements.First(
        "SELECT count FROM day_count WHERE subject = $1 AND part = $2 ORDER BY day DESC LIMIT 1", row => row.Number(0), subject, part);
}
