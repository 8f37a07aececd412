using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Core.Rules;
using Bandejo.Core.World;
using Bandejo.Server.Access;
using Bandejo.Server.Http;
using Bandejo.Server.World;
using Bandejo.Store;

namespace Bandejo.Server.Deployments;

/// <summary>Wave plans: lists of waves that are kept for reuse. A deployment copies its waves; changing a plan changes no deployment.</summary>
internal static class WavePlanRoutes
{
    public static void MapWavePlans(this RouteGroupBuilder api)
    {
        api.MapGet("/wave-plans", (FleetWorld world) => Results.Ok(world.Read(each => (IReadOnlyList<WavePlanInfo>)[.. each.WavePlans.Values.Select(Info)])))
            .ForAll().WithSummary("All wave plans").Produces<IReadOnlyList<WavePlanInfo>>();
        api.MapGet("/wave-plans/{slug}", (FleetWorld world, HttpContext context, string slug) => world.Read(each => Find(each, slug)).Answer(plan => context.WithRevision(Info(plan), plan.Revision)))
            .ForAll().WithSummary("One wave plan").Produces<WavePlanInfo>();
        api.MapPut("/wave-plans/{slug}", async (FleetWorld world, HttpContext context, string slug, WavePlanRequest request) =>
            (await world.Change(context.Person(), change => Keep(change, context, slug, request))).Answer(plan => context.WithRevision(plan, plan.Revision)))
            .For(Roles.Operator).WithSummary("Keeps a wave plan; changing one needs If-Match").Produces<WavePlanInfo>();
        api.MapDelete("/wave-plans/{slug}", async (FleetWorld world, HttpContext context, string slug) =>
            (await world.Change(context.Person(), change => Remove(change, context, slug))).Answer(_ => Results.NoContent()))
            .For(Roles.Operator).WithSummary("Forgets a wave plan; needs If-Match").Produces(204);
    }

    private static WavePlanInfo Info(WavePlanRecord plan) => new(plan.Slug, plan.Name, JsonSerializer.Deserialize(plan.Waves, ContractJson.Default.IReadOnlyListWaveRequest)!, plan.Revision);

    private static Outcome<WavePlanRecord> Find(FleetWorld world, string slug)
    {
        if (world.WavePlans.TryGetValue(slug, out var plan))
        {
            return plan;
        }

        var near = Suggest.Nearest(slug, world.WavePlans.Keys);
        return new Failure(ErrorKind.NotFound, $"There is no wave plan '{slug}'." + (near is null ? "" : $" Did you mean '{near}'?"));
    }

    private static Outcome<WavePlanInfo> Keep(WorldChange change, HttpContext context, string slug, WavePlanRequest request)
    {
        if (slug.Length is 0 or > 64 || FactCatalog.Slug(slug) != slug)
        {
            return new Failure(ErrorKind.Invalid, $"A wave plan's short name is lower-case letters, digits and hyphens, such as '{FactCatalog.Slug(slug)}'.");
        }

        var known = change.World.WavePlans.GetValueOrDefault(slug);
        if (known is not null && context.Unmatched(known.Revision, must: true) is { } unmatched)
        {
            return unmatched;
        }

        var findings = new List<Finding>();
        Planning.ReadWaves(request.Waves, findings);
        if (findings.Count > 0)
        {
            return new Failure(ErrorKind.Invalid, findings.Count == 1 ? findings[0].Message : $"The wave plan has {findings.Count} errors.", findings);
        }

        var plan = new WavePlanRecord(slug, string.IsNullOrWhiteSpace(request.Name) ? known?.Name ?? slug : request.Name.Trim(), JsonSerializer.Serialize(request.Waves, ContractJson.Default.IReadOnlyListWaveRequest), (known?.Revision ?? 0) + 1);
        change.World.WavePlans[slug] = plan;
        change.Keep(new PutWavePlan(plan));
        change.Audit("wave-plan-kept", $"The wave plan '{slug}' was {(known is null ? "made" : "changed")}: {string.Join(" / ", request.Waves.Select(wave => wave.Name))}.");
        return Info(plan);
    }

    private static Outcome<bool> Remove(WorldChange change, HttpContext context, string slug)
    {
        var found = Find(change.World, slug);
        if (!found.Ok)
        {
            return found.Failure!;
        }

        if (context.Unmatched(found.Value.Revision, must: true) is { } unmatched)
        {
            return unmatched;
        }

        change.World.WavePlans.Remove(slug);
        change.Keep(new DeleteWavePlan(slug));
        change.Audit("wave-plan-removed", $"The wave plan '{slug}' was forgotten.");
        return true;
    }
}
