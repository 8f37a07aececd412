using System.Diagnostics;
using System.Globalization;
using Bandejo.Core.Fleet;
using Bandejo.Core.Rules;
using Bandejo.Core.Versions;
using Dapper;
using Microsoft.Data.Sqlite;

namespace Bandejo.Bench;

/// <summary>Rules over a fleet in columns, against SQLite with the best indexes we know of.</summary>
internal static class RuleBench
{
    private const int Apps = 200;
    private const int AppsEach = 40;

    private static readonly string[] Kinds = ["desk", "laptop", "kiosk", "studio", "server"];
    private static readonly string[] Versions = ["12.4", "12.3", "12.1", "11.9", "11.2"];

    public static async Task Run(Report report, int rows)
    {
        var before = GC.GetTotalMemory(forceFullCollection: true);
        var columns = Fill(rows);
        var bytes = (GC.GetTotalMemory(forceFullCollection: true) - before) / (double)rows;
        report.Add($"memory for facts and software, {rows:N0} devices with 19 facts and {AppsEach} programs", "", $"{bytes:0} bytes a device", null, "under 800 bytes", bytes < 800);

        var rules = Enumerable.Range(0, 200).Select(number => Rule.Parse(RuleText(number)).Value).ToList();
        var one = rules[0];
        var few = Fill(100_000);
        for (var warm = 0; warm < 500; warm++)
        {
            few.Evaluate(one);
        }

        // Code that runs often is compiled again in the background; what is measured is what a service that has run for a minute does.
        await Task.Delay(TimeSpan.FromSeconds(1));
        var times = Enumerable.Range(0, 200).Select(_ => Time(() => few.Evaluate(one))).ToList();
        report.Add("one rule of four conditions over 100,000 devices", "", $"{Report.Median(times) * 1000:0} µs median, {Report.Percentile(times, 0.99) * 1000:0} µs p99", null, "under 1 ms", Report.Percentile(times, 0.99) < 1);

        var compiled = Enumerable.Range(0, 500).Select(number => few.Compile(Rule.Parse(RuleText(number)).Value)).ToList();
        var kind = new FactRef("kind", false);
        var effects = Enumerable.Range(0, 20_000).Select(turn => Time(() =>
        {
            few.Set(turn, kind, FactLookup.Of(FactValue.OfText(Kinds[turn % Kinds.Length])));
            foreach (var rule in compiled)
            {
                rule.At(turn);
            }
        })).ToList();
        report.Add("one check-in's effect on 500 rule groups", "", $"{Report.Median(effects) * 1000:0.0} µs median, {Report.Percentile(effects, 0.99) * 1000:0.0} µs p99", null, "under 20 µs", Report.Median(effects) * 1000 < 20);

        await AgainstSqlite(report, columns, rules, rows);
    }

    private static async Task AgainstSqlite(Report report, FleetColumns columns, List<Rule> rules, int rows)
    {
        var file = Path.Combine(Path.GetTempPath(), $"bandejo-bench-{Environment.ProcessId}.db");
        try
        {
            await using var connection = new SqliteConnection($"Data Source={file};Pooling=False");
            connection.Open();
            FillSqlite(connection, rows);
            List<double> theirs = [], ours = [];
            const int Sample = 10;
            for (var round = 0; round < 3; round++)
            {
                // A B A B: the same ten rules each, so that SQLite's share of the time stays bearable; both are scaled to 200.
                theirs.Add(Time(() =>
                {
                    for (var number = 0; number < Sample; number++)
                    {
                        connection.Query<int>(Sql(number)).AsList();
                    }
                }) * rules.Count / Sample);
                ours.Add(Time(() =>
                {
                    foreach (var rule in rules)
                    {
                        columns.Evaluate(rule);
                    }
                }));
                for (var number = 0; number < 2; number++)
                {
                    var found = connection.Query<int>(Sql(number)).Order().ToList();
                    if (!found.SequenceEqual(columns.Evaluate(rules[number]).True.Rows()))
                    {
                        throw new InvalidOperationException($"SQLite and the columns answer rule {number} differently: {found.Count} and {columns.Evaluate(rules[number]).True.Count()}.");
                    }
                }
            }

            var (limit, own) = (Report.Median(theirs), Report.Median(ours));
            report.Add($"200 rules over {rows:N0} devices", $"SQLite {limit / 1000:0.00} s (ten of them measured)", $"{own / 1000:0.000} s", limit / own, "at least 50 times", limit / own >= 50);
        }
        finally
        {
            File.Delete(file);
        }
    }

    private static string RuleText(int number) => string.Create(CultureInfo.InvariantCulture,
        $"kind is \"{Kinds[number % Kinds.Length]}\" and memory >= {4 << (number % 3)} GiB and os.version >= \"{Versions[number % Versions.Length]}\" and app \"app-{number % Apps}\" < \"{2 + (number % 5)}.0\"");

    private static string Sql(int number) => string.Create(CultureInfo.InvariantCulture,
        $"SELECT d.id FROM program p JOIN device d ON d.id = p.device WHERE p.app = {number % Apps} AND p.version < {2 + (number % 5)} AND d.kind = {number % Kinds.Length} AND d.memory >= {4L << (number % 3)} AND d.os >= {Versions.Length - (number % Versions.Length)}");

    private static int Chance(int row, int about) => (int)((((uint)row * 2654435761u) ^ ((uint)about * 40503u) ^ (((uint)row + (uint)about) * 97u)) % 1000u);

    private static FleetColumns Fill(int rows)
    {
        var columns = new FleetColumns();
        var versions = Enumerable.Range(1, 8).Select(number => FactLookup.Of(FactValue.OfVersion(AppVersion.Parse($"{number}.0")))).ToArray();
        var systems = Versions.Select(version => FactLookup.Of(FactValue.OfVersion(AppVersion.Parse(version)))).ToArray();
        var kinds = Kinds.Select(kind => FactLookup.Of(FactValue.OfText(kind))).ToArray();
        var texts = Enumerable.Range(0, 64).Select(number => FactLookup.Of(FactValue.OfText($"value {number}"))).ToArray();
        var apps = Enumerable.Range(0, Apps).Select(app => new FactRef($"app-{app}", true)).ToArray();
        var named = FactCatalog.All.Where(fact => fact.Key is not ("kind" or "memory" or "os.version" or "name")).Select(fact => (Fact: new FactRef(fact.Key, false), fact.Value.Type)).ToArray();
        var (kind, memory, system) = (new FactRef("kind", false), new FactRef("memory", false), new FactRef("os.version", false));
        for (var row = 0; row < rows; row++)
        {
            columns.Add();
            columns.SetInventoryComplete(row, true);
        }

        // By fact and not by device: the columns are what is measured, not how they are filled.
        for (var row = 0; row < rows; row++)
        {
            columns.Set(row, kind, kinds[Chance(row, 1) % Kinds.Length]);
            columns.Set(row, memory, FactLookup.Of(FactValue.OfSize((4L << (Chance(row, 2) % 4)) * 1024d * 1024 * 1024)));
            columns.Set(row, system, systems[Chance(row, 3) % Versions.Length]);
            foreach (var (fact, type) in named)
            {
                var value = type switch
                {
                    FactType.Text => texts[Chance(row, fact.Name.Length) % texts.Length],
                    FactType.Number => FactLookup.Of(FactValue.OfNumber(2 << (Chance(row, 4) % 4))),
                    FactType.Size => FactLookup.Of(FactValue.OfSize(Chance(row, 5) * 1e9)),
                    FactType.Duration => FactLookup.Of(FactValue.OfDuration(TimeSpan.FromHours(Chance(row, 6)))),
                    FactType.Date => FactLookup.Of(FactValue.OfDate(new DateOnly(2026, 1, 1).AddDays(Chance(row, 7) % 300))),
                    FactType.YesNo => FactLookup.Of(FactValue.OfYesNo(Chance(row, 8) > 500)),
                    FactType.Version => systems[Chance(row, 9) % Versions.Length],
                    _ => FactLookup.Of(FactValue.OfSet([$"role {Chance(row, 10) % 8}"])),
                };
                columns.Set(row, fact, value);
            }
        }

        for (var app = 0; app < Apps; app++)
        {
            for (var row = 0; row < rows; row++)
            {
                if ((row + app) % (Apps / AppsEach) == 0)
                {
                    columns.Set(row, apps[app], versions[Chance(row, 100 + app) % versions.Length]);
                }
            }
        }

        return columns;
    }

    private static void FillSqlite(SqliteConnection connection, int rows)
    {
        connection.Execute("PRAGMA journal_mode = OFF; PRAGMA synchronous = OFF; PRAGMA cache_size = -1500000; CREATE TABLE device (id INTEGER PRIMARY KEY, kind INTEGER, memory INTEGER, os INTEGER); CREATE TABLE program (app INTEGER, version INTEGER, device INTEGER, PRIMARY KEY (app, version, device)) WITHOUT ROWID");
        using var transaction = connection.BeginTransaction();
        Insert("INSERT INTO device VALUES ($1, $2, $3, $4)", Enumerable.Range(0, rows).Select(row => new long[] { row, Chance(row, 1) % Kinds.Length, 4L << (Chance(row, 2) % 4), Versions.Length - (Chance(row, 3) % Versions.Length) }));

        // Only the programs that the measured rules ask for: the others would cost minutes to write and nothing to skip.
        Insert("INSERT INTO program VALUES ($1, $2, $3)", Enumerable.Range(0, 10).SelectMany(app => Enumerable.Range(0, rows).Where(row => (row + app) % (Apps / AppsEach) == 0).Select(row => new long[] { app, 1 + (Chance(row, 100 + app) % 8), row }).OrderBy(values => values[1]).ThenBy(values => values[2])));
        transaction.Commit();
        connection.Execute("CREATE INDEX device_by_kind ON device (kind, memory, os); ANALYZE");

        void Insert(string sql, IEnumerable<long[]> all)
        {
            using var command = connection.CreateCommand();
            command.CommandText = sql;
            command.Transaction = transaction;
            foreach (var values in all)
            {
                while (command.Parameters.Count < values.Length)
                {
                    command.Parameters.AddWithValue($"${command.Parameters.Count + 1}", 0L);
                }

                for (var i = 0; i < values.Length; i++)
                {
                    command.Parameters[i].Value = values[i];
                }

                command.ExecuteNonQuery();
            }
        }
    }

    /// <summary>Milliseconds that something takes.</summary>
    private static double Time(Action act)
    {
        var start = Stopwatch.GetTimestamp();
        act();
        return Stopwatch.GetElapsedTime(start).TotalMilliseconds;
    }
}
