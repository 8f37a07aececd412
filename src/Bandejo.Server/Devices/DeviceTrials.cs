using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Contract.Device;
using Bandejo.Core;
using Bandejo.Core.CheckIns;
using Bandejo.Core.Deployments;
using Bandejo.Core.Packages;
using Bandejo.Core.World;
using Bandejo.Server.Access;
using Bandejo.Server.Http;
using Bandejo.Server.Packages;
using Bandejo.Server.World;
using Bandejo.Store;

namespace Bandejo.Server.Devices;

/// <summary>Trials on enrolled devices that are kept for testing: asked for, ordered, and kept with their packages when the device has told of them.</summary>
internal static class DeviceTrials
{
    public static void MapDeviceTrials(this RouteGroupBuilder api)
    {
        api.MapGet("/devices/{device}/trial", (WorldHost world, string device) => world.Read<Outcome<DeviceTrialInfo>>(each =>
            Named.Device(each, device) is var found && !found.Ok ? found.Failure!
            : each.DeviceTrials.TryGetValue(found.Value.Id, out var trial) ? Info(each, trial)
            : new Failure(ErrorKind.NotFound, $"No trial was asked of {found.Value.Name} yet.")).Answer())
            .ForAll().WithName("getDeviceTrial").WithSummary("The last trial that a device was asked for").Produces<DeviceTrialInfo>();
        api.MapPost("/devices/{device}/trial", async (WorldHost world, HttpContext context, string device, DeviceTrialRequest request) =>
            (await world.Change(context.Person(), decision =>
            {
                var asked = Trials.Ask(decision, device, new TrialAsk(request.Package, request.From, request.Preset, request.Settings));
                return asked.Ok ? Info(decision.World, asked.Value) : (Outcome<DeviceTrialInfo>)asked.Failure!;
            })).Answer(trial => Results.Json(trial, statusCode: 202)))
            .For(Roles.Packager).WithName("startDeviceTrial")
            .WithSummary("Asks a device for testing to try a package, and to leave itself as it was").Produces<DeviceTrialInfo>(202);
        api.MapDelete("/devices/{device}/trial", async (WorldHost world, HttpContext context, string device) =>
            (await world.Change(context.Person(), decision => Trials.TakeBack(decision, device))).Answer(_ => Results.NoContent()))
            .For(Roles.Packager).WithName("endDeviceTrial").WithSummary("Takes back a trial that the device has not begun").Produces(204);
    }

    private static DeviceTrialInfo Info(FleetWorld world, DeviceTrialRecord trial)
    {
        var device = world.Devices[trial.Device];
        return new DeviceTrialInfo(
            trial.Id, device.Name, trial.Package, trial.EndedAt is not null ? "ended" : trial.BeganAt is not null ? "running" : "waiting", trial.By,
            trial.AskedAt, trial.BeganAt, trial.EndedAt, device.LastHeard, (int)world.CheckInInterval.TotalSeconds,
            trial.HasPassed, trial.Says, trial.Kept);
    }
}
