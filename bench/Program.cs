using Bandejo.Bench;

// What is measured, how, and how to read it: bench/README.md.
if (args is ["bare", var address])
{
    await Bare.Run(address);
    return 0;
}

Bandejo.Kit.Programs.AreShortLived = false;
var folder = Path.Combine(Bandejo.Kit.Programs.Root(), "bench");
Func<Report, Task>? part = args switch
{
    ["rules"] => report => RuleBench.Run(report, 1_000_000),
    ["world", var devices] => report => WorldBench.Run(report, int.Parse(devices)),
    ["results", var targets] => report => ServiceBench.Results(report, int.Parse(targets)),
    ["check-ins", var devices] => report => ServiceBench.CheckIns(report, int.Parse(devices)),
    ["calendars", var devices] => report => CalendarBench.Run(report, int.Parse(devices)),
    ["many", var devices, var deployments] => report => ServiceBench.Many(report, int.Parse(devices), int.Parse(deployments)),
    ["year", var devices, var deployments] => report => YearBench.Run(report, int.Parse(devices), int.Parse(deployments), isOnServer: false),
    ["year", var devices, var deployments, "postgres"] => report => YearBench.Run(report, int.Parse(devices), int.Parse(deployments), isOnServer: true),
    ["packaging"] => PackagingBench.Run,
    ["content"] => ContentBench.Run,
    ["console", var devices, var seconds] => report => ConsoleBench.Run(report, int.Parse(devices), int.Parse(seconds)),
    _ => null,
};
if (part is not null)
{
    var measured = new Report();
    await part(measured);
    measured.Write(folder, isPart: true);
    return 0;
}

var sizes = (Environment.GetEnvironmentVariable("BANDEJO_BENCH_DEVICES") ?? "1000,10000,100000").Split(',').Select(int.Parse).ToArray();
var report = new Report();
await RuleBench.Run(report, int.Parse(Environment.GetEnvironmentVariable("BANDEJO_BENCH_ROWS") ?? "1000000"));
await PackagingBench.Run(report);
await ContentBench.Run(report);
await WorldBench.Run(report, sizes.Max());
foreach (var size in sizes)
{
    await ServiceBench.Run(report, size, isLargest: size == sizes.Max());
}

await CalendarBench.Run(report, sizes.Max());
await ServiceBench.Many(report, sizes.Max(), 40);
foreach (var isOnServer in new[] { false, true })
{
    await YearBench.Run(report, sizes.Max(), int.Parse(Environment.GetEnvironmentVariable("BANDEJO_BENCH_YEAR") ?? "400"), isOnServer);
}

await ConsoleBench.Run(report, sizes.Max(), int.Parse(Environment.GetEnvironmentVariable("BANDEJO_BENCH_EVENTS") ?? "600"));
report.Write(folder);
return 0;
