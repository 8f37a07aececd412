using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Core.Rules;
using Bandejo.Core.Site;
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
        api.MapGet("/wave-plans", (WorldHost world) => Results.Ok(world.Read(each => (IReadOnlyList<WavePlanInfo>)[.. each.WavePlans.Values.Select(Info)])))
            .ForAll().WithName("listWavePlans").WithSummary("All wave plans").Produces<IReadOnlyList<WavePlanInfo>>();
        api.MapGet("/wave-plans/{slug}", (WorldHost world, HttpContext context, string slug) => world.Read(each => Named.WavePlan(each, slug)).Answer(
            plan => context.WithRevision(Info(plan), plan.Revision)))
            .ForAll().WithName("getWavePlan").Revised().WithSummary("One wave plan").Produces<WavePlanInfo>();
        api.MapPut("/wave-plans/{slug}", async (WorldHost world, HttpContext context, string slug, WavePlanRequest request) =>
            (await world.Change(context.Person(), decision => WavePlans.Keep(
                decision, context.Unmatched, slug, request.Name, AskForms.Waves(request.Waves),
                JsonSerializer.Serialize(request.Waves, ContractJson.Default.IReadOnlyListWaveRequest))))
                .Answer(plan => context.WithRevision(Info(plan), plan.Revision)))
            .For(Roles.Operator).WithName("putWavePlan").Revised().WithSummary("Keeps a wave plan; changing one needs If-Match").Produces<WavePlanInfo>();
        api.MapDelete("/wave-plans/{slug}", async (WorldHost world, HttpContext context, string slug) =>
            (await world.Change(context.Person(), decision => WavePlans.Remove(decision, context.Unmatched, slug))).Answer(_ => Results.NoContent()))
            .For(Roles.Operator).WithName("removeWavePlan").Revised().WithSummary("Forgets a wave plan; needs If-Match").Produces(204);
    }

    private static WavePlanInfo Info(WavePlanRecord plan) =>
        new(plan.Slug, plan.Name, JsonSerializer.Deserialize(plan.Waves, ContractJson.Default.IReadOnlyListWaveRequest)!, plan.Revision);
}
