using System.Diagnostics;
using System.Globalization;
using Bandejo.Core.Fleet;
using Bandejo.Core.Rules;
using Bandejo.Core.Versions;

namespace Bandejo.Bench;

/// <summary>Rules over a fleet in columns, against databases with the best indexes we know of.</summary>
internal static class RuleBench
{
    private const int Apps = 200;
    private const int AppsEach = 40;

    /// <summary>How many of the 200 rules the databases are asked.</summary>
    private const int Sample = 10;

    private static readonly string[] Kinds = ["desk", "laptop", "kiosk", "studio", "server"];
    private static readonly string[] Versions = ["12.4", "12.3", "12.1", "11.9", "11.2"];

    public static async Task Run(Report report, int rows)
    {
        var before = GC.GetTotalMemory(forceFullCollection: true);
        var columns = Fill(rows);
        var bytes = (GC.GetTotalMemory(forceFullCollection: true) - before) / (double)rows;
        report.Add(
            $"memory for facts and software, {rows:N0} devices with 19 facts and {AppsEach} programs", "", $"{bytes:0} bytes a device", null, "under 800 bytes",
            bytes < 800);

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
        report.Add(
            "one rule of four conditions over 100,000 devices", "",
            $"{Report.Median(times) * 1000:0} µs median, {Report.Percentile(times, 0.99) * 1000:0} µs p99", null, "under 1 ms",
            Report.Percentile(times, 0.99) < 1);

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
        report.Add(
            "one check-in's effect on 500 rule groups", "",
            $"{Report.Median(effects) * 1000:0.0} µs median, {Report.Percentile(effects, 0.99) * 1000:0.0} µs p99", null, "under 20 µs",
            Report.Median(effects) * 1000 < 20);

        await AgainstDatabases(report, columns, rules, rows);
    }

    private static async Task AgainstDatabases(Report report, FleetColumns columns, List<Rule> rules, int rows)
    {
        await using var sqlite = new RuleSqlite();
        await using var postgres = RulePostgres.Start();
        RuleDatabase[] databases = postgres is null ? [sqlite] : [sqlite, postgres];
        foreach (var database in databases)
        {
            // Only the programs that the measured rules ask for: the others would cost minutes to write and nothing to skip.
            database.Fill(
                Enumerable.Range(0, rows)
                    .Select(
                        row => new[] { row, Chance(row, 1) % Kinds.Length, 4 << (Chance(row, 2) % 4), Versions.Length - (Chance(row, 3) % Versions.Length) }),
                Enumerable.Range(0, Sample)
                    .SelectMany(
                        app =>
                            Enumerable.Range(0, rows).Where(row => (row + app) % (Apps / AppsEach) == 0)
                                .Select(row => new[] { app, 1 + (Chance(row, 100 + app) % 8), row }).OrderBy(values => values[1]).ThenBy(values => values[2])));
        }

        var theirs = databases.ToDictionary(database => database, _ => new List<double>());
        List<double> ours = [];
        for (var round = 0; round < 3; round++)
        {
            // In turn: the same ten rules each, so that the databases' share of the time stays bearable; all are scaled to 200.
            foreach (var database in databases)
            {
                theirs[database].Add(Time(() =>
                {
                    for (var number = 0; number < Sample; number++)
                    {
                        database.Find(Sql(number));
                    }
                }) * rules.Count / Sample);
                for (var number = 0; number < 2; number++)
                {
                    var found = database.Find(Sql(number)).Order().ToList();
                    if (!found.SequenceEqual(columns.Evaluate(rules[number]).True.Rows()))
                    {
                        throw new InvalidOperationException(
                            $"{database.Name} and the columns answer rule {number} differently: {found.Count} and "
                                + $"{columns.Evaluate(rules[number]).True.Count()}.");
                    }
                }
            }

            ours.Add(Time(() =>
            {
                foreach (var rule in rules)
                {
                    columns.Evaluate(rule);
                }
            }));
        }

        var (limit, own) = (theirs.Values.Min(Report.Median), Report.Median(ours));
        var said = databases.Select(database => $"{database.Name} {Report.Median(theirs[database]) / 1000:0.00} s")
            .Append(postgres is null ? "PostgreSQL is not installed" : null).OfType<string>();
        report.Add(
            $"200 rules over {rows:N0} devices", $"{string.Join(", ", said)} (ten of them measured)", $"{own / 1000:0.000} s", limit / own, "at least 50 times",
            limit / own >= 50);
    }

    private static string RuleText(int number) => string.Create(CultureInfo.InvariantCulture,
        $"kind is \"{Kinds[number % Kinds.Length]}\" and memory >= {4 << (number % 3)} GiB and os.version >= \"{Versions[number % Versions.Length]}\" and "
            + $"app \"app-{number % Apps}\" < \"{2 + (number % 5)}.0\"");

    private static string Sql(int number) => string.Create(CultureInfo.InvariantCulture,
        $"SELECT d.id FROM program p JOIN device d ON d.id = p.device WHERE p.app = {number % Apps} AND p.version < {2 + (number % 5)} AND d.kind = "
            + $"{number % Kinds.Length} AND d.memory >= {4L << (number % 3)} AND d.os >= {Versions.Length - (number % Versions.Length)}");

    private static int Chance(int row, int about) => (int)((((uint)row * 2654435761u) ^ ((uint)about * 40503u) ^ (((uint)row + (uint)about) * 97u)) % 1000u);

    private static FleetColumns Fill(int rows)
    {
        var columns = new FleetColumns();
        var versions = Enumerable.Range(1, 8).Select(number => FactLookup.Of(FactValue.OfVersion(AppVersion.Parse($"{number}.0")))).ToArray();
        var systems = Versions.Select(version => FactLookup.Of(FactValue.OfVersion(AppVersion.Parse(version)))).ToArray();
        var kinds = Kinds.Select(kind => FactLookup.Of(FactValue.OfText(kind))).ToArray();
        var texts = Enumerable.Range(0, 64).Select(number => FactLookup.Of(FactValue.OfText($"value {number}"))).ToArray();
        var apps = Enumerable.Range(0, Apps).Select(app => new FactRef($"app-{app}", true)).ToArray();
        var named = FactCatalog.All.Where(fact => fact.Key is not ("kind" or "memory" or "os.version" or "name"))
            .Select(fact => (Fact: new FactRef(fact.Key, false), fact.Value.Type)).ToArray();
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

    /// <summary>Milliseconds that something takes.</summary>
    private static double Time(Action act)
    {
        var start = Stopwatch.GetTimestamp();
        act();
        return Stopwatch.GetElapsedTime(start).TotalMilliseconds;
    }
}
