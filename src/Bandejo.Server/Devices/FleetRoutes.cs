using System.Security.Cryptography;
using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Core.Deployments;
using Bandejo.Core.Rules;
using Bandejo.Core.World;
using Bandejo.Identity;
using Bandejo.Server.Access;
using Bandejo.Server.Compliance;
using Bandejo.Server.Deployments;
using Bandejo.Server.Http;
using Bandejo.Server.World;
using Bandejo.Store;

namespace Bandejo.Server.Devices;

/// <summary>Devices and join codes, for people.</summary>
internal static class FleetRoutes
{
    public static void MapFleet(this RouteGroupBuilder api)
    {
        api.MapGet("/devices", (FleetWorld world, [AsParameters] DeviceQuery query, string? format) => format == "csv"
            ? world.Read(each => DeviceList.Csv(each, query)).Answer(csv => Results.Text(csv, "text/csv; charset=utf-8"))
            : world.Read(each => DeviceList.Page(each, query)).Answer())
            .ForAll().WithSummary("Devices; the filter is a rule, 'unsorted', or words that name, kind, model or site contain; sort by name, heard, joined or a fact; columns are facts to be answered too; format=csv gives all").Produces<Page<DeviceInfo>>();
        api.MapGet("/devices/{device}", (FleetWorld world, string device) => world.Read(each => Details(each, device)).Answer())
            .ForAll().WithSummary("All that is known of a device").Produces<DeviceDetails>();
        api.MapGet("/devices/{device}/why", (FleetWorld world, string device, string? deployment) => Why(world, device, deployment).Answer())
            .ForAll().WithSummary("Why a device stands where it stands").Produces<IReadOnlyList<WhyInfo>>();
        api.MapPost("/devices/{device}/check-in", async (FleetWorld world, Hails hails, HttpContext context, string device) =>
            (await world.Change(context.Person(), change => CallIn(change, hails, device))).Answer(isListening => isListening
                ? Results.Accepted()
                : Problems.Of(new Failure(ErrorKind.Conflict, "The device is not listening at the moment; it checks in at its usual time."))))
            .For(Roles.Operator).WithSummary("Asks a device to check in now").Produces(202);
        api.MapDelete("/devices/{device}", async (FleetWorld world, Hails hails, HttpContext context, string device) =>
            (await world.Change(context.Person(), change => Remove(change, device, hails))).Answer(_ => Results.NoContent()))
            .For().WithSummary("Removes a device from the service; nothing is changed on it").Produces(204);

        api.MapGet("/join-codes", (FleetWorld world) => Results.Ok(world.Read(each => (IReadOnlyList<JoinCodeInfo>)[.. each.JoinCodes.Values.Where(code => code.Expires > each.Now && code.UsesLeft > 0).OrderBy(code => code.Expires).Select(code => Info(code, null))])))
            .For(Roles.Operator).WithSummary("Join codes that are still good").Produces<IReadOnlyList<JoinCodeInfo>>();
        api.MapPost("/join-codes", async (FleetWorld world, SiteAuthority authority, HttpContext context, JoinCodeRequest request) =>
            (await world.Change(context.Person(), change => NewCode(change, request, authority.Name))).Answer(code => Results.Created($"/api/v1/join-codes/{code.Id}", code)))
            .For(Roles.Operator).WithSummary("A new join code").Produces<JoinCodeInfo>(201);
        api.MapDelete("/join-codes/{id}", async (FleetWorld world, HttpContext context, string id) =>
            (await world.Change(context.Person(), change => TakeBack(change, id))).Answer(_ => Results.NoContent()))
            .For(Roles.Operator).WithSummary("Takes a join code back").Produces(204);
    }

    /// <summary>A device as it stands in lists.</summary>
    public static DeviceInfo Info(FleetWorld world, DeviceEntry device, IReadOnlyList<FactRef>? facts = null)
    {
        int met = 0, unmet = 0;
        foreach (var deployment in device.Deployments.Where(deployment => deployment.IsActive))
        {
            var counts = Counts.Of(deployment, deployment.Targets[device], world.Now);
            met += counts.Met;
            unmet += counts.Unmet + counts.Unknown;
        }

        var os = $"{world.Fact(device, "os.name")} {world.Fact(device, "os.version")}".Trim();
        return new DeviceInfo(device.Id, device.Name, world.Fact(device, "kind"), world.Fact(device, "site"), world.Fact(device, "model"), os.Length == 0 ? null : os, device.Record.Joined, device.LastHeard, met, unmet, !device.Record.IsSorted, facts is null or [] ? null : [.. facts.Select(fact => world.Columns.Get(device.Row, fact).Value?.ToString())]);
    }

    /// <summary>The failure for a device that is not there, with the nearest name.</summary>
    public static Failure NoDevice(FleetWorld world, string device)
    {
        var near = Suggest.Nearest(device.ToUpperInvariant(), world.DevicesByName.Keys.Take(2000));
        return new Failure(ErrorKind.NotFound, $"There is no device '{device}'." + (near is null ? "" : $" Did you mean '{near}'?"));
    }

    private static Outcome<DeviceDetails> Details(FleetWorld world, string name)
    {
        if (world.FindDevice(name) is not { } device)
        {
            return NoDevice(world, name);
        }

        var programs = device.Record.Sheet.Programs();
        return new DeviceDetails(
            Info(world, device),
            [.. device.Record.Sheet.Facts().Select(fact => (Name: world.Words[fact.Name], fact.Value, fact.Since)).OrderBy(fact => fact.Name, StringComparer.Ordinal).Select(fact => new FactInfo(fact.Name, FactValue.Read(FactCatalog.TypeOf(fact.Name) ?? FactType.Text, fact.Value)?.ToString() ?? fact.Value, fact.Since))],
            [.. (programs ?? []).Select(program => new ProgramInfo(world.Words[program.Name], world.Words[program.Version], world.Words[program.Source])).OrderBy(program => program.Source).ThenBy(program => program.Name, StringComparer.OrdinalIgnoreCase)],
            programs is not null,
            [.. world.Groups.Values.Where(group => group.In[device.Row]).Select(group => group.Record.Slug)],
            [.. device.Deployments.Select(deployment => Views.Target(world, deployment, deployment.Targets[device]))]);
    }

    private static Outcome<IReadOnlyList<WhyInfo>> Why(FleetWorld world, string name, string? deploymentId)
    {
        var outcome = world.Read<Outcome<IReadOnlyList<WhyInfo>>>(each =>
        {
            if (each.FindDevice(name) is not { } device)
            {
                return NoDevice(each, name);
            }

            var asked = each.Deployments.Values.Where(deployment => deploymentId is null ? deployment.IsActive : deployment.Id == deploymentId || deployment.Plan.Name == deploymentId || deployment.Id.StartsWith(deploymentId, StringComparison.Ordinal)).ToList();
            return asked.Count == 0 && deploymentId is not null
                ? new Failure(ErrorKind.NotFound, $"There is no deployment '{deploymentId}'.")
                : (Outcome<IReadOnlyList<WhyInfo>>)asked.OrderByDescending(deployment => deployment.Targets.Has(device)).Select(deployment => Reasons.Of(each, deployment, device)).ToList();
        });
        return outcome.Ok
            ? outcome.Value.Select(why => why with { Attempts = [.. world.Store.Attempts(why.Deployment, why.Device, 5).Select(attempt => Views.Attempt(world, attempt))] }).ToList()
            : outcome;
    }

    private static Outcome<bool> CallIn(WorldChange change, Hails hails, string name)
    {
        if (change.World.FindDevice(name) is not { } device)
        {
            return NoDevice(change.World, name);
        }

        change.Audit("check-in-asked", $"{device.Name} was asked to check in.", null, device.Id);
        return hails.Call(device.Id);
    }

    private static Outcome<bool> Remove(WorldChange change, string name, Hails hails)
    {
        var world = change.World;
        if (world.FindDevice(name) is not { } device)
        {
            return NoDevice(world, name);
        }

        // Nobody will tell any more what became of what it was at.
        foreach (var open in world.OpenAttempts.Values.Where(attempt => attempt.Device == device.Id).ToList())
        {
            world.OpenAttempts.Remove(open.Id);
            change.Keep(new PutAttempt(open with { EndedAt = change.Now, Outcome = Attempts.Word(AttemptOutcome.Interrupted), Message = $"{device.Name} was removed from the service in the middle of it" }));
        }

        if (world.DeviceTrials.GetValueOrDefault(device.Id) is { EndedAt: null })
        {
            change.Event("journal", "trial-ended", $"{device.Name} was removed; the trial that it was asked for will not be told of.", null, device.Id, null, change.By);
        }

        foreach (var deployment in device.Deployments)
        {
            deployment.Targets.Remove(device);
            deployment.IsDirty = true;
        }

        foreach (var group in world.Groups.Values)
        {
            group.In[device.Row] = false;
            group.NotKnown[device.Row] = false;
        }

        world.FactsGone(device);
        world.Columns.Remove(device.Row);
        world.Texts.Set(device.Row, "");
        world.Devices.Remove(device.Id);
        hails.Close(device.Id);
        world.DevicesByName.Remove(device.Name);
        world.DevicesByKey.Remove(device.Record.Key.KeyId);
        world.DevicesByRow.Remove(device.Row);
        world.OrderChanged();
        change.World.DeviceTrials.Remove(device.Id);
        change.Keep(new DeleteDevice(device.Id));
        change.Audit("device-removed", $"{device.Name} was removed from the service.", null, device.Id);
        return true;
    }

    private static Outcome<JoinCodeInfo> NewCode(WorldChange change, JoinCodeRequest request, string? authority)
    {
        if (request.Uses is < 1 or > 10_000 || request.Hours is < 1 or > 720)
        {
            return new Failure(ErrorKind.Invalid, "A join code is good for 1 to 10,000 devices and for 1 to 720 hours.");
        }

        if (request.Group is { } slug && change.World.Groups.GetValueOrDefault(slug)?.Rule is var rule && (!change.World.Groups.ContainsKey(slug) || rule is not null))
        {
            return new Failure(ErrorKind.NotFound, rule is null ? $"There is no group '{slug}'." : $"'{slug}' is a rule group; devices come into it by its rule. Name a listed group, or none.");
        }

        // Letters and digits that cannot be taken for one another (no I, L, O, U, 0, 1); 16 of 29 make 77 bits.
        var text = RandomNumberGenerator.GetString("ABCDEFGHJKMNPQRSTVWXYZ23456789", 16);
        var code = string.Join('-', text.Chunk(4).Select(part => new string(part)));
        var stored = new JoinCodeRecord(Guid.CreateVersion7(change.Now).ToString("N"), Authentication.HashOf(code), request.Group, request.Uses, change.Now.AddHours(request.Hours), change.By!);
        change.World.JoinCodes[stored.Hash] = stored;
        change.Keep(new PutJoinCode(stored));
        change.Audit("join-code-made", $"A join code for {request.Uses} device{(request.Uses == 1 ? "" : "s")}{(request.Group is null ? "" : $" into '{request.Group}'")} was made.");
        return Info(stored, new JoinWords(code, authority).ToString());
    }

    private static Outcome<bool> TakeBack(WorldChange change, string id)
    {
        if (change.World.JoinCodes.Values.FirstOrDefault(code => code.Id == id) is not { } code)
        {
            return new Failure(ErrorKind.NotFound, "There is no such join code.");
        }

        change.World.JoinCodes.Remove(code.Hash);
        change.Keep(new DeleteJoinCode(id));
        change.Audit("join-code-taken-back", "A join code was taken back.");
        return true;
    }

    private static JoinCodeInfo Info(JoinCodeRecord code, string? text) => new(code.Id, text, code.Group, code.UsesLeft, code.Expires, code.MadeBy);
}
