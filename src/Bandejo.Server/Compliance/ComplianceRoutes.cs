using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
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
        api.MapGet("/compliance/targets", (WorldHost world, string? deployment, string? app, string? group, string? only, string? format) =>
            Export(world, deployment, app, group, only)
                .Answer(targets => format == "csv" ? TargetList.Csv(targets) : Streams.Page(targets, ContractJson.Default.TargetInfo)))
            .ForAll().WithSummary("Every target behind a figure, as JSON or CSV (format=csv); only=late, unmet, unknown or open (unmet or unknown)")
                .Produces<Page<TargetInfo>>();
    }

    private static Outcome<IReadOnlyList<ComplianceRow>> Rows(WorldHost world, string by) => world.Read<Outcome<IReadOnlyList<ComplianceRow>>>(each =>
    {
        var active = each.Deployments.Values.Where(deployment => deployment.IsActive).ToList();
        switch (by)
        {
            case "fleet":
                return (List<ComplianceRow>)[new ComplianceRow("fleet", "fleet", "All devices", Counts.Info(Sum(active)))];
            case "app":
                return active.GroupBy(deployment => deployment.Plan.App)
                    .Select(group => new ComplianceRow("app", group.Key, group.First().Plan.AppName, Counts.Info(Sum(group))))
                    .OrderBy(row => row.Id, StringComparer.Ordinal).ToList();
            case "deployment":
                return active.Select(deployment => new ComplianceRow("deployment", deployment.Id, deployment.Plan.Name, Counts.Info(Counts.Of(
                    deployment, each.Now))))
                    .ToList();
            case "group":
                return ByGroup(each, active);
            default:
                return new Failure(ErrorKind.Invalid, $"Compliance is counted by fleet, app, group or deployment, not by '{by}'.");
        }

        ComplianceCount Sum(IEnumerable<DeploymentEntry> deployments) =>
            deployments.Aggregate(ComplianceCount.None, (sum, deployment) => sum + Counts.Of(deployment, each.Now));
    });

    private static List<ComplianceRow> ByGroup(FleetWorld world, List<DeploymentEntry> active) =>
        [.. world.Groups.Values.Select(group => new ComplianceRow(
            "group", group.Record.Slug, group.Record.Name,
            Counts.Info(active.Aggregate(ComplianceCount.None, (sum, deployment) => sum + Counts.Of(
                deployment, deployment.Targets.States(group.In), world.Now)))))];

    /// <summary>The targets behind a figure by deployment and device, made while they are read.</summary>
    private static Outcome<IEnumerable<TargetInfo>> Export(WorldHost world, string? named, string? app, string? group, string? only) =>
        world.Read<Outcome<IEnumerable<TargetInfo>>>(each =>
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

        return Outcome.Of(Targets(each, deployments, members?.In, only));
    });

    private static IEnumerable<TargetInfo> Targets(FleetWorld world, IEnumerable<DeploymentEntry> deployments, Bitmap? members, string? only)
    {
        foreach (var deployment in deployments)
        {
            var rows = deployment.Targets.In(Enum.GetValues<TargetState>().Where(state => IsMeant(state, deployment)));
            foreach (var device in world.Devices.InOrder(members is null ? rows : rows.And(members)))
            {
                yield return Views.Target(world, deployment, deployment.Targets[device]);
            }
        }

        bool IsMeant(TargetState state, DeploymentEntry deployment)
        {
            var count = Counting.Compliance(state, deployment.Plan.Deadline, world.Now);
            return only switch
            {
                "late" => Counting.IsLate(state, deployment.Plan.Deadline, world.Now),
                "unmet" => count.Unmet == 1,
                "unknown" => count.Unknown == 1,
                "open" => count.Unmet == 1 || count.Unknown == 1,
                _ => true,
            };
        }
    }
}
