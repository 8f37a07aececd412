using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Core.World;
using Bandejo.Server.Access;
using Bandejo.Server.Http;
using Bandejo.Server.World;
using Bandejo.Store;

namespace Bandejo.Server.Handlings;

/// <summary>Handlings that are kept by name, used by any package, and changed in one place.</summary>
internal static class HandlingRoutes
{
    public static void MapHandlings(this RouteGroupBuilder api)
    {
        api.MapGet("/handlings", (WorldHost world) => Results.Ok(world.Read(each => (IReadOnlyList<HandlingInfo>)[
            .. each.Handlings.Values.Select(HandlingForms.Info)])))
            .ForAll().WithName("listHandlings").WithSummary("All handlings").Produces<IReadOnlyList<HandlingInfo>>();
        api.MapGet("/handlings/{slug}", (WorldHost world, HttpContext context, string slug) => world.Read(each => Named.Handling(each, slug)).Answer(
            handling => context.WithRevision(HandlingForms.Info(handling), handling.Revision)))
            .ForAll().WithName("getHandling").Revised().WithSummary("One handling").Produces<HandlingInfo>();
        api.MapPost("/handlings/{slug}/concerns", (WorldHost world, string slug, HandlingRequest request) =>
            world.Read(each => Concerns(each, slug, request)).Answer())
            .For(Roles.Operator).WithName("checkHandling")
            .WithSummary("Whom it would concern if a handling became this; changes nothing").Produces<HandlingConcerns>();
        api.MapPut("/handlings/{slug}", async (WorldHost world, HttpContext context, string slug, HandlingRequest request) =>
            (await world.Change(context.Person(), decision => Core.Site.Handlings.Keep(decision, context.Unmatched, slug, HandlingForms.Ask(request))))
                .Answer(handling => context.WithRevision(HandlingForms.Info(handling), handling.Revision)))
            .For(Roles.Operator).WithName("putHandling").Revised().WithSummary("Keeps a handling; changing one needs If-Match").Produces<HandlingInfo>();
        api.MapDelete("/handlings/{slug}", async (WorldHost world, HttpContext context, string slug) =>
            (await world.Change(context.Person(), decision => Core.Site.Handlings.Remove(decision, context.Unmatched, slug))).Answer(_ => Results.NoContent()))
            .For(Roles.Operator).WithName("removeHandling").Revised().WithSummary("Forgets a handling; needs If-Match").Produces(204);
    }

    private static Outcome<HandlingConcerns> Concerns(FleetWorld world, string slug, HandlingRequest request)
    {
        var read = Core.Site.Handlings.Read(world, slug, HandlingForms.Ask(request));
        if (!read.Ok)
        {
            return read.Failure!;
        }

        var reach = Core.Site.Handlings.ReachOf(world, world.Handlings.GetValueOrDefault(slug), read.Value);
        return new HandlingConcerns(reach.Apps, [.. reach.Deployments.Select(each => each.Id)], reach.Devices, reach.Says);
    }
}
