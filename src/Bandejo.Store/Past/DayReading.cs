using System.Data.Common;
using Bandejo.Core.Deployments;

namespace Bandejo.Store.Past;

/// <summary>Reads how it stood at the end of each day.</summary>
internal static class DayReading
{
    /// <summary>What <see cref="DayCounts"/> kept of a subject: each change between two days, and before them how many there were.</summary>
    public static IReadOnlyList<DayCount> Counts(DbConnection connection, string subject, DateOnly from, DateOnly to)
    {
        const string Known = "SELECT part, day, count FROM day_count WHERE subject = @subject AND day >= @from AND day <= @to";
        const string Before = "SELECT part, day, count FROM day_count AS d WHERE subject = @subject AND day = (SELECT max(day) FROM day_count AS x WHERE "
            + "x.subject = @subject AND x.part = d.part AND x.day < @from)";
        return [.. KeptTables.Rows(
            connection, $"SELECT * FROM ({Before} UNION ALL {Known}) AS days ORDER BY day, part",
            row => new DayCount(Date(row.GetInt64(1)), row.GetString(0), (int)row.GetInt64(2)), ("@subject", subject), ("@from", Number(from)),
            ("@to", Number(to)))];
    }

    /// <summary>Where each deployment stood at the end of each day, that had begun and was not over.</summary>
    public static IReadOnlyList<DayStates> States(DbConnection connection, DateOnly from, DateOnly to)
    {
        var days = Ends(connection, from, to);
        var stood = KeptTables.Rows(
            connection, "SELECT id, number, data FROM document_past WHERE kind = 'deployment' ORDER BY id, number",
            row => (Id: row.GetString(0), Number: row.GetInt64(1), State: KeptForms.Read<DeploymentState>(row.GetString(2)))).GroupBy(
                row => row.Id, row => (row.Number, row.State)).ToDictionary(each => each.Key, each => new Steps<DeploymentState>(each), StringComparer.Ordinal);
        var wanted = new List<(DayStates Day, (long Book, long Number) Of)>();
        foreach (var (deployment, book) in KeptTables.Books(connection).OrderBy(each => each.Key, StringComparer.Ordinal))
        {
            foreach (var (day, number) in days)
            {
                if (stood.GetValueOrDefault(deployment)?.At(number) is { Status: not DeploymentStatus.Ended } state)
                {
                    wanted.Add((new DayStates(day, deployment, state, []), (book, number)));
                }
            }
        }

        var counted = Counts(connection, wanted.Select(each => each.Of).Distinct());
        return [.. wanted.Where(each => counted.ContainsKey(each.Of)).Select(each => each.Day with { States = counted[each.Of] })];
    }

    /// <summary>The last record of the log before a moment; 0 for none.</summary>
    public static long MomentBefore(DbConnection connection, DateTimeOffset at) => KeptTables.Rows(
        connection, "SELECT number FROM log WHERE at < @at ORDER BY at DESC, number DESC LIMIT 1", row => row.GetInt64(0),
        ("@at", at.UtcTicks)).SingleOrDefault();

    /// <summary>The last records before the ends of days; 0 for none.</summary>
    private static IReadOnlyList<(DateOnly Day, long Number)> Ends(DbConnection connection, DateOnly from, DateOnly to)
    {
        var days = Enumerable.Range(from.DayNumber, Math.Max(to.DayNumber - from.DayNumber + 1, 0)).Select(DateOnly.FromDayNumber).ToDictionary(
            day => new DateTimeOffset(day.AddDays(1), TimeOnly.MinValue, TimeSpan.Zero).UtcTicks);
        return [.. days.Keys.Chunk(KeptTables.ListedAtOnce).SelectMany(some => KeptTables.Rows(
            connection,
            $"WITH d(until) AS (VALUES {KeptTables.Listed(some)}) "
                + "SELECT d.until, (SELECT number FROM log WHERE at < d.until ORDER BY at DESC, number DESC LIMIT 1) FROM d",
            row => (days[row.GetInt64(0)], row.IsDBNull(1) ? 0 : row.GetInt64(1)))).OrderBy(each => each.Item1)];
    }

    /// <summary>How many targets of books were in each state after records; without those of which nothing is kept.</summary>
    private static Dictionary<(long Book, long Number), int[]> Counts(DbConnection connection, IEnumerable<(long Book, long Number)> of) =>
        of.Chunk(KeptTables.ListedAtOnce).SelectMany(some => KeptTables.Rows(
            connection,
            $"""
            WITH w(book, number) AS (VALUES {KeptTables.Listed(some)})
            SELECT w.book, w.number, (SELECT c.body FROM count_past AS c WHERE c.book = w.book AND c.number <= w.number ORDER BY c.number DESC LIMIT 1) FROM w
            """,
            row => (Of: (row.GetInt64(0), row.GetInt64(1)), Body: row.IsDBNull(2) ? null : row.GetFieldValue<byte[]>(2))))
        .Where(row => row.Body is not null).ToDictionary(row => row.Of, row => PastReading.StatesOf(row.Body!));

    private static long Number(DateOnly day) => day.DayNumber - DateOnly.FromDateTime(DateTime.UnixEpoch).DayNumber;

    private static DateOnly Date(long number) => DateOnly.FromDateTime(DateTime.UnixEpoch).AddDays((int)number);

    /// <summary>What stood when, in the order of records.</summary>
    private sealed class Steps<T>(IEnumerable<(long Number, T Value)> steps)
        where T : class
    {
        private readonly List<(long Number, T Value)> _steps = [.. steps];
        private int _next;

        /// <summary>What stood after a record; asked in rising order.</summary>
        public T? At(long number)
        {
            while (_next < _steps.Count && _steps[_next].Number <= number)
            {
                _next++;
            }

            return _next == 0 ? null : _steps[_next - 1].Value;
        }
    }
}
