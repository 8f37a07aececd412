using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Core.Deployments;
using Bandejo.Core.World;
using Bandejo.Server.Deployments;
using Bandejo.Server.Http;
using Bandejo.Server.World;

namespace Bandejo.Server.Compliance;

/// <summary>Compliance by fleet, app, group and deployment, and its export.</summary>
internal static class ComplianceRoutes
{
    public static void MapCompliance(this RouteGroupBuilder api)
    {
        api.MapGet("/compliance", (WorldHost world, string? by) => Rows(world, by ?? "fleet").Answer())
            .ForAll().WithSummary("Compliance by fleet, app, group or deployment").Produces<IReadOnlyList<ComplianceRow>>();
        api.MapGet("/compliance/targets", (WorldHost world, HttpContext context, string? deployment, string? app, string? group, string? only, string? format) =>
        {
            var outcome = Export(world, deployment, app, group, only);
            if (!outcome.Ok)
            {
                return Problems.Of(outcome.Failure!);
            }

            return format == "csv" ? Results.Text(TargetList.Csv(outcome.Value), "text/csv; charset=utf-8") : Results.Ok(new Page<TargetInfo>(outcome.Value, null, outcome.Value.Count));
        }).ForAll().WithSummary("Every target behind a figure, as JSON or CSV (format=csv); only=late, unmet, unknown or open (unmet or unknown)").Produces<Page<TargetInfo>>();
    }

    private static Outcome<IReadOnlyList<ComplianceRow>> Rows(WorldHost world, string by) => world.Read<Outcome<IReadOnlyList<ComplianceRow>>>(each =>
    {
        var active = each.Deployments.Values.Where(deployment => deployment.IsActive).ToList();
        switch (by)
        {
            case "fleet":
                return (List<ComplianceRow>)[new ComplianceRow("fleet", "fleet", "All devices", Counts.Info(Sum(active)))];
            case "app":
                return active.GroupBy(deployment => deployment.Plan.App).Select(group => new ComplianceRow("app", group.Key, group.First().Plan.AppName, Counts.Info(Sum(group)))).OrderBy(row => row.Id, StringComparer.Ordinal).ToList();
            case "deployment":
                return active.Select(deployment => new ComplianceRow("deployment", deployment.Id, deployment.Plan.Name, Counts.Info(Counts.Of(deployment, each.Now)))).ToList();
            case "group":
                return ByGroup(each, active);
            default:
                return new Failure(ErrorKind.Invalid, $"Compliance is counted by fleet, app, group or deployment, not by '{by}'.");
        }

        ComplianceCount Sum(IEnumerable<DeploymentEntry> deployments) => deployments.Aggregate(ComplianceCount.None, (sum, deployment) => sum + Counts.Of(deployment, each.Now));
    });

    private static List<ComplianceRow> ByGroup(FleetWorld world, List<DeploymentEntry> active) =>
        [.. world.Groups.Values.Select(group => new ComplianceRow(
            "group", group.Record.Slug, group.Record.Name,
            Counts.Info(active.Aggregate(ComplianceCount.None, (sum, deployment) => sum + Counts.Of(deployment, deployment.Targets.States(group.In), world.Now)))))];

    private static Outcome<IReadOnlyList<TargetInfo>> Export(WorldHost world, string? named, string? app, string? group, string? only) => world.Read<Outcome<IReadOnlyList<TargetInfo>>>(each =>
    {
        if (only is not (null or "late" or "unmet" or "unknown" or "open"))
        {
            return new Failure(ErrorKind.Invalid, $"'only' is late, unmet, unknown or open (unmet or unknown), not '{only}'.");
        }

        var deployments = each.Deployments.Values.Where(deployment => deployment.IsActive && (app is null || deployment.Plan.App == app)).ToList();
        if (named is not null)
        {
            var found = Named.Deployment(each, named);
            if (!found.Ok)
            {
                return found.Failure!;
            }

            deployments = [found.Value];
        }

        GroupEntry? members = null;
        if (group is not null)
        {
            var found = Named.Group(each, group);
            if (!found.Ok)
            {
                return found.Failure!;
            }

            members = found.Value;
        }

        return deployments.SelectMany(deployment => deployment.Targets.All.Select(target => (deployment, target)))
            .Where(pair => members is null || (each.Devices.Get(pair.target.Device) is { } device && members.In[device.Row]))
            .Where(pair => only switch
            {
                "late" => Counting.IsLate(pair.target.State, pair.deployment.Plan.Deadline, each.Now),
                "unmet" => Counts.Of(pair.deployment, pair.target, each.Now) is { Unmet: 1 },
                "unknown" => Counts.Of(pair.deployment, pair.target, each.Now) is { Unknown: 1 },
                "open" => Counts.Of(pair.deployment, pair.target, each.Now) is { Unmet: 1 } or { Unknown: 1 },
                _ => true,
            })
            .Select(pair => Views.Target(each, pair.deployment, pair.target))
            .OrderBy(target => target.Deployment, StringComparer.Ordinal).ThenBy(target => target.DeviceName, StringComparer.Ordinal).ToList();
    });
}
