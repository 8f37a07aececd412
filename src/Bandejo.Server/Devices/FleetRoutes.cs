using System.Security.Cryptography;
using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Core.CheckIns;
using Bandejo.Core.Deployments;
using Bandejo.Core.Rules;
using Bandejo.Core.Site;
using Bandejo.Core.World;
using Bandejo.Identity;
using Bandejo.Server.Access;
using Bandejo.Server.Compliance;
using Bandejo.Server.Deployments;
using Bandejo.Server.Http;
using Bandejo.Server.Past;
using Bandejo.Server.World;
using Bandejo.Store;

namespace Bandejo.Server.Devices;

/// <summary>Devices and join codes, for people.</summary>
internal static class FleetRoutes
{
    /// <summary>How often it is looked again, where a deployment was put away in the middle of it.</summary>
    private const int MostTries = 3;

    public static void MapFleet(this RouteGroupBuilder api)
    {
        api.MapGet("/devices", (WorldHost world, [AsParameters] DeviceQuery query, string? format) => format == "csv"
            ? world.Read(each => DeviceList.Csv(each, query))
            : world.Read(each => DeviceList.Page(each, query)).Answer())
            .ForAll()
                .WithName("listDevices").WithSummary(
                    "Devices; the filter is a rule, 'unsorted', or words that name, kind, model or site contain; sort by name, heard, joined or a fact; "
                        + "columns are facts to be answered too; format=csv gives all")
                .Produces<Page<DeviceInfo>>();
        api.MapGet("/devices/{device}", async (WorldHost world, HttpContext context, string device, string? asOf) => (asOf is null
            ? await Details(world, device)
            : await world.Past(context, asOf, past => past.Device(device))).Answer())
            .ForAll().WithName("getDevice")
            .WithSummary("All that is known of a device; asOf gives what was known of it at a past moment").Produces<DeviceDetails>();
        api.MapGet(
            "/devices/{device}/history",
            async (WorldHost world, string device, string? deployment, int? limit) => (await PastRoutes.History(world, device, deployment, limit)).Answer())
            .ForAll().WithName("getDeviceHistory").WithSummary("What became of a device's targets, the latest first").Produces<IReadOnlyList<TargetStepInfo>>();
        api.MapGet("/devices/{device}/why", async (WorldHost world, string device, string? deployment) => (await Why(world, device, deployment)).Answer())
            .ForAll().WithName("whyDevice").WithSummary("Why a device stands where it stands").Produces<IReadOnlyList<WhyInfo>>();
        api.MapDelete("/devices/{device}", async (WorldHost world, Hails hails, HttpContext context, string device) =>
        {
            var removed = await Remove(world, context.Person(), device);
            if (removed.Ok)
            {
                hails.Close(removed.Value);
            }

            return removed.Answer(_ => Results.NoContent());
        })
            .For().WithName("removeDevice").WithSummary("Removes a device from the service; nothing is changed on it").Produces(204);

        api.MapGet("/join-codes", (WorldHost world) => Results.Ok(world.Read(each => (IReadOnlyList<JoinCodeInfo>)[
            .. each.JoinCodes.Values.Where(code => code.Expires > each.Now && code.UsesLeft > 0).OrderBy(code => code.Expires)
                .Select(code => Info(code, null))])))
            .ForSeeing(Roles.Operator).WithName("listJoinCodes").WithSummary("Join codes that are still good").Produces<IReadOnlyList<JoinCodeInfo>>();
        api.MapPost("/join-codes", async (WorldHost world, SiteAuthority authority, HttpContext context, JoinCodeRequest request) =>
        {
            // Letters and digits that cannot be taken for one another (no I, L, O, U, 0, 1); 16 of 29 make 77 bits.
            var text = RandomNumberGenerator.GetString("ABCDEFGHJKMNPQRSTVWXYZ23456789", 16);
            var code = string.Join('-', text.Chunk(4).Select(part => new string(part)));
            return (await world.Change(context.Person(), decision => JoinCodes.Add(
                decision, Authentication.HashOf(code), request.Group, request.Uses, request.Hours)))
                .Answer(made => Results.Created($"/api/v1/join-codes/{made.Id}", Info(made, new JoinWords(code, authority.Name).ToString())));
        })
            .For(Roles.Operator).WithName("createJoinCode").WithMetadata(new AnswersSecret()).WithSummary("A new join code").Produces<JoinCodeInfo>(201);
        api.MapDelete("/join-codes/{id}", async (WorldHost world, HttpContext context, string id) =>
            (await world.Change(context.Person(), decision => JoinCodes.TakeBack(decision, id))).Answer(_ => Results.NoContent()))
            .For(Roles.Operator).WithName("removeJoinCode").WithSummary("Takes a join code back").Produces(204);
    }

    /// <summary>A device as it stands in lists.</summary>
    public static DeviceInfo Info(FleetWorld world, DeviceEntry device, IReadOnlyList<FactRef>? facts = null)
    {
        int met = 0, unmet = 0;
        foreach (var deployment in world.ActiveOf(device))
        {
            var counts = Counting.Compliance(deployment.Targets.StateOf(device)!.Value, null, world.Now);
            met += counts.Met;
            unmet += counts.Unmet + counts.Unknown;
        }

        return new DeviceInfo(
            device.Id, device.Name, world.Fact(device, "kind"), world.Fact(device, "site"), world.Fact(device, "model"),
            System(world.Fact(device, "os.name"), world.Fact(device, "os.version")),
            device.Record.Joined, device.LastHeard, met, unmet, !device.Record.IsSorted,
            facts is null or [] ? null : [.. facts.Select(fact => world.Columns.Get(device.Row, fact).Value?.ToString())]);
    }

    /// <summary>The operating system in one line; null where it is not known.</summary>
    public static string? System(string? name, string? version) => $"{name} {version}".Trim() is { Length: > 0 } system ? system : null;

    /// <summary>A fact as people read it.</summary>
    /// <param name="value">As the device said it.</param>
    public static FactInfo Fact(string name, string value, DateTimeOffset since) =>
        new(name, FactValue.Read(FactCatalog.TypeOf(name) ?? FactType.Text, value)?.ToString() ?? value, since);

    /// <summary>Removes a device, also from what it was part of and what is only kept.</summary>
    private static async Task<Outcome<string>> Remove(WorldHost world, string person, string named)
    {
        for (var tries = 0; ; tries++)
        {
            var targets = await Shelved(world, named);
            var removed = await world.Change(person, decision => Enrolment.Remove(decision, named, targets));
            if (removed.Ok || removed.Failure!.Kind != ErrorKind.Stale || tries >= MostTries)
            {
                return removed;
            }
        }
    }

    /// <summary>The targets of a device that are only kept.</summary>
    private static async Task<ShelvedTargets> Shelved(WorldHost world, string named)
    {
        var (device, deployments) = world.Read(each => (Named.Device(each, named) is { Ok: true, Value.Id: var id } ? id : null,
            each.Shelved.Select(deployment => deployment.Id).ToList()));
        return device is null || deployments.Count == 0
            ? new ShelvedTargets(deployments.ToHashSet(StringComparer.Ordinal), [])
            : (await world.Kept()).Targets(device, deployments);
    }

    private static async Task<Outcome<DeviceDetails>> Details(WorldHost world, string name)
    {
        for (var tries = 0; ; tries++)
        {
            var shelved = await Shelved(world, name);
            if (world.Read(each => tries < MostTries && each.Shelved.Any(deployment => !shelved.LookedIn.Contains(deployment.Id))
                ? default(Outcome<DeviceDetails>?)
                : Details(each, name, shelved)) is { } details)
            {
                return details;
            }
        }
    }

    private static Outcome<DeviceDetails> Details(FleetWorld world, string name, ShelvedTargets shelved)
    {
        var found = Named.Device(world, name);
        if (!found.Ok)
        {
            return found.Failure!;
        }

        var device = found.Value;
        var programs = device.Record.Sheet.Programs();
        return new DeviceDetails(
            Info(world, device),
            [
                .. device.Record.Sheet.Facts().Select(fact => (Name: world.WordBook[fact.Name], fact.Value, fact.Since))
                    .OrderBy(fact => fact.Name, StringComparer.Ordinal)
                    .Select(fact => Fact(fact.Name, fact.Value, fact.Since))],
            [
                .. (programs ?? []).Select(program => new ProgramInfo(
                    world.WordBook[program.Name], world.WordBook[program.Version], world.WordBook[program.Source]))
                    .OrderBy(program => program.Source).ThenBy(program => program.Name, StringComparer.OrdinalIgnoreCase)],
            programs is not null,
            [.. world.Groups.Values.Where(group => group.In[device.Row]).Select(group => group.Record.Slug)],
            [
                .. world.DeploymentsOf(device).Select(deployment => (Deployment: deployment, Target: deployment.Targets[device]))
                    .Concat(shelved.Targets.Where(each => world.Deployments[each.Deployment].IsShelved).Select(
                        each => (Deployment: world.Deployments[each.Deployment], each.Target)))
                    .OrderBy(each => each.Deployment.Id, StringComparer.Ordinal).Select(each => Views.Target(world, each.Deployment, each.Target))]);
    }

    private static async Task<Outcome<IReadOnlyList<WhyInfo>>> Why(WorldHost world, string name, string? deploymentId)
    {
        var outcome = world.Read<Outcome<IReadOnlyList<WhyInfo>>>(each =>
        {
            var named = Named.Device(each, name);
            if (!named.Ok)
            {
                return named.Failure!;
            }

            var device = named.Value;
            if (deploymentId is not null)
            {
                var found = Named.Deployment(each, deploymentId);
                return found.Ok ? new[] { Reasons.Of(each, found.Value, device) } : found.Failure!;
            }

            return each.Active.OrderByDescending(deployment => deployment.Targets.Has(device))
                .Select(deployment => Reasons.Of(each, deployment, device)).ToList();
        });
        if (!outcome.Ok)
        {
            return outcome;
        }

        var kept = await world.Kept();
        return outcome.Value.Select(
            why => why with { Attempts = [.. kept.Attempts(why.Deployment, why.Device, 5).Select(attempt => Views.Attempt(world, attempt))] })
            .ToList();
    }

    private static JoinCodeInfo Info(JoinCodeRecord code, string? text) => new(code.Id, text, code.Group, code.UsesLeft, code.Expires, code.MadeBy);
}
