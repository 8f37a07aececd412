using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.World;
using Bandejo.Server.Deployments;
using Bandejo.Server.Http;
using Bandejo.Server.Past;
using Bandejo.Server.World;

namespace Bandejo.Server.Compliance;

/// <summary>Compliance by fleet, app, group and deployment, and its export.</summary>
internal static class ComplianceRoutes
{
    public static void MapCompliance(this RouteGroupBuilder api)
    {
        api.MapGet("/compliance", async (WorldHost world, HttpContext context, string? by, string? asOf) => (asOf is null
            ? Rows(world, by ?? "fleet")
            : await world.Past(context, asOf, past => past.Compliance(by ?? "fleet"))).Answer())
            .ForAll().WithName("getCompliance")
            .WithSummary("Compliance by fleet, app, group or deployment; asOf gives that of a past moment").Produces<IReadOnlyList<ComplianceRow>>();
        api.MapGet(
            "/compliance/targets",
            async (
                WorldHost world, HttpContext context, string? deployment, string? app, string? group, string? only, string? format, string? asOf) =>
            (ComplianceRows.Against(only) is { } against ? against
                : asOf is null ? Export(world, deployment, app, group, only)
                : await world.Past(context, asOf, past => past.Targets(deployment, app, group, only)))
                .Answer(targets => format == "csv" ? TargetList.Csv(targets) : Streams.Page(targets, ContractJson.Default.TargetInfo)))
            .ForAll()
                .WithName("listComplianceTargets").WithSummary(
                    "Every target behind a figure, as JSON or CSV (format=csv); only=late, unmet, unknown or open (unmet or unknown); asOf gives those of "
                        + "a past moment")
                .Produces<Page<TargetInfo>>();
    }

    private static Outcome<IReadOnlyList<ComplianceRow>> Rows(WorldHost world, string by) => world.Read(each =>
    {
        var groups = by == "group" ? each.Groups.Values.ToList() : [];
        return ComplianceRows.Of(
            by, [.. each.Deployments.Values.Where(deployment => deployment.IsActive).Select(deployment => Standing(each, deployment, groups))],
            [.. groups.Select(group => group.Record)]);
    });

    private static Standing Standing(FleetWorld world, DeploymentEntry deployment, IReadOnlyList<GroupEntry> groups)
    {
        // Found once, however many groups it is counted by.
        var late = Lateness.Rows(world, deployment);
        return new Standing(deployment.Plan, Counted(null), [.. groups.Select(group => Counted(group.In))]);

        StandingCounts Counted(Bitmap? among) =>
            new(deployment.Targets.States(among), deployment.Targets.States(among is null ? late : late.Copy().And(among)));
    }

    /// <summary>The targets behind a figure by deployment and device, made while they are read.</summary>
    private static Outcome<IEnumerable<TargetInfo>> Export(WorldHost world, string? named, string? app, string? group, string? only) =>
        world.Read<Outcome<IEnumerable<TargetInfo>>>(each =>
    {
        var slug = app is null ? default : Named.App(each, app);
        if (app is not null && !slug.Ok)
        {
            return slug.Failure!;
        }

        var deployments = each.Deployments.Values.Where(deployment => deployment.IsActive && (app is null || deployment.Plan.App == slug.Value)).ToList();
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
        // Who is meant is found now, also where targets must be fetched for it; what is said of each is made while it is read.
        var meant = deployments.Select(deployment => (Deployment: deployment, Rows: only == "late"
            ? Lateness.Rows(world, deployment)
            : deployment.Targets.In(Enum.GetValues<TargetState>().Where(state => ComplianceRows.IsMeant(state, only, isLate: false))))).ToList();
        return meant.SelectMany(each => world.Devices.InOrder(members is null ? each.Rows : each.Rows.And(members)).Select(
            device => Views.Target(world, each.Deployment, each.Deployment.Targets[device])));
    }
}
