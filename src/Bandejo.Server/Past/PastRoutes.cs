using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Core.Site;
using Bandejo.Core.World;
using Bandejo.Server.Http;
using Bandejo.Server.World;

namespace Bandejo.Server.Past;

/// <summary>What became of things, and how they went from day to day.</summary>
internal static class PastRoutes
{
    public static void MapPast(this RouteGroupBuilder api)
    {
        api.MapGet("/trends/{what}", async (WorldHost world, string what, string? app, int? days) => (await Trends.Of(world, what, app, days)).Answer())
            .ForAll()
                .WithName("getTrend").WithSummary(
                    "How compliance, fleet or versions (of an app) stood at the end of each of the last days; 30 unless days says otherwise, at most 400")
                .Produces<TrendInfo>();
        MapKeeping(api);
    }

    private static void MapKeeping(RouteGroupBuilder api)
    {
        api.MapGet("/keeping", (WorldHost world) => Results.Ok(Kept(world)))
            .ForAll().WithName("getKeeping").WithSummary("How long what was is kept, and what went the last time").Produces<KeepingInfo>();
        api.MapPut("/keeping", async (WorldHost world, HttpContext context, KeepingRequest request) =>
            (await world.Change(context.Person(), decision => Retention.Set(decision, new RetentionRule(request.HistoryDays, request.LogDays))))
                .Answer(_ => Results.Ok(Kept(world))))
            .For().WithName("changeKeeping").WithSummary("Says how long what was is kept from now on").Produces<KeepingInfo>();
        api.MapPost("/keeping/run", async (WorldHost world, Keeping keeping, HttpContext context) =>
            (await keeping.Run(context.RequestAborted)).Answer(_ => Results.Ok(Kept(world))))
            .For().WithName("runKeeping").WithSummary("Lets what is kept no longer go now, as the service does by itself once a day").Produces<KeepingInfo>();
    }

    private static KeepingInfo Kept(WorldHost world)
    {
        var from = world.KnownFrom(world.Store);
        var (rule, last) = world.Read(each => (Retention.RuleOf(each), Retention.LastOf(each)));
        return new KeepingInfo(rule.HistoryDays, rule.LogDays, from, last?.At, last?.Rows ?? 0, last?.Logs ?? 0, last?.LogBytes ?? 0);
    }

    /// <summary>What became of the targets of a device, the latest first.</summary>
    public static async Task<Outcome<IReadOnlyList<TargetStepInfo>>> History(WorldHost world, string device, string? deployment, int? limit)
    {
        var asked = world.Read<Outcome<(string Device, IReadOnlyList<DeploymentEntry> Deployments)>>(each =>
        {
            var found = Named.Device(each, device);
            var one = deployment is null ? default : Named.Deployment(each, deployment);
            return !found.Ok ? found.Failure!
                : deployment is null ? (found.Value.Id, [.. each.Deployments.Values.Where(of => of.IsShelved || of.Targets.Has(found.Value))])
                : one.Ok ? (found.Value.Id, [one.Value])
                : one.Failure!;
        });
        if (!asked.Ok)
        {
            return asked.Failure!;
        }

        var (store, size) = (await world.Kept(), Routes.PageSize(limit));
        var plans = asked.Value.Deployments.ToDictionary(each => each.Id, each => each.Plan);
        return store.History(plans.Keys, asked.Value.Device, size).Select(each => new TargetStepInfo(
            each.Step.At, each.Deployment, plans[each.Deployment].Name, each.Step.From is { } from ? StateNames.Of(from) : null,
            each.Step.Target is { } target ? StateNames.Of(target.State) : null,
            each.Step.Target?.Reason.ToString() ?? "The device was removed.",
            each.Step.Target is { Wave: >= 0 and var wave } ? plans[each.Deployment].Waves[wave].Name : null)).ToList();
    }
}
