using System.Diagnostics;
using System.Globalization;
using Bandejo.Core;
using Bandejo.Core.Catalogue;
using Bandejo.Core.CheckIns;
using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.Packages;
using Bandejo.Core.Rollouts;
using Bandejo.Core.Rules;
using Bandejo.Core.Site;
using Bandejo.Core.World;

namespace Bandejo.Bench;

/// <summary>What decisions cost in a large fleet with many deployments: by themselves, without network and disk.</summary>
internal static class WorldBench
{
    private const int Programs = 40;
    private const int Started = 40;

    private static readonly string[] Kinds = ["laptop", "desktop", "kiosk", "server"];
    private static readonly string[] Clocks = ["Europe/Lisbon", "America/Sao_Paulo", "Asia/Kathmandu", "Australia/Lord_Howe"];
    private static readonly DateTimeOffset Morning = new(2031, 3, 3, 8, 0, 0, TimeSpan.Zero);

    public static Task Run(Report report, int devices)
    {
        var bench = new Bench();
        var empty = Memory();
        bench.Enrol(devices);
        var fleet = Memory();
        var starts = new List<double>();
        for (var i = 0; i < Started; i++)
        {
            starts.Add(bench.Start(i));
        }

        var waiting = Memory();
        var targets = bench.World.Deployments.Values.Sum(deployment => (long)deployment.Targets.Count);
        report.Add($"World: {devices:N0} devices", "", Mib(fleet - empty));
        var each = (waiting - fleet) / (double)targets;
        report.Add($"World: a target that waits, {Started} deployments over {devices:N0} devices", "", $"{each:0} bytes", null, "under 64 bytes", each < 64);
        report.Add($"World: the process with them", "", Mib(waiting), null, "under 1.2 GiB", waiting < 1.2 * 1024 * 1024 * 1024);

        bench.Meet(0);
        bench.Meet(1);
        var met = (Memory() - waiting) / (double)(devices * 2);
        report.Add("World: what a target takes more once it is met", "", $"{met:0} bytes", null, "under 64 bytes with the rest", each + met < 64);

        var (whole, longest) = bench.StartOneMore();
        report.Add(
            $"World: starting one more", "", $"{whole:0} ms, the longest that others wait {longest:0.0} ms", null, "under 1 s, 20 ms",
            whole < 1000 && longest < 20);
        var (checkIn, worst) = bench.CheckInWithFacts();
        report.Add("World: a check-in with changed facts", "", $"{checkIn:0} µs (the worst of 1,000: {worst:0} µs)", null, "under 100 µs", checkIn < 100);
        var look = bench.LookAtAll();
        report.Add($"World: a look at {bench.World.Active.Count} deployments", "", $"{look:0.0} ms", null, "50 under 100 ms", look < 100);
        var (still, after) = bench.StandStill();
        report.Add("World: giving readers what stands still", "", $"{still * 1000:0} µs; the check-in after it {after * 1000:0} µs");
        var (month, openings, asked) = bench.MonthOfCalendars();
        report.Add(
            $"World: a month of openings, {devices:N0} devices in 40 groups with 20 calendars and 4 zones", "",
            $"{month:0.00} s for {openings:N0} openings; one asked anew {asked * 1000:0} µs", null, "under 5 s", month < 5);
        return Task.CompletedTask;
    }

    private static long Memory() => GC.GetTotalMemory(forceFullCollection: true);

    private static string Mib(long bytes) => $"{bytes / 1024.0 / 1024:0} MiB";

    private sealed class Bench
    {
        private readonly List<Change> _changes = [];
        private DateTimeOffset _now = Morning;
        private int _ids;
        private double _longest;

        public FleetWorld World { get; } = new(new WordBook(), TimeSpan.FromMinutes(5), ContentsOf);

        public void Enrol(int devices)
        {
            Decide(decision => Core.Site.Accounts.AddFirst(decision, "hash"));
            Decide(decision => Groups.Add(decision, "all", "", "kind is known", false));
            Decide(decision => JoinCodes.Add(decision, "code", null, 10_000, 720));
            Decide(decision => Groups.Add(decision, "listed", "", null, false));
            for (var row = 0; row < devices; row++)
            {
                var id = NewId();
                World.Apply(new PutDevice(new DeviceRecord(
                    id, $"DESK-{row:000000}", new KeyRecord(id, "x", "y"), "code", _now, _now, 1, "", FactSheet.Empty, true)));
                Decide(decision =>
                {
                    FactIntake.Take(decision, World.Devices[id], "first", Facts(row, 0));
                    return (Outcome<bool>)true;
                });
            }
        }

        public double Start(int number)
        {
            var digest = $"{number:x8}{new string('0', 56)}";
            var record = new PackageRecord(digest, $"app-{number}", "2.0", $"App {number}", "signed", "sealed", "", default, PackageState.Built, []);
            Decide(decision => PackageLives.TakeIn(decision, record, ContentsOf(record), null));
            Decide(decision => PackageLives.Move(decision, digest, PackageEvent.ReleaseAsked, new Releaser(true, false), "because"));
            var began = Stopwatch.GetTimestamp();
            World.Now = _now;
            var prepared = Starting.Prepare(World.Still(), Ask(digest), "root-admin", ask => ask.Package).Value;

            // As the service does: what its targets are is written down before others wait.
            prepared.KeptAhead = number;
            _longest = 0;
            Timed(decision => Starting.Begin(decision, prepared));
            while (Timed(Due.Take))
            {
            }

            return Stopwatch.GetElapsedTime(began).TotalMilliseconds;
        }

        public (double Whole, double Longest) StartOneMore() => (Start(Started), _longest);

        private T Timed<T>(Func<Decision, Outcome<T>> command)
        {
            var began = Stopwatch.GetTimestamp();
            var decided = World.Decide("root-admin", _now, NewId, _changes, command).Value;
            _longest = Math.Max(_longest, Stopwatch.GetElapsedTime(began).TotalMilliseconds);
            _changes.Clear();
            return decided;
        }

        /// <summary>All devices prove that they have what a deployment wants.</summary>
        public void Meet(int number)
        {
            var deployment = World.Deployments.Values.ElementAt(number);
            foreach (var device in World.Devices.Values)
            {
                _now += TimeSpan.FromTicks(100);
                var told = new CheckInTold
                {
                    Sequence = 2 + number, FactsDigest = "first", Proofs = [new ProofTold(deployment.Id, "present", $"App {number} 2.0 is installed")],
                };
                Decide(decision => CheckIn.Take(decision, device.Id, told, ToldBefore.Nothing));
            }
        }

        public (double Usual, double Worst) CheckInWithFacts()
        {
            var took = new List<double>();
            for (var i = 0; i < 1000; i++)
            {
                var device = World.Devices.At(i * 97 % World.Devices.Count);
                var told = new CheckInTold { Sequence = 100 + i, FactsDigest = NewId(), Facts = Facts(device.Row, i + 1) };
                var began = Stopwatch.GetTimestamp();
                Decide(decision => CheckIn.Take(decision, device.Id, told, ToldBefore.Nothing));
                took.Add(Stopwatch.GetElapsedTime(began).TotalMicroseconds);
            }

            return (Report.Median(took), took.Max());
        }

        public double LookAtAll()
        {
            var took = new List<double>();
            for (var i = 0; i < 5; i++)
            {
                var began = Stopwatch.GetTimestamp();
                Decide(decision =>
                {
                    foreach (var deployment in World.Active)
                    {
                        Looking.Look(decision, deployment);
                    }

                    return (Outcome<bool>)true;
                });
                took.Add(Stopwatch.GetElapsedTime(began).TotalMilliseconds);
            }

            return Report.Median(took);
        }

        public (double Still, double After) StandStill()
        {
            var (still, after) = (new List<double>(), new List<double>());
            for (var i = 0; i < 200; i++)
            {
                var began = Stopwatch.GetTimestamp();
                _ = World.Still();
                still.Add(Stopwatch.GetElapsedTime(began).TotalMilliseconds);
                var device = World.Devices.At(i * 97 % World.Devices.Count);
                var told = new CheckInTold { Sequence = 2000 + i, FactsDigest = NewId(), Facts = Facts(device.Row, i + 1) };
                began = Stopwatch.GetTimestamp();
                Decide(decision => CheckIn.Take(decision, device.Id, told, ToldBefore.Nothing));
                after.Add(Stopwatch.GetElapsedTime(began).TotalMilliseconds);
            }

            return (Report.Median(still), Report.Median(after));
        }

        /// <summary>When each device may be changed within a month, by calendars that were just made.</summary>
        public (double Seconds, long Openings, double AskedMilliseconds) MonthOfCalendars()
        {
            for (var number = 0; number < 20; number++)
            {
                var slug = $"calendar-{number}";
                var when = number % 5 == 0 ? "2031-03-10 to 2031-03-12" : $"Mon-Fri {18 + (number % 5)}:00-{20 + (number % 3)}:30; third Saturday 22:00 for 6h";
                Decide(decision => Calendars.Keep(decision, (_, _) => null, slug, new CalendarAsk(null, number % 5 == 0, when, number % 2 == 0 ? "UTC" : null, null)));
            }

            for (var number = 0; number < 40; number++)
            {
                var slug = $"site-{number}";
                Decide(decision => Groups.Add(decision, slug, "", $"site is \"S{number}\"", false));
                Decide(decision => Calendars.Rule(decision, (_, _) => null, slug, [$"calendar-{number % 20}", $"calendar-{(number + 7) % 20}"]));
            }

            World.Now = _now;
            var until = _now.AddDays(30);
            var began = Stopwatch.GetTimestamp();
            var openings = World.Devices.Values.Sum(device => (long)World.TimetableOf(device, null)!.Open.Count(span => span.To > _now && span.From < until));
            var seconds = Stopwatch.GetElapsedTime(began).TotalSeconds;
            began = Stopwatch.GetTimestamp();
            for (var row = 0; row < 1000; row++)
            {
                _ = World.TimetableOf(World.Devices.At(row), null)!.At(_now);
            }

            return (seconds, openings, Stopwatch.GetElapsedTime(began).TotalMilliseconds / 1000);
        }

        private static PackageContents ContentsOf(PackageRecord record) => new()
        {
            Name = record.Document, Variants = [new VariantRules("all", Rule.Parse("kind is not \"server\" and memory >= 2 GiB").Value, Rule.Everything)],
            Needs = [], Settings = [],
            Presets = new Dictionary<string, IReadOnlyDictionary<string, string>>(), Files = [],
        };

        private static FactsTold Facts(int row, int change) => new(
            [
                ("kind", Kinds[row % 3]), ("memory", (4L << (30 + (row % 3))).ToString(CultureInfo.InvariantCulture)), ("site", $"S{row % 40}"),
                ("model", $"Model {row % 25}"), ("os.name", "Linux"), ("os.version", $"12.{row % 9}"), ("host", $"desk-{row}"),
                ("disk.free", ((100L + ((row + change) % 400)) << 30).ToString(CultureInfo.InvariantCulture)), ("label.owner", $"team {row % 100}"), ("zone", Clocks[row % Clocks.Length]),
            ],
            Enumerable.Range(0, Programs).Select(program => ($"tool-{(row + (program * 7)) % 300}", $"{1 + ((row + program) % 5)}.{change % 3}", "system"))
                .ToList());

        private static DeploymentAsk Ask(string digest) => new()
        {
            Package = digest, Groups = ["all"],
            Waves = [new WaveAsk("first", "1 %", "95 % met for 1 d", null), new WaveAsk("early", "20 %", "95 % met for 1 d", null), new WaveAsk(
                "rest", "everyone else", null, null)],
        };

        private string NewId() => (++_ids).ToString("x16", CultureInfo.InvariantCulture);

        private void Decide<T>(Func<Decision, Outcome<T>> command)
        {
            _ = World.Decide("root-admin", _now, NewId, _changes, command).Value;
            _changes.Clear();
        }
    }
}
