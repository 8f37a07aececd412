using System.Globalization;
using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Kit;

namespace Bandejo.Bench;

/// <summary>The console in headless Chromium before a service with a large fleet and fifty deployments.</summary>
internal static class ConsoleBench
{
    private const int Packages = 5;
    private const int Groups = 10;

    /// <param name="seconds">How long events come while memory is watched.</param>
    public static async Task Run(Report report, int size, int seconds)
    {
        await using var site = new Site(new ServiceProcess("--joins-per-minute", "1000000", "--check-in-seconds", "3600"));
        await site.Begin();
        await site.Must("group", "new", "all");
        foreach (var each in ServiceBench.Sites)
        {
            await site.Must("group", "new", $"site-{each.ToLowerInvariant()}", "--rule", $"site is \"{each}\"");
        }

        await ServiceBench.Join(site, size);
        DeploymentInfo? last = null;
        for (var package = 0; package < Packages; package++)
        {
            await site.Package($"app-{package}", "1.0", "echo");
            foreach (var group in ServiceBench.Sites.Take(Groups).Select(each => $"site-{each.ToLowerInvariant()}"))
            {
                var request = new DeploymentRequest(
                    $"app-{package} 1.0", [group], [new WaveRequest("A tenth", "10 %", "90 % met for 1d"), new WaveRequest("Everyone", "everyone else")],
                    $"App {package} for {group}", Halt: "never");
                last = await site.Admin.Post("/api/v1/deployments", request, ContractJson.Default.DeploymentRequest, ContractJson.Default.DeploymentInfo);
            }
        }

        using var process = Programs.Start("node", [
            Path.Combine(Programs.Root(), "bench/console.mjs"), site.Service.Address, "root-admin", ServiceProcess.FirstPassword,
            seconds.ToString(CultureInfo.InvariantCulture), last!.Id]);
        var output = process.StandardOutput.ReadToEndAsync();
        var errors = process.StandardError.ReadToEndAsync();
        await process.WaitForExitAsync();
        if (process.ExitCode != 0)
        {
            throw new InvalidOperationException($"The console could not be measured: {await errors}");
        }

        Tell(report, $"{size:N0} devices, {Packages * Groups} deployments, console", JsonDocument.Parse(await output).RootElement, seconds);
    }

    private static void Tell(Report report, string where, JsonElement figures, int seconds)
    {
        var first = Numbers(figures.GetProperty("firstViews"));
        report.Add(
            $"{where}: first view, empty cache", "", $"{Report.Median(first):N0} ms median, {first.Max():N0} ms worst of {first.Count}", null, "under 1,500 ms",
            first.Max() < 1500);
        var changes = figures.GetProperty("changes").EnumerateObject().Select(page => (page.Name, Times: Numbers(page.Value))).ToList();
        var slowest = changes.MaxBy(page => Report.Median(page.Times));
        report.Add(
            $"{where}: page change", "",
            $"{Report.Median(changes.SelectMany(page => page.Times)):N0} ms median, {Report.Median(slowest.Times):N0} ms for the slowest ({slowest.Name}), "
                + $"{changes.SelectMany(page => page.Times).Max():N0} ms worst",
            null, "under 200 ms", Report.Median(slowest.Times) < 200);
        var scrolls = Numbers(figures.GetProperty("scrolls"));
        report.Add(
            $"{where}: a jump in the list of all devices until its rows stand", "", $"{Report.Median(scrolls):N0} ms median, {scrolls.Max():N0} ms worst");
        var seen = Numbers(figures.GetProperty("seen"));
        report.Add(
            $"{where}: an event until it is seen", "", $"{Report.Median(seen):N0} ms median, {seen.Max():N0} ms worst of {seen.Count}", null, "under 1 s",
            seen.Max() < 1000);
        var heap = figures.GetProperty("heap").EnumerateArray().Select(each => each.GetProperty("mib").GetDouble()).ToList();
        var third = Math.Max(1, heap.Count / 3);
        var (early, late) = (heap.Skip(third).Take(third).Average(), heap.TakeLast(third).Average());
        report.Add(
            $"{where}: memory of the page over {seconds / 60.0:0.#} minutes with {figures.GetProperty("events").GetInt32():N0} events",
            $"{early:0.0} MiB in the second third", $"{late:0.0} MiB in the last, {heap[0]:0.0} at the start",
            late / early, "stable (at most 1.1)", late / early <= 1.1);
    }

    private static List<double> Numbers(JsonElement array) => [.. array.EnumerateArray().Select(each => each.GetDouble())];
}
