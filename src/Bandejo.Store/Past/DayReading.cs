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
        var days = new List<(DateOnly Day, long Number)>();
        for (var day = from; day <= to; day = day.AddDays(1))
        {
            days.Add((day, MomentBefore(connection, new DateTimeOffset(day.AddDays(1), TimeOnly.MinValue, TimeSpan.Zero))));
        }

        var states = new List<DayStates>();
        foreach (var (deployment, book) in KeptTables.Rows(
            connection, "SELECT deployment, number FROM target_book WHERE deployment IS NOT NULL ORDER BY deployment",
            row => (row.GetString(0), row.GetInt64(1)))
                .ToList())
        {
            states.AddRange(Of(connection, deployment, book, days));
        }

        return states;
    }

    /// <summary>The last record of the log before a moment; 0 for none.</summary>
    public static long MomentBefore(DbConnection connection, DateTimeOffset at) => KeptTables.Rows(
        connection, "SELECT number FROM log WHERE at < @at ORDER BY at DESC, number DESC LIMIT 1", row => row.GetInt64(0),
        ("@at", at.UtcTicks)).SingleOrDefault();

    private static IEnumerable<DayStates> Of(DbConnection connection, string deployment, long book, IReadOnlyList<(DateOnly Day, long Number)> days)
    {
        var stood = new Steps<DeploymentState>(KeptTables.Rows(
            connection, "SELECT number, data FROM document_past WHERE kind = 'deployment' AND id = @deployment ORDER BY number",
            row => (row.GetInt64(0), KeptForms.Read<DeploymentState>(row.GetString(1))), ("@deployment", deployment)));
        foreach (var (day, number) in days)
        {
            if (stood.At(number) is not { Status: not DeploymentStatus.Ended } state)
            {
                continue;
            }

            var counted = KeptTables.Rows(
                connection, "SELECT body FROM count_past WHERE book = @book AND number <= @number ORDER BY number DESC LIMIT 1",
                row => PastReading.StatesOf(row.GetFieldValue<byte[]>(0)), ("@book", book), ("@number", number)).SingleOrDefault();
            if (counted is not null)
            {
                yield return new DayStates(day, deployment, state, counted);
            }
        }
    }

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
