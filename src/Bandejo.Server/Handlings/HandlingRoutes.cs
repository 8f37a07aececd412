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
        api.MapGet("/handlings", (FleetWorld world) => Results.Ok(world.Read(each => (IReadOnlyList<HandlingInfo>)[.. each.Handlings.Values.Select(KeptHandlings.Info)])))
            .ForAll().WithSummary("All handlings").Produces<IReadOnlyList<HandlingInfo>>();
        api.MapGet("/handlings/{slug}", (FleetWorld world, HttpContext context, string slug) => world.Read(each => KeptHandlings.Find(each, slug)).Answer(handling => context.WithRevision(KeptHandlings.Info(handling), handling.Revision)))
            .ForAll().WithSummary("One handling").Produces<HandlingInfo>();
        api.MapPost("/handlings/{slug}/concerns", (FleetWorld world, string slug, HandlingRequest request) =>
            world.Read(each => Concerns(each, slug, request)).Answer())
            .For(Roles.Operator).WithSummary("Whom it would concern if a handling became this; changes nothing").Produces<HandlingConcerns>();
        api.MapPut("/handlings/{slug}", async (FleetWorld world, HttpContext context, string slug, HandlingRequest request) =>
            (await world.Change(context.Person(), change => Keep(change, context, slug, request))).Answer(handling => context.WithRevision(handling, handling.Revision)))
            .For(Roles.Operator).WithSummary("Keeps a handling; changing one needs If-Match").Produces<HandlingInfo>();
        api.MapDelete("/handlings/{slug}", async (FleetWorld world, HttpContext context, string slug) =>
            (await world.Change(context.Person(), change => Remove(change, context, slug))).Answer(_ => Results.NoContent()))
            .For(Roles.Operator).WithSummary("Forgets a handling; needs If-Match").Produces(204);
    }

    private static Outcome<HandlingConcerns> Concerns(FleetWorld world, string slug, HandlingRequest request)
    {
        var read = KeptHandlings.Read(world, slug, request);
        return read.Ok ? KeptHandlings.Concerns(world, world.Handlings.GetValueOrDefault(slug), read.Value) : read.Failure!;
    }

    private static Outcome<HandlingInfo> Keep(WorldChange change, HttpContext context, string slug, HandlingRequest request)
    {
        if (change.World.Handlings.GetValueOrDefault(slug) is { } known && context.Unmatched(known.Revision, must: true) is { } unmatched)
        {
            return unmatched;
        }

        var read = KeptHandlings.Read(change.World, slug, request);
        if (!read.Ok)
        {
            return read.Failure!;
        }

        KeptHandlings.Put(change, slug, read.Value);
        return KeptHandlings.Info(read.Value);
    }

    private static Outcome<bool> Remove(WorldChange change, HttpContext context, string slug)
    {
        var found = KeptHandlings.Find(change.World, slug);
        if (!found.Ok)
        {
            return found.Failure!;
        }

        if (context.Unmatched(found.Value.Revision, must: true) is { } unmatched)
        {
            return unmatched;
        }

        if (change.World.Deployments.Values.Where(each => each.IsActive && each.Plan.Handling == slug).Select(each => each.Plan.Name).ToList() is { Count: > 0 } named)
        {
            return new Failure(ErrorKind.Conflict, $"{(named.Count == 1 ? "A deployment" : $"{named.Count} deployments")} under way {(named.Count == 1 ? "goes" : "go")} by '{slug}': {string.Join(", ", named.Take(5))}. End {(named.Count == 1 ? "it" : "them")} first, or change the handling.");
        }

        KeptHandlings.Put(change, slug, null);
        return true;
    }
}
