using Bandejo.Bench;

// What is measured, how, and how to read it: bench/README.md.
if (args is ["bare", var address])
{
    await Bare.Run(address);
    return 0;
}

if (args is ["rules"])
{
    await RuleBench.Run(new Report(), 1_000_000);
    return 0;
}

if (args is ["results", var targets])
{
    await ServiceBench.Results(new Report(), int.Parse(targets));
    return 0;
}

if (args is ["packaging"])
{
    await PackagingBench.Run(new Report());
    return 0;
}

if (args is ["console", var devices, var seconds])
{
    await ConsoleBench.Run(new Report(), int.Parse(devices), int.Parse(seconds));
    return 0;
}

var sizes = (Environment.GetEnvironmentVariable("BANDEJO_BENCH_DEVICES") ?? "1000,10000,100000").Split(',').Select(int.Parse).ToArray();
var report = new Report();
await RuleBench.Run(report, int.Parse(Environment.GetEnvironmentVariable("BANDEJO_BENCH_ROWS") ?? "1000000"));
await PackagingBench.Run(report);
foreach (var size in sizes)
{
    await ServiceBench.Run(report, size, isLargest: size == sizes.Max());
}

await ConsoleBench.Run(report, sizes.Max(), int.Parse(Environment.GetEnvironmentVariable("BANDEJO_BENCH_EVENTS") ?? "600"));
report.Write(Path.Combine(Bandejo.Kit.Programs.Root(), "bench"));
return 0;
