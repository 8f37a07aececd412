using System.Diagnostics;
using System.Globalization;
using Bandejo.Contract;
using Bandejo.Core;
using Bandejo.Core.CheckIns;
using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.Rollouts;
using Bandejo.Core.Site;
using Bandejo.Core.World;
using Bandejo.Kit;
using Bandejo.Server.World;
using Bandejo.Server.Deployments;
using Bandejo.Store;

namespace Bandejo.Bench;

/// <summary>
/// A year of a large fleet, decided and kept by the real engine and store in this process, without network and without waiting; then a service is started on
/// what came of it and asked.
/// </summary>
internal static class YearBench
{
    /// <summary>So many deployments run at any time; the older are ended.</summary>
    private const int Running = 40;

    /// <summary>Every so many deployments one reaches the whole fleet, the others a site.</summary>
    private const int WholeFleetEvery = 20;

    /// <summary>So many results share a commit.</summary>
    private const int AtOnce = 1000;

    /// <summary>The devices of a page do not come one after the other: they tell in so many turns.</summary>
    private const int Turns = 4;

    /// <summary>So many devices join with one code.</summary>
    private const int MostOfACode = 10_000;

    private static readonly DateTimeOffset Begin = new(2026, 3, 2, 8, 0, 0, TimeSpan.Zero);

    /// <param name="deployments">So many are started in the year.</param>
    /// <param name="isOnServer">Whether it is kept by PostgreSQL, not by SQLite.</param>
    public static async Task Run(Report report, int devices, int deployments, bool isOnServer)
    {
        using var server = isOnServer ? new PostgresServer() : null;
        var (what, where) = ($"A year, {(server is null ? "SQLite" : "PostgreSQL")}, {devices:N0} devices", server?.Make("bench"));
        using var clock = new ClockFolder();
        var site = new Site(new ServiceProcess(["--check-in-seconds", "3600", "--demo-clock", clock.File, .. where is null ? [] : new[] { "--store", where }]));
        try
        {
            await site.Begin();
            await site.Must("group", "new", "all");
            foreach (var each in ServiceBench.Sites)
            {
                await site.Must("group", "new", Group(each), "--rule", $"site is \"{each}\"");
            }

            for (var app = 0; app < Running; app++)
            {
                await site.Package($"app-{app:00}", "1.0.0", "echo", isReleased: true);
            }

            await site.Process.Kill();
            var file = Path.Combine(site.Service.Folder, "data", "bandejo.db");
            var year = new Year(where ?? file, devices);
            var made = Stopwatch.StartNew();
            var (installs, end) = await year.Play(deployments, WorldHeld);
            report.Add($"{what}: made", "", $"{deployments} deployments, {installs:N0} installs in {made.Elapsed.TotalMinutes:0.0} min");
            await File.WriteAllTextAsync(clock.File, $$"""{"at":"{{end:O}}","since":"{{TimeProvider.System.GetUtcNow():O}}","speed":0}""");
            await site.Service.Start();
            await site.SignIn();
            await Ask("before retention");
            foreach (var form in new[] { "table", "csv", "json" })
            {
                var listed = Stopwatch.StartNew();
                var lines = (await site.Must("device", "list", "-o", form)).AsSpan().Count('\n');
                report.Add(
                    $"{what}: bandejo device list -o {form}, all of them", "", $"{listed.Elapsed.TotalSeconds:0.0} s, {lines:N0} lines");
            }

            await site.Must("keeping", "change", "--history-days", "100", "--log-days", "30");
            var forgot = Stopwatch.StartNew();
            var says = (await site.Must("keeping", "run")).ReplaceLineEndings(" ").Trim();
            report.Add($"{what}: kept for 100 days from now on", "", $"{forgot.Elapsed.TotalSeconds:0} s: {says}");
            await Ask("after retention");

            async Task Ask(string when)
            {
                var size = server is null
                    ? new[] { file, file + "-wal" }.Where(File.Exists).Sum(each => new FileInfo(each).Length)
                    : long.Parse(server.Execute("bench", "SELECT pg_database_size('bench')").Trim(), CultureInfo.InvariantCulture);
                report.Add($"{what}, {when}: on disk", "", $"{size / 1048576.0:N0} MiB");
                await ServiceBench.StartToReady(report, site, $"{what}, {when}", 8);
                report.Add($"{what}, {when}: memory of the service", "", $"{site.Process.Memory() / 1048576.0:N0} MiB");
                var all = await site.Admin.Get("/api/v1/deployments?all=true", ContractJson.Default.IReadOnlyListDeploymentInfo);
                // Of few deployments none is over yet; then the oldest stands for it.
                var over = (all.LastOrDefault(each => each.Status == "ended" && each.States.Sum(state => state.Count) > devices / 2) ?? all[^1]).Id;
                foreach (var (name, path) in new[]
                {
                    ("Today", "/api/v1/today"), ("the deployments", "/api/v1/deployments"), ("all deployments that there were", "/api/v1/deployments?all=true"),
                    ("a deployment that is over", $"/api/v1/deployments/{over}"), ("a page of its targets", $"/api/v1/deployments/{over}/targets?limit=100"),
                    ("a device", "/api/v1/devices/DESK-000100"), ("what became of it", "/api/v1/devices/DESK-000100/history"),
                    ("compliance by group", "/api/v1/compliance?by=group"), ("the journal", "/api/v1/journal?limit=100"),
                    ("90 days of compliance", "/api/v1/trends/compliance?days=90"), ("90 days of the fleet", "/api/v1/trends/fleet?days=90"),
                })
                {
                    await PastBench.Ask(report, site, $"{what}, {when}: {name}", path);
                }

                foreach (var days in when == "before retention" ? new[] { 30, 180, 350 } : [30, 90])
                {
                    await PastBench.AsOf(report, site, $"{what}, {when}, {days} days ago", end.AddDays(-days), all.MaxBy(each => each.StartedAt > end.AddDays(-days) ? default : each.StartedAt)!.Id, "DESK-000100");
                }
            }
        }
        finally
        {
            await site.DisposeAsync();
        }

        void WorldHeld(long bytes, int inMemory) => report.Add(
            $"{what}: the world at its end", "", $"{bytes / 1048576.0:N0} MiB, the targets of {inMemory} deployments in memory", null,
            $"no more than {Running + 16} deployments", inMemory <= Running + 16);
    }

    private static string Group(string site) => $"site-{site.ToLowerInvariant()}";

    /// <summary>Plays the year.</summary>
    private sealed class Year(string where, int devices)
    {
        private readonly List<Change> _changes = [];
        private DatabaseStore _store = null!;
        private FleetWorld _world = null!;
        private Task _written = Task.CompletedTask;
        private DateTimeOffset _now = Begin.AddHours(1);
        private long _sequence = 1;
        private int _ids;

        public async Task<(long Installs, DateTimeOffset End)> Play(int deployments, Action<long, int> held)
        {
            _store = DatabaseStore.Open(where);
            _world = KeptWorld.Read(_store.Load(), TimeSpan.FromHours(1), _now);
            await Enrol();
            var (installs, running, step) = (0L, new Queue<string>(), TimeSpan.FromDays(365) / deployments);
            for (var number = 0; number < deployments; number++)
            {
                var id = await Start(number);
                running.Enqueue(id);
                installs += await Results(id);
                if (running.Count > Running)
                {
                    var ended = running.Dequeue();
                    await Decide(decision => Acting.Do(decision, (_, _) => null, ended, DeploymentAct.End, "the next is out"));
                }

                _now += step;
                await Due();
            }

            // An hour after the last orders have run out.
            _now += TimeSpan.FromDays(2);
            await Due();
            held(GC.GetTotalMemory(forceFullCollection: true), _world.Deployments.Count - _world.Shelved.Count());
            await _store.DisposeAsync();
            return (installs, _now);
        }

        private async Task Enrol()
        {
            for (var number = 0; number < devices; number++)
            {
                var code = $"code {number / MostOfACode}";
                if (number % MostOfACode == 0)
                {
                    await Decide(decision => JoinCodes.Add(decision, code, "all", MostOfACode, 720));
                }

                var key = $"{number:x8}{new string('k', 35)}";
                _ = _world.Decide(null, _now, NewId, _changes, decision => Enrolment.Join(
                    decision, $"DESK-{number:000000}", new KeyRecord(key, key, key), code, Facts(number))).Value;
                await Full();
            }

            await Commit();
        }

        private async Task<string> Start(int number)
        {
            _world.Now = _now;
            var isLast = number % WholeFleetEvery == 0;
            var prepared = Starting.Prepare(_world.Still(), new DeploymentAsk
            {
                Package = $"app-{number % Running:00} 1.0.0", Groups = [isLast ? "all" : Group(ServiceBench.Sites[number % ServiceBench.Sites.Length])],
                Waves = [new WaveAsk("Everyone", "everyone else", null, null)], Name = $"Rollout {number}", Halt = "never",
            }, "root-admin", AskForms.Write).Value;
            await Commit();
            prepared.KeptAhead = await _store.PutAhead(_now, prepared.Targets);
            var begun = await Decide(decision => Starting.Begin(decision, prepared));
            await Due();
            return begun.Id;
        }

        private async Task<long> Results(string id)
        {
            var targets = _world.Deployments[id].Targets;
            var rows = targets.Rows.Order().ToList();
            var installs = 0L;
            for (var turn = 0; turn < Turns; turn++)
            {
                foreach (var row in rows.Where((_, at) => at % Turns == turn))
                {
                    var device = _world.Devices.At(row);
                    _now += TimeSpan.FromMilliseconds(20);
                    var attempt = new AttemptTold(
                        NewId(), id, "install", true, _now.AddMinutes(-1), _now, "done", "prove", 0, "", false, "", null);
                    var told = new CheckInTold
                    {
                        Sequence = ++_sequence, FactsDigest = "first", Attempts = [attempt with { HasEnded = false, EndedAt = null, Outcome = null }, attempt],
                        Proofs = [new ProofTold(id, "present", "the file is there")],
                    };
                    _ = _world.Decide(device.Id, _now, NewId, _changes, decision => CheckIn.Take(decision, device.Id, told, ToldBefore.Nothing)).Value;
                    installs++;
                    await Full();
                }
            }

            await Commit();
            return installs;
        }

        private async Task Due()
        {
            while (await Decide(Core.Rollouts.Due.Take))
            {
            }
        }

        private async Task<T> Decide<T>(Func<Decision, Outcome<T>> command)
        {
            var decided = _world.Decide("root-admin", _now, NewId, _changes, command).Value;
            await Full();
            return decided;
        }

        private async Task Full()
        {
            if (_changes.Count >= AtOnce * 8)
            {
                await Commit();
            }
        }

        // One commit is written while the next is decided.
        private async Task Commit()
        {
            await _written;
            IReadOnlyList<Change> changes = [.. _changes, .. _world.TakeWords()];
            _changes.Clear();
            _written = changes.Count == 0 ? Task.CompletedTask : _store.Commit(_now, changes);
        }

        private string NewId() => $"{++_ids:x16}{new string('0', 16)}";

        private static FactsTold Facts(int number) => new(
            [
                ("kind", "desktop"), ("site", ServiceBench.Sites[number % ServiceBench.Sites.Length]), ("model", $"Model {number % 25}"), ("os.name", "Linux"),
                ("os.version", $"12.{number % 9}"), ("host", $"desk-{number}"), ("memory", "17179869184"), ("label.owner", $"team {number % 100}"),
            ],
            Enumerable.Range(0, 20).Select(program => ($"tool-{(number + (program * 7)) % 300}", $"{1 + ((number + program) % 5)}.0", "system")).ToList());
    }
}
