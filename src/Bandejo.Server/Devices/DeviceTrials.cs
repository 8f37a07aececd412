using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Contract.Device;
using Bandejo.Core;
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
    /// <summary>What the attempts of a trial are called.</summary>
    public const string Kind = "trial";

    private const int LeaseSeconds = 24 * 3600;

    public static void MapDeviceTrials(this RouteGroupBuilder api)
    {
        api.MapGet("/devices/{device}/trial", (FleetWorld world, string device) => world.Read<Outcome<DeviceTrialInfo>>(each =>
            each.FindDevice(device) is not { } found ? FleetRoutes.NoDevice(each, device)
            : each.DeviceTrials.TryGetValue(found.Id, out var trial) ? Info(each, trial)
            : new Failure(ErrorKind.NotFound, $"No trial was asked of {found.Name} yet.")).Answer())
            .ForAll().WithSummary("The last trial that a device was asked for").Produces<DeviceTrialInfo>();
        api.MapPost("/devices/{device}/trial", async (FleetWorld world, HttpContext context, string device, DeviceTrialRequest request) =>
            (await world.Change(context.Person(), change => Ask(change, device, request))).Answer(trial => Results.Json(trial, statusCode: 202)))
            .For(Roles.Packager).WithSummary("Asks a device for testing to try a package, and to leave itself as it was").Produces<DeviceTrialInfo>(202);
        api.MapDelete("/devices/{device}/trial", async (FleetWorld world, HttpContext context, string device) =>
            (await world.Change(context.Person(), change => TakeBack(change, device))).Answer(_ => Results.NoContent()))
            .For(Roles.Packager).WithSummary("Takes back a trial that the device has not begun").Produces(204);
    }

    /// <summary>What a device is to do for the trial that it was asked for; null for nothing.</summary>
    public static Order? Order(FleetWorld world, DeviceEntry device) =>
        world.DeviceTrials.GetValueOrDefault(device.Id) is { EndedAt: null } trial && world.Packages.TryGetValue(trial.Package, out var package) && package.Record.State != PackageState.Withdrawn
            ? new Order(trial.Id, 0, Kind, true, package.Link, trial.Variant, trial.Earlier is { } earlier ? world.Packages.GetValueOrDefault(earlier)?.Link : null, LeaseSeconds, null, false, 1, 60, 60, trial.Settings) : null;

    /// <summary>Takes what a device tells of a trial. Of one that was replaced or taken back meanwhile nothing is kept.</summary>
    /// <param name="kept">The name under which its steps are kept; null where it has none.</param>
    public static void Take(WorldChange change, DeviceEntry device, AttemptReport report, string? kept)
    {
        if (change.World.DeviceTrials.GetValueOrDefault(device.Id) is not { EndedAt: null } trial || trial.Id != report.Deployment)
        {
            return;
        }

        var package = change.World.Packages.TryGetValue(trial.Package, out var tried) ? $"{tried.Document.Name} {tried.Record.Version}" : "its package";
        if (!report.HasEnded)
        {
            Put(change, trial with { BeganAt = report.StartedAt });
            change.Event("journal", "trial-began", $"{device.Name} began to try {package}.", null, device.Id);
            return;
        }

        var says = report.Message.Length > 1000 ? report.Message[..1000] : report.Message;
        Put(change, trial with { BeganAt = report.StartedAt, EndedAt = report.EndedAt ?? change.Now, HasPassed = report.Outcome == "done", Says = says, Kept = kept });
        change.World.OrdersInDoubt(device);
        change.Event("journal", "trial-ended", $"{device.Name} has tried {package}: {says}.", null, device.Id);
        if (kept is not null && report.Steps is { Count: > 0 } steps)
        {
            Life.Try(change, trial.Package, new TrialReport(Machine(device), steps), kept, trial.By);
        }
    }

    /// <summary>The steps of a trial as they are kept; null where the report has none.</summary>
    public static byte[]? Form(DeviceEntry device, AttemptReport report) =>
        report is { Kind: Kind, HasEnded: true, Steps: { Count: > 0 } steps } ? JsonSerializer.SerializeToUtf8Bytes(new TrialReport(Machine(device), steps), ContractJson.Default.TrialReport) : null;

    private static string Machine(DeviceEntry device) => $"the device {device.Name}";

    private static Outcome<DeviceTrialInfo> Ask(WorldChange change, string name, DeviceTrialRequest request)
    {
        var world = change.World;
        if (world.FindDevice(name) is not { } device)
        {
            return FleetRoutes.NoDevice(world, name);
        }

        if (!world.Groups.Values.Any(group => group.Record.IsForTesting && group.In[device.Row]))
        {
            return new Failure(ErrorKind.Conflict, $"{device.Name} is in no group that is marked for testing. A trial installs and removes on the device itself; put one that is kept for that into such a group.");
        }

        if (world.DeviceTrials.GetValueOrDefault(device.Id) is { BeganAt: not null, EndedAt: null } running && world.Packages.GetValueOrDefault(running.Package) is { } under)
        {
            return new Failure(ErrorKind.Conflict, $"{device.Name} is in the middle of a trial of {under.Document.Name} {under.Record.Version}, which {running.By} asked for.");
        }

        var found = Catalogue.Find(world, request.Package);
        var before = request.From is null ? found : Catalogue.Find(world, request.From);
        if (!found.Ok || !before.Ok)
        {
            return (found.Failure ?? before.Failure)!;
        }

        var (package, earlier) = (found.Value, request.From is null ? null : before.Value);
        if (package.Record.State == PackageState.Withdrawn || package.IsRetired || earlier?.IsRetired == true || (earlier is not null && earlier.Record.App != package.Record.App))
        {
            return new Failure(ErrorKind.Conflict, "What is tried must neither be withdrawn nor retired, and the earlier version must be one of the same app.");
        }

        var fit = Targeting.Weigh(package.Variants, world.Columns.Row(device.Row));
        if (fit.Variant is not { } variant)
        {
            return new Failure(ErrorKind.Conflict, $"No variant of {package.Document.Name} {package.Record.Version} is meant for {device.Name}: {fit.Reason}.");
        }

        var document = package.Document;
        var settings = Settings.Resolve(Documents.SettingsOf(document), document.Presets ?? new Dictionary<string, IReadOnlyDictionary<string, string>>(), request.Preset, request.Settings ?? new Dictionary<string, string>());
        if (!settings.Ok)
        {
            return settings.Failure!;
        }

        var trial = new DeviceTrialRecord("T" + Guid.CreateVersion7(change.Now).ToString("N"), device.Id, package.Record.Digest, variant, earlier?.Record.Digest, settings.Value.Count == 0 ? null : settings.Value, change.By!, change.Now, null, null, false, "", null);
        Put(change, trial);
        world.OrdersInDoubt(device);
        change.Audit("trial-asked", $"{device.Name} was asked to try {document.Name} {document.Version}.", null, device.Id);
        return Info(world, trial);
    }

    private static Outcome<bool> TakeBack(WorldChange change, string name)
    {
        if (change.World.FindDevice(name) is not { } device)
        {
            return FleetRoutes.NoDevice(change.World, name);
        }

        if (change.World.DeviceTrials.GetValueOrDefault(device.Id) is not { BeganAt: null, EndedAt: null } trial)
        {
            return new Failure(ErrorKind.Conflict, $"{device.Name} has no trial that it has not begun.");
        }

        Put(change, trial with { EndedAt = change.Now, Says = $"Taken back by {change.By}" });
        change.World.OrdersInDoubt(device);
        change.Audit("trial-taken-back", $"The trial on {device.Name} was taken back before it began.", null, device.Id);
        return true;
    }

    private static void Put(WorldChange change, DeviceTrialRecord trial)
    {
        change.World.DeviceTrials[trial.Device] = trial;
        change.Keep(new PutDeviceTrial(trial));
    }

    private static DeviceTrialInfo Info(FleetWorld world, DeviceTrialRecord trial)
    {
        var device = world.Devices[trial.Device];
        return new DeviceTrialInfo(
            trial.Id, device.Name, trial.Package, trial.EndedAt is not null ? "ended" : trial.BeganAt is not null ? "running" : "waiting", trial.By, trial.AskedAt, trial.BeganAt, trial.EndedAt, device.LastHeard, (int)world.CheckInInterval.TotalSeconds,
            trial.HasPassed, trial.Says, trial.Kept);
    }
}
