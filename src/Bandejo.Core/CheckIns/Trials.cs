using Bandejo.Core.Catalogue;
using Bandejo.Core.Deployments;
using Bandejo.Core.Packages;
using Bandejo.Core.World;

namespace Bandejo.Core.CheckIns;

/// <summary>What somebody asks for who wants a device to try a package.</summary>
/// <param name="Package">The package, by any of its names.</param>
/// <param name="From">The version before it, by any of its names; null for none.</param>
/// <param name="Preset">A preset of its settings; null for none.</param>
/// <param name="Settings">Values of its settings; null for none.</param>
public sealed record TrialAsk(string Package, string? From, string? Preset, IReadOnlyDictionary<string, string>? Settings);

/// <summary>
/// Trials on enrolled devices that are kept for testing: asked for, taken back, and kept with their packages when the device has told of them.
/// </summary>
public static class Trials
{
    private const int LongestSays = 1000;

    /// <summary>Asks a device to try a package.</summary>
    public static Outcome<DeviceTrialRecord> Ask(Decision decision, string named, TrialAsk ask)
    {
        var world = decision.World;
        var device = Named.Device(world, named);
        if (!device.Ok)
        {
            return device.Failure!;
        }

        if (!world.Groups.Values.Any(group => group.Record.IsForTesting && group.In[device.Value.Row]))
        {
            return new Failure(
                ErrorKind.Conflict,
                $"{device.Value.Name} is in no group that is marked for testing. A trial installs and removes on the device itself; put one that is kept "
                    + $"for that into such a group.");
        }

        if (world.DeviceTrials.GetValueOrDefault(device.Value.Id) is { BeganAt: not null, EndedAt: null } running
            && world.Packages.GetValueOrDefault(running.Package) is { } under)
        {
            return new Failure(ErrorKind.Conflict, $"{device.Value.Name} is in the middle of a trial of {under.Title}, which {running.By} asked for.");
        }

        var found = Named.Package(world, ask.Package);
        var before = ask.From is null ? found : Named.Package(world, ask.From);
        if (!found.Ok || !before.Ok)
        {
            return (found.Failure ?? before.Failure)!;
        }

        var (package, earlier) = (found.Value, ask.From is null ? null : before.Value);
        if (package.Record.State == PackageState.Withdrawn || package.IsLetGo || earlier?.IsLetGo == true
            || (earlier is not null && earlier.Record.App != package.Record.App))
        {
            return new Failure(ErrorKind.Conflict, "What is tried must neither be withdrawn nor let go, and the earlier version must be one of the same app.");
        }

        var fit = world.FitOf(package, device.Value.Row);
        if (fit.Variant is not { } variant)
        {
            return new Failure(ErrorKind.Conflict, $"No variant of {package.Title} is meant for {device.Value.Name}: {fit.Reason}.");
        }

        var settings = Settings.Resolve(package.Contents.Settings, package.Contents.Presets, ask.Preset, ask.Settings ?? new Dictionary<string, string>());
        if (!settings.Ok)
        {
            return settings.Failure!;
        }

        var trial = new DeviceTrialRecord(
            "T" + decision.NewId(), device.Value.Id, package.Digest, variant, earlier?.Digest, settings.Value.Count == 0 ? null : settings.Value, decision.By!,
            decision.Now, null, null, false, "", null);
        decision.Do(new PutDeviceTrial(trial));
        decision.Audit("trial-asked", $"{device.Value.Name} was asked to try {package.Title}.", null, device.Value.Id);
        return trial;
    }

    /// <summary>Takes back a trial that the device has not begun.</summary>
    public static Outcome<bool> TakeBack(Decision decision, string named)
    {
        var device = Named.Device(decision.World, named);
        if (!device.Ok)
        {
            return device.Failure!;
        }

        if (decision.World.DeviceTrials.GetValueOrDefault(device.Value.Id) is not { BeganAt: null, EndedAt: null } trial)
        {
            return new Failure(ErrorKind.Conflict, $"{device.Value.Name} has no trial that it has not begun.");
        }

        decision.Do(new PutDeviceTrial(trial with { EndedAt = decision.Now, Says = $"Taken back by {decision.By}" }));
        decision.Audit("trial-taken-back", $"The trial on {device.Value.Name} was taken back before it began.", null, device.Value.Id);
        return true;
    }

    /// <summary>Takes what a device tells of a trial. Of one that was replaced or taken back meanwhile nothing is kept.</summary>
    internal static void Take(Decision decision, DeviceEntry device, AttemptTold told)
    {
        var world = decision.World;
        if (world.DeviceTrials.GetValueOrDefault(device.Id) is not { EndedAt: null } trial || trial.Id != told.Deployment)
        {
            return;
        }

        var package = world.Packages.TryGetValue(trial.Package, out var tried) ? tried.Title : "its package";
        if (!told.HasEnded)
        {
            decision.Do(new PutDeviceTrial(trial with { BeganAt = told.StartedAt }));
            decision.Event("journal", "trial-began", $"{device.Name} began to try {package}.", null, device.Id);
            return;
        }

        var says = told.Message.Length > LongestSays ? told.Message[..LongestSays] : told.Message;
        decision.Do(new PutDeviceTrial(
            trial with
            {
                BeganAt = told.StartedAt, EndedAt = told.EndedAt ?? decision.Now, HasPassed = told.Outcome == "done", Says = says, Kept = told.Trial?.Kept,
            }));
        decision.Event("journal", "trial-ended", $"{device.Name} has tried {package}: {says}.", null, device.Id);
        if (told.Trial is { } steps)
        {
            PackageLives.Try(decision, trial.Package, steps, trial.By);
        }
    }
}
