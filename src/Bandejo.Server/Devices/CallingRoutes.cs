using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Core.Deployments;
using Bandejo.Core.Site;
using Bandejo.Core.World;
using Bandejo.Server.Access;
using Bandejo.Server.Http;
using Bandejo.Server.World;

namespace Bandejo.Server.Devices;

/// <summary>Asks devices to check in now: one, those of a group, those of a deployment that are not done.</summary>
internal static class CallingRoutes
{
    public static void MapCalling(this RouteGroupBuilder api)
    {
        api.MapPost("/devices/{device}/check-in", async (WorldHost world, Hails hails, HttpContext context, string device) =>
            (await world.Change(context.Person(), decision => One(decision, device))).Answer(called => hails.Call(called)
                ? Results.Accepted()
                : Problems.Of(new Failure(ErrorKind.Conflict, "The device is not listening at the moment; it checks in at its usual time."))))
            .For(Roles.Operator).WithName("askDeviceToCheckIn").WithSummary("Asks a device to check in now").Produces(202);
        api.MapPost("/groups/{slug}/check-in", async (WorldHost world, Hails hails, HttpContext context, string slug) =>
            (await world.Change(context.Person(), decision => OfGroup(decision, slug))).Answer(called => Results.Ok(Call(hails, called))))
            .For(Roles.Operator).WithName("askGroupToCheckIn").WithSummary("Asks all devices of a group to check in now").Produces<CalledInfo>();
        api.MapPost("/deployments/{deployment}/check-in", async (WorldHost world, Hails hails, HttpContext context, string deployment) =>
            (await world.Change(context.Person(), decision => OfDeployment(decision, deployment))).Answer(called => Results.Ok(Call(hails, called))))
            .For(Roles.Operator).WithName("askDeploymentToCheckIn").WithSummary("Asks the devices of a deployment that are not done to check in now")
            .Produces<CalledInfo>();
    }

    private static CalledInfo Call(Hails hails, IReadOnlyList<string> devices) => new(devices.Count, devices.Count(hails.Call));

    private static Outcome<string> One(Decision decision, string named)
    {
        var device = Named.Device(decision.World, named);
        return !device.Ok ? device.Failure!
            : SiteSettings.Tell(decision, "check-in-asked", $"{device.Value.Name} was asked to check in.", device.Value.Id).Ok ? device.Value.Id
            : "";
    }

    private static Outcome<IReadOnlyList<string>> OfGroup(Decision decision, string named)
    {
        var group = Named.Group(decision.World, named);
        if (!group.Ok)
        {
            return group.Failure!;
        }

        string[] devices = [.. group.Value.In.Rows().Select(row => decision.World.Devices.At(row).Id)];
        SiteSettings.Tell(decision, "check-in-asked", $"The {devices.Length} devices of '{group.Value.Record.Slug}' were asked to check in.");
        return devices;
    }

    private static Outcome<IReadOnlyList<string>> OfDeployment(Decision decision, string named)
    {
        var found = Named.Deployment(decision.World, named);
        if (!found.Ok)
        {
            return found.Failure!;
        }

        var deployment = found.Value;
        string[] devices = [.. deployment.Targets.With(TargetTraits.With(TargetTrait.Open)).Select(target => target.Device)];
        SiteSettings.Tell(decision, "check-in-asked", $"The {devices.Length} devices of '{deployment.Plan.Name}' that are not done were asked to check in.");
        return devices;
    }
}
