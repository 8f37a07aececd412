using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Core.CheckIns;
using Bandejo.Core.Rollouts;
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
            (await world.Change(context.Person(), decision => Calling.Device(decision, device))).Answer(called => hails.Call(called)
                ? Results.Accepted()
                : Problems.Of(new Failure(ErrorKind.Conflict, "The device is not listening at the moment; it checks in at its usual time."))))
            .For(Roles.Operator).WithName("askDeviceToCheckIn").WithSummary("Asks a device to check in now").Produces(202);
        api.MapPost("/devices/{device}/wake", async (WorldHost world, HttpContext context, string device) =>
            (await world.Change(context.Person(), decision => Waking.Device(decision, device))).Answer(by => Results.Ok(new WokenInfo(by))))
            .For(Roles.Operator).WithName("wakeDevice").WithSummary("Has a device that sleeps woken by neighbours at its site").Produces<WokenInfo>();
        api.MapPost("/groups/{slug}/check-in", async (WorldHost world, Hails hails, HttpContext context, string slug) =>
            (await world.Change(context.Person(), decision => Calling.Group(decision, slug))).Answer(called => Results.Ok(Call(hails, called))))
            .For(Roles.Operator).WithName("askGroupToCheckIn").WithSummary("Asks all devices of a group to check in now").Produces<CalledInfo>();
        api.MapPost("/deployments/{deployment}/check-in", async (WorldHost world, Hails hails, HttpContext context, string deployment) =>
            (await world.Change(context.Person(), decision => Calling.Deployment(decision, deployment))).Answer(called => Results.Ok(Call(hails, called))))
            .For(Roles.Operator).WithName("askDeploymentToCheckIn").WithSummary("Asks the devices of a deployment that are not done to check in now")
            .Produces<CalledInfo>();
    }

    private static CalledInfo Call(Hails hails, IReadOnlyList<string> devices) => new(devices.Count, devices.Count(hails.Call));
}
