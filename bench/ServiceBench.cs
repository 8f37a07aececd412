using System.Diagnostics;
using System.Globalization;
using System.Net.Http.Json;
using System.Security.Cryptography;
using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Contract.Device;
using Bandejo.Device;
using Bandejo.Kit;

namespace Bandejo.Bench;

/// <summary>A real service with so many enrolled devices: check-ins against the bare endpoint, pages, memory, start.</summary>
internal static class ServiceBench
{
    private const int Loaded = 2000;

    /// <summary>The number of check-ins with nothing new, which are told again and again.</summary>
    internal const long Sequence = 4_000_000_000_000;

    /// <summary>How many rounds of check-ins there are at most.</summary>
    internal const int MostRounds = 9;
    private const int PageCalls = 520;

    internal static readonly string[] Sites = ["HQ", "ALD", "BRM", "CAS", "DUN", "ELM", "FEN", "GRV", "HOL", "IVY", "KIR", "LAN", "MER", "NOR"];

    public static async Task Run(Report report, int size, bool isLargest)
    {
        var folder = Directory.CreateTempSubdirectory("bandejo-bench").FullName;
        using var server = Environment.GetEnvironmentVariable("BANDEJO_BENCH_STORE") == "postgres" ? new PostgresServer() : null;
        string[] store = server is null ? [] : ["--store", server.Make("bench")];
        var site = new Site(new ServiceProcess(["--joins-per-minute", "1000000", "--check-in-seconds", "3600", .. store]));
        try
        {
            await site.Begin();
            await site.Must("group", "new", "all");
            foreach (var each in Sites)
            {
                await site.Must("group", "new", $"site-{each.ToLowerInvariant()}", "--rule", $"site is \"{each}\" and memory >= 8 GiB and disk.free >= 10 GB");
            }

            var joined = Stopwatch.StartNew();
            var known = await Join(site, size);
            report.Add($"{size:N0} devices: join over the protocol", "", $"{size / joined.Elapsed.TotalSeconds:N0} a second");
            await StartToReady(report, site, size);
            await BesideBare(folder, async bare =>
            {
                await CheckIns(report, site, known, folder, bare, size, isLargest);
                await site.Package("foldline", "7.2.0", "echo", isReleased: true);
                await Deployments(report, site, size);
                await Results(report, site, known, folder, bare, size, isLargest);
            });
            await Pages(report, site, size, isLargest);
            var memory = site.Process.Memory();
            report.Add(
                $"{size:N0} devices, two deployments: memory of the service", "", $"{memory / 1048576.0:N0} MiB", null, isLargest ? "under 1 GiB" : "",
                isLargest ? memory < 1L << 30 : null);
            await StartToReady(report, site, size, "with two deployments", isLargest ? 5 : null);
        }
        finally
        {
            await site.DisposeAsync();
            Directory.Delete(folder, recursive: true);
        }
    }

    /// <summary>Only the check-ins with results, the lists, and the start after them.</summary>
    public static Task Results(Report report, int size) => Part(size, async (site, known, folder) =>
    {
        await site.Package("foldline", "7.2.0", "echo", isReleased: true);
        await Deployments(report, site, size);
        await BesideBare(folder, bare => Results(report, site, known, folder, bare, size, size >= 100_000));
        await Pages(report, site, size, size >= 100_000);
        await StartToReady(report, site, size, "with two deployments", size >= 100_000 ? 5 : null);
    });

    /// <summary>Only the check-ins with nothing new.</summary>
    public static Task CheckIns(Report report, int size) => Part(
        size, (site, known, folder) => BesideBare(folder, bare => CheckIns(report, site, known, folder, bare, size, size >= 100_000)));

    /// <summary>
    /// What many deployments over the whole fleet make of it: memory, starting one more, the start, and how long a device waits for its answer while others
    /// start a deployment, and read all devices and all compliance.
    /// </summary>
    public static Task Many(Report report, int size, int deployments) => Part(size, async (site, known, _) =>
    {
        var what = $"{size:N0} devices, {deployments} deployments";
        for (var number = 0; number <= deployments; number++)
        {
            await site.Package($"app-{number:00}", "1.0.0", "echo", isReleased: true);
        }

        var then = TimeProvider.System.GetUtcNow();
        for (var number = 0; number < deployments; number++)
        {
            await Start(number);
            then = number == deployments * 3 / 4 ? TimeProvider.System.GetUtcNow() : then;
        }

        var memory = site.Process.Memory();
        report.Add($"{what}: memory of the service", "", $"{memory / 1048576.0:N0} MiB", null, "under 1.2 GiB", memory < 1.2 * (1L << 30));

        using var http = new HttpClient { BaseAddress = new Uri(site.Service.Address) };
        var sequence = 5_000_000_000_000;
        async Task Beside(string name, Func<Task> work, double? most = null)
        {
            // Once before, for what is compiled at the first call.
            for (var warm = 0; warm < 300; warm++)
            {
                await CheckIn();
            }

            var waits = new List<double>();
            var began = Stopwatch.GetTimestamp();
            var whole = Task.Run(work);
            do
            {
                waits.Add(await CheckIn());
            }
            while (!whole.IsCompleted);

            await whole;
            var seconds = Stopwatch.GetElapsedTime(began).TotalSeconds;
            waits.Sort();
            report.Add(
                $"{what}: {name}", "",
                $"{seconds:0.00} s; meanwhile a check-in with changed facts, durable, {waits[waits.Count / 2]:0.0} ms median, {waits[^1]:0.0} ms the longest of "
                    + $"{waits.Count:N0}",
                null, most is { } limit ? $"under {limit:0} s, others wait 20 ms at most" : "others wait 20 ms at most",
                waits[^1] <= 20 && !(seconds > most));
        }

        await Settled();
        await Beside("nothing else, for 2 s", () => Task.Delay(2000));
        await Beside("starting one more, durable", () => Start(deployments), 1);
        await Settled();
        await Beside("all devices as CSV", () => Read("/api/v1/devices?format=csv"));
        await Beside("all compliance as CSV", () => Read("/api/v1/compliance/targets?format=csv"));

        await Settled();
        await PastBench.AsOf(report, site, what, then);
        await StartToReady(report, site, size, $"with {deployments} deployments", 8);

        async Task Start(int number) => await site.Admin.Post(
            "/api/v1/deployments",
            new DeploymentRequest(
                $"app-{number:00} 1.0.0", ["all"], [new WaveRequest("A tenth", "10 %", "90 % met for 1d"), new WaveRequest("Everyone", "everyone else")],
                $"App {number:00} everywhere", Halt: "never"),
            ContractJson.Default.DeploymentRequest, ContractJson.Default.DeploymentInfo);

        // The first wave of each is out.
        async Task Settled()
        {
            var all = await site.Admin.Get("/api/v1/deployments", ContractJson.Default.IReadOnlyListDeploymentInfo);
            while (all.Any(each => each.States.Sum(state => state.Name == "ready" ? state.Count : 0) < size / 10))
            {
                await Task.Delay(100);
                all = await site.Admin.Get("/api/v1/deployments", ContractJson.Default.IReadOnlyListDeploymentInfo);
            }
        }

        async Task Read(string path)
        {
            using var answer = await site.Admin.Http.GetAsync(path, HttpCompletionOption.ResponseHeadersRead);
            answer.EnsureSuccessStatusCode();
            await (await answer.Content.ReadAsStreamAsync()).CopyToAsync(Stream.Null);
        }

        async Task<double> CheckIn()
        {
            var number = (int)(sequence % known.Count);
            var facts = Facts(number);
            facts = facts with { Facts = new Dictionary<string, string>(facts.Facts) { ["disk.free"] = $"{(sequence % 900) * 268435456L}" } };
            using var request = new HttpRequestMessage(HttpMethod.Post, DeviceProtocol.Prefix + "/check-in")
            {
                Content = JsonContent.Create(
                    new CheckInRequest(sequence++, $"digest-{sequence}", facts, known[number].Tag, [], []), ContractJson.Default.CheckInRequest),
            };
            request.Headers.Authorization = new System.Net.Http.Headers.AuthenticationHeaderValue("Bearer", known[number].Token);
            var began = Stopwatch.GetTimestamp();
            using var answer = await http.SendAsync(request);
            answer.EnsureSuccessStatusCode();
            return Stopwatch.GetElapsedTime(began).TotalMilliseconds;
        }
    });

    /// <summary>A service with so many devices and two groups, for a part alone.</summary>
    internal static async Task Part(int size, Func<Site, IReadOnlyList<Known>, string, Task> measure)
    {
        var folder = Directory.CreateTempSubdirectory("bandejo-bench").FullName;
        var site = new Site(new ServiceProcess("--joins-per-minute", "1000000", "--check-in-seconds", "3600"));
        try
        {
            await site.Begin();
            await site.Must("group", "new", "all");
            await site.Must("group", "new", "site-hq", "--rule", "site is \"HQ\" and memory >= 8 GiB");
            await measure(site, await Join(site, size), folder);
        }
        finally
        {
            await site.DisposeAsync();
            Directory.Delete(folder, recursive: true);
        }
    }

    private static async Task BesideBare(string folder, Func<(string Address, Process Process, string Requests), Task> measure)
    {
        var bare = await StartBare(folder);
        try
        {
            await measure(bare);
        }
        finally
        {
            bare.Process.Kill();
            bare.Process.Dispose();
        }
    }

    private static Task StartToReady(Report report, Site site, int size, string more = "", double? most = null) =>
        StartToReady(report, site, $"{size:N0} devices{(more.Length > 0 ? ", " + more : "")}", most);

    /// <summary>How long a start takes after the service was killed.</summary>
    internal static async Task StartToReady(Report report, Site site, string what, double? most)
    {
        var times = new List<double>();
        for (var round = 0; round < 3; round++)
        {
            await site.Process.Kill();
            var start = Stopwatch.GetTimestamp();
            await site.Service.Start();
            times.Add(Stopwatch.GetElapsedTime(start).TotalSeconds);
        }

        var median = Report.Median(times);
        report.Add(
            $"{what}: start to ready", "", $"{median:0.00} s", null, most is { } limit ? $"under {limit:0} s" : "",
            most is null ? null : median < most);
    }

    private static async Task CheckIns(
        Report report, Site site, IReadOnlyList<Known> known, string folder, (string Address, Process Process, string Requests) bare, int size, bool isLargest)
    {
        var requests = Path.Combine(folder, "idle");
        await File.WriteAllLinesAsync(requests, known.Select(device => $"{device.Token}\t{Body(device, "")}"));
        await Load.Run(site.Service.Address, DeviceProtocol.Prefix + "/check-in", requests);
        var (rounds, says) = await QuietRounds.Run(MostRounds, async _ =>
            (Bare: await Load.Run(bare.Address, "/bare", bare.Requests), Ours: await Load.Run(
                site.Service.Address, DeviceProtocol.Prefix + "/check-in", requests)));
        Compare(report, $"{size:N0} devices: check-in with nothing new", rounds, says, 0.7, isLargest);
    }

    private static async Task Results(
        Report report, Site site, IReadOnlyList<Known> known, string folder, (string Address, Process Process, string Requests) bare, int size, bool isLargest)
    {
        var requests = Path.Combine(folder, "results");
        await File.WriteAllLinesAsync(requests, known.Select(device => $"{device.Token}\t{Body(device, "@ATTEMPT@")}"));
        foreach (var flush in isLargest ? new[] { 0, 2000 } : [0])
        {
            if (flush > 0)
            {
                if (Programs.Faults(folder) is not { } library)
                {
                    report.Add($"{size:N0} devices: check-in with a result, 2 ms on each flush", "", "not measured: there is no C compiler");
                    continue;
                }

                site.Process.Environment["LD_PRELOAD"] = library;
                site.Process.Environment["BANDEJO_FAULT_FLUSH_US"] = flush.ToString(CultureInfo.InvariantCulture);
                await site.Process.Kill();
                await site.Service.Start();
            }

            foreach (var warm in new[] { "aaaa", "bbbb" })
            {
                await Load.Run(site.Service.Address, DeviceProtocol.Prefix + "/check-in", requests, $"{flush:x4}{warm}");
            }

            var (rounds, says) = await QuietRounds.Run(
                MostRounds,
                async round =>
                    (Bare: await Load.Run(bare.Address, "/bare", bare.Requests), Ours: await Load.Run(
                        site.Service.Address, DeviceProtocol.Prefix + "/check-in", requests, $"{flush:x4}{round:x4}")));
            var work = $"{size:N0} devices: check-in with a result, durable before the answer{(flush > 0 ? ", 2 ms on each flush" : "")}";
            Compare(report, work, rounds, says, flush > 0 ? null : 0.5, isLargest);
            if (flush > 0)
            {
                site.Process.Environment.Clear();
                await site.Process.Kill();
                await site.Service.Start();
            }
            else
            {
                await StartUnderLoad(report, site, requests, size, isLargest);
            }
        }
    }

    /// <summary>The start after a kill while results come as fast as they are taken.</summary>
    private static async Task StartUnderLoad(Report report, Site site, string requests, int size, bool isLargest)
    {
        await Load.Run(site.Service.Address, DeviceProtocol.Prefix + "/check-in", requests, "0000kill");
        await site.Process.Kill();
        var start = Stopwatch.GetTimestamp();
        await site.Service.Start();
        var seconds = Stopwatch.GetElapsedTime(start).TotalSeconds;
        report.Add(
            $"{size:N0} devices, two deployments: start to ready after kill -9 under load", "",
            $"{seconds:0.00} s", null, isLargest ? "under 5 s" : "", isLargest ? seconds < 5 : null);
    }

    private static void Compare(Report report, string work, IReadOnlyList<(double Bare, double Ours)> rounds, string says, double? asked, bool isLargest)
    {
        var ratio = Report.Median(rounds.Select(round => round.Ours / round.Bare));
        report.Add(
            work, $"bare endpoint {Report.Median(rounds.Select(round => round.Bare)):N0}/s",
            $"{Report.Median(rounds.Select(round => round.Ours)):N0}/s ({says})", ratio,
            asked is { } least && isLargest ? $"at least {least:0.0}" : "", asked is { } at && isLargest ? ratio >= at : null);
    }

    private static async Task Deployments(Report report, Site site, int size)
    {
        foreach (
            var (
                name, group,
                waves)
                in new[]
                {
                    (
                        "Foldline everywhere", "all",
                        new[] { new WaveRequest("A tenth", "10 %", "90 % met for 1d"), new WaveRequest("Everyone", "everyone else") }),
                    ("Foldline at headquarters", "site-hq", [new WaveRequest("Everyone", "everyone else")]),
                })
        {
            var start = Stopwatch.GetTimestamp();
            await site.Admin.Post(
                "/api/v1/deployments", new DeploymentRequest("foldline 7.2.0", [group], waves, name, Halt: "never", Priority: group == "all" ? 1 : 0),
                ContractJson.Default.DeploymentRequest, ContractJson.Default.DeploymentInfo);
            report.Add($"{size:N0} devices: starting '{name}', durable", "", $"{Stopwatch.GetElapsedTime(start).TotalSeconds:0.00} s");
        }
    }

    private static async Task Pages(Report report, Site site, int size, bool isLargest)
    {
        var id = (await site.Admin.Get("/api/v1/deployments", ContractJson.Default.IReadOnlyListDeploymentInfo))[^1].Id;
        var worst = ("", 0.0);
        foreach (var (name, path) in new[]
        {
            ("devices", "/api/v1/devices"), ("devices by rule", $"/api/v1/devices?filter={Uri.EscapeDataString("site is \"ALD\" and memory >= 8 GiB")}"),
            ("devices by words", "/api/v1/devices?filter=ALD%20Folio"), ("a device", "/api/v1/devices/DESK-000007"),
            ("why of a device", "/api/v1/devices/DESK-000007/why"), ("groups", "/api/v1/groups"), ("devices of a group", "/api/v1/groups/all/devices"),
            ("deployments", "/api/v1/deployments"), ("a deployment's figures", $"/api/v1/deployments/{id}"),
            ("targets", $"/api/v1/deployments/{id}/targets"), ("failed targets", $"/api/v1/deployments/{id}/targets?state=failed,retry"),
            ("apps", "/api/v1/apps"), ("compliance of the fleet", "/api/v1/compliance"), ("compliance by group", "/api/v1/compliance?by=group"),
            ("journal", "/api/v1/journal"), ("service", "/api/v1/service"),
        })
        {
            var times = new List<double>();
            for (var call = 0; call < PageCalls; call++)
            {
                var start = Stopwatch.GetTimestamp();
                using var response = await site.Admin.Http.GetAsync(path);
                await response.Content.ReadAsByteArrayAsync();
                response.EnsureSuccessStatusCode();
                times.Add(Stopwatch.GetElapsedTime(start).TotalMilliseconds);
            }

            // The first calls compile what they run.
            var p99 = Report.Percentile(times.Skip(20), 0.99);
            worst = p99 > worst.Item2 ? (name, p99) : worst;
            report.Add(
                $"{size:N0} devices: {name}", "", $"{Report.Median(times.Skip(20)):0.0} ms median, {p99:0.0} ms p99", null, isLargest ? "under 50 ms p99" : "",
                isLargest ? p99 < 50 : null);
        }
    }

    private static async Task<(string Address, Process Process, string Requests)> StartBare(string folder)
    {
        var (address, process) = await Bare.Start();
        var requests = Path.Combine(folder, "bare");
        await File.WriteAllTextAsync(requests, "\t" + Bare.Asked + "\n");
        await Load.Run(address, "/bare", requests);
        await Load.Run(address, "/bare", requests);
        return (address, process, requests);
    }

    internal static string Body(Known device, string attempt)
    {
        var at = new DateTimeOffset(2026, 1, 1, 0, 0, 0, TimeSpan.Zero);
        AttemptReport[] attempts = attempt.Length == 0
            ? []
            : [new AttemptReport(
                attempt, "D1001", 0, true, "install", at, at.AddMinutes(2), "done", "prove", 0, "Foldline 7.2.0 proven by version in opt/foldline/VERSION", "",
                null, null, false)];
        return JsonSerializer.Serialize(
            new CheckInRequest(
                Sequence, device.Digest, null, device.Tag, [], attempts, Can: device.Calendars is null ? null : CalendarBench.All, CalendarsTag: device.Calendars),
            ContractJson.Default.CheckInRequest);
    }

    internal static async Task<IReadOnlyList<Known>> Join(Site site, int size)
    {
        var known = new Known[Math.Min(size, Loaded)];
        using var handler = new SocketsHttpHandler { MaxConnectionsPerServer = 64 };
        using var http = new HttpClient(handler) { BaseAddress = new Uri(site.Service.Address) };
        string? code = null;
        for (var start = 0; start < size; start += 10_000)
        {
            code = (
                await site.Admin.Post(
                    "/api/v1/join-codes", new JoinCodeRequest("all", 10_000), ContractJson.Default.JoinCodeRequest, ContractJson.Default.JoinCodeInfo)).Code;
            await Parallel.ForAsync(start, Math.Min(size, start + 10_000), new ParallelOptions { MaxDegreeOfParallelism = 64 }, async (number, cancellation) =>
            {
                using var key = ECDsa.Create(ECCurve.NamedCurves.nistP256);
                var link = new HttpLink(http, key, TimeProvider.System);
                var facts = Facts(number);
                link.DeviceId = (
                    await link.Join(new JoinRequest(DeviceProtocol.Version, code!, HttpLink.PublicOf(key), $"DESK-{number:000000}", facts), cancellation))
                    .DeviceId;
                if (number < known.Length)
                {
                    var answer = await link.CheckIn(new CheckInRequest(1, $"digest-{number}", facts, "", [], []), cancellation);
                    known[number] = new Known(link.Token!, $"digest-{number}", answer.OrdersTag);
                }
            });
        }

        return known;
    }

    private static FactReport Facts(int number) => new(
        new Dictionary<string, string>
        {
            ["kind"] = number % 9 == 0 ? "laptop" : "desk", ["site"] = Sites[number % Sites.Length], ["maker"] = "Harrow & Pike",
            ["model"] = $"Folio {number % 5}", ["os.name"] = "Tessera", ["os.version"] = $"12.{number % 5}", ["architecture"] = "x64",
            ["processors"] = $"{2 << (number % 3)}", ["memory"] = $"{(4L << (number % 4)) << 30}", ["disk.size"] = "256000000000",
            ["disk.free"] = $"{(number % 900) * 268435456L}", ["public"] = "no", ["roles"] = "print,scan", ["restart.pending"] = "no",
            ["uptime"] = $"{number % 72 * 3600}",
            ["agent.version"] = "0.1.0", ["host"] = $"desk-{number:000000}",
        },
        [.. Enumerable.Range(0, 40).Select(program => new ProgramReport(
            $"program {(number + (program * 5)) % 200}", $"{1 + ((number + program) % 7)}.{program % 4}", "system"))]);

    internal sealed record Known(string Token, string Digest, string Tag)
    {
        /// <summary>The tag of the calendars that it holds; null where it holds none.</summary>
        public string? Calendars { get; init; }
    }
}
