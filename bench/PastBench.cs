using System.Diagnostics;
using Bandejo.Contract;
using Bandejo.Kit;

namespace Bandejo.Bench;

/// <summary>How long it takes to be told how it was.</summary>
internal static class PastBench
{
    private const int Rounds = 5;

    /// <summary>What is asked of a past moment, and what it may take.</summary>
    private const double Most = 0.3;

    /// <summary>Asks for each kind of answer of a moment.</summary>
    /// <param name="what">What the service has.</param>
    public static async Task AsOf(Report report, Site site, string what, DateTimeOffset then)
    {
        var deployment = (await site.Admin.Get("/api/v1/deployments", ContractJson.Default.IReadOnlyListDeploymentInfo)).MinBy(each => each.StartedAt)!.Id;
        var device = (await site.Admin.Get("/api/v1/devices?limit=1", ContractJson.Default.PageDeviceInfo)).Items[0].Name;
        await AsOf(report, site, what, then, deployment, device);
        await Ask(report, site, $"{what}: compliance of 30 days", "/api/v1/trends/compliance?days=30");
        await Ask(report, site, $"{what}: size of the fleet of 30 days", "/api/v1/trends/fleet?days=30");
        await Ask(report, site, $"{what}: what became of a device", $"/api/v1/devices/{device}/history");
    }

    /// <summary>Asks for each kind of answer of a moment, of a deployment and a device.</summary>
    public static async Task AsOf(Report report, Site site, string what, DateTimeOffset then, string deployment, string device)
    {
        var asOf = $"asOf={Uri.EscapeDataString(then.UtcDateTime.ToString("O"))}";
        foreach (var (name, path) in new[]
        {
            ("compliance of the fleet", $"/api/v1/compliance?by=fleet&{asOf}"), ("compliance by deployment", $"/api/v1/compliance?by=deployment&{asOf}"),
            ("compliance by group", $"/api/v1/compliance?by=group&{asOf}"), ("a deployment", $"/api/v1/deployments/{deployment}?{asOf}"),
            ("a page of its targets", $"/api/v1/deployments/{deployment}/targets?limit=100&{asOf}"), ("a device", $"/api/v1/devices/{device}?{asOf}"),
            ("a page of a group", $"/api/v1/groups/all/devices?limit=100&{asOf}"), ("the groups", $"/api/v1/groups?{asOf}"),
        })
        {
            await Ask(report, site, $"{what}: as of a past moment, {name}", path);
        }
    }

    /// <summary>Asks for something some times.</summary>
    public static async Task Ask(Report report, Site site, string what, string path)
    {
        var times = new List<double>();
        for (var round = 0; round < Rounds; round++)
        {
            var start = Stopwatch.GetTimestamp();
            (await site.Admin.Http.GetAsync(path)).EnsureSuccessStatusCode();
            times.Add(Stopwatch.GetElapsedTime(start).TotalSeconds);
        }

        var median = Report.Median(times.Skip(1));
        report.Add(what, "", $"{median * 1000:0} ms, the first {times[0] * 1000:0} ms", null, "under 300 ms", median < Most);
    }
}
