using System.Data.Common;
using Bandejo.Core.World;
using Dapper;

namespace Bandejo.Store;

/// <summary>Finds events.</summary>
internal static class EventReading
{
    /// <summary>The events that are asked for.</summary>
    /// <param name="like">The database's word for a comparison that does not look at case.</param>
    public static IReadOnlyList<EventRecord> Of(DbConnection connection, EventQuery query, string like)
    {
        var where = new List<string>();
        var values = new DynamicParameters(new { query.Topic, query.Deployment, query.Device, query.By, query.After, query.Before, query.Limit });
        Add(query.Topic is not null, "topic = @Topic");

        // The index by topic leaves the many out; SQLite uses it only where the query says the same in the same words.
        Add(query.Topic is not (null or "target" or "device"), "topic NOT IN ('target', 'device')");
        Add(query.Deployment is not null, "deployment = @Deployment");
        Add(query.Device is not null, "device = (SELECT number FROM device_number WHERE id = @Device)");
        Add(query.By is not null, query.By?.Length == 0 ? "actor IS NULL" : "actor = @By");
        Add(query.After is not null, "number > @After");
        Add(query.Before is not null, "number < @Before");
        Bound(query.From, "number >= @first");
        Bound(query.To, "number < @first");
        for (var at = 0; at < query.Words.Count; at++)
        {
            values.Add($"word{at}", Pattern(query.Words[at]));
            where.Add($"(text {like} @word{at} ESCAPE '\\' OR coalesce(reason, '') {like} @word{at} ESCAPE '\\')");
        }

        if (query.What is not null || query.Deployments is not null)
        {
            var either = new List<string>();
            either.AddRange(OneOf("what", query.What));
            either.AddRange(OneOf("deployment", query.Deployments));
            for (var at = 0; at < query.Or.Count; at++)
            {
                values.Add($"or{at}", Pattern(query.Or[at]));
                either.Add($"text {like} @or{at} ESCAPE '\\'");
            }

            where.Add(either.Count == 0 ? "1 = 0" : $"({string.Join(" OR ", either)})");
        }

        var filter = where.Count == 0 ? "" : "WHERE " + string.Join(" AND ", where);
        var order = query.After is null ? "DESC" : "ASC";
        using var events = connection.ExecuteReader($"SELECT {KeptTables.EventColumns} FROM event {filter} ORDER BY number {order} LIMIT @Limit", values);
        var found = new List<EventRecord>();
        while (events.Read())
        {
            found.Add(KeptTables.Event(events));
        }

        return found;

        IEnumerable<string> OneOf(string column, IReadOnlyList<string>? words)
        {
            for (var at = 0; at < words?.Count; at++)
            {
                values.Add($"{column}{at}", words[at]);
            }

            return words is { Count: > 0 } ? [$"{column} IN ({string.Join(", ", words.Select((_, at) => $"@{column}{at}"))})"] : [];
        }

        void Add(bool isAsked, string condition)
        {
            if (isAsked)
            {
                where.Add(condition);
            }
        }

        void Bound(DateTimeOffset? at, string condition)
        {
            if (at is { } moment)
            {
                var name = $"first{where.Count}";
                values.Add(name, FirstAt(connection, moment));
                where.Add(condition.Replace("@first", "@" + name, StringComparison.Ordinal));
            }
        }
    }

    /// <summary>The number of the first event that is not before a moment. Numbers rise with time, so it is found by halving, without an index.</summary>
    public static long FirstAt(DbConnection connection, DateTimeOffset at)
    {
        var (low, high) = (0L, connection.ExecuteScalar<long?>("SELECT max(number) FROM event") ?? 0);
        var moment = at.ToUnixTimeMilliseconds();
        while (low < high)
        {
            var middle = low + ((high - low) / 2);
            var next = KeptTables.Rows(
                connection, "SELECT number, at FROM event WHERE number > @middle ORDER BY number LIMIT 1", row => (row.GetInt64(0), row.GetInt64(1)),
                ("@middle", middle)).SingleOrDefault();
            if (next.Item1 == 0 || next.Item2 >= moment)
            {
                high = middle;
            }
            else
            {
                low = next.Item1;
            }
        }

        return low + 1;
    }

    private static string Pattern(string words) =>
        $"%{words.Replace(@"\", @"\\", StringComparison.Ordinal).Replace("%", @"\%", StringComparison.Ordinal).Replace("_", @"\_", StringComparison.Ordinal)}%";
}
