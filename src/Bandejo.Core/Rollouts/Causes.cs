using Bandejo.Core.Deployments;
using Bandejo.Core.World;

namespace Bandejo.Core.Rollouts;

/// <summary>Failures with the same fingerprint.</summary>
/// <param name="What">Phase, code and message (<see cref="Attempts.Fingerprint"/>).</param>
/// <param name="Devices">How many devices failed so.</param>
/// <param name="Sample">A few of their names.</param>
/// <param name="SetApart">The facts in which these devices differ from those that did not fail.</param>
public sealed record Cause(string What, int Devices, IReadOnlyList<string> Sample, IReadOnlyList<string> SetApart);

/// <summary>What the failures of a deployment have in common.</summary>
public static class Causes
{
    private const int SampleSize = 5;

    /// <summary>The devices whose failures are asked about, by identity; empty for a deployment that is not there.</summary>
    /// <param name="isForFailed">Only what has failed or is lost now, not what is tried again or was rolled back.</param>
    public static IReadOnlySet<string> Failing(FleetWorld world, string deployment, bool isForFailed)
    {
        var states = TargetTraits.With(isForFailed ? TargetTrait.Fails : TargetTrait.Retry);
        return world.Deployments.GetValueOrDefault(deployment)?.Targets.With(states).Where(target => target.State != TargetState.Undone || target.HasFailed)
            .Select(target => target.Device).ToHashSet(StringComparer.Ordinal)
            ?? [];
    }

    /// <summary>Failures with the same fingerprint together, most first.</summary>
    /// <param name="failing">Whose failures (<see cref="Failing"/>).</param>
    /// <param name="attempts">Attempts at the deployment, newest first; of each device the first that failed tells.</param>
    public static IReadOnlyList<Cause> Of(FleetWorld world, string deployment, IReadOnlySet<string> failing, IEnumerable<AttemptRecord> attempts)
    {
        if (failing.Count == 0 || !world.Deployments.TryGetValue(deployment, out var entry))
        {
            return [];
        }

        // Compared with those that the deployment has tried and that did not fail.
        var others = entry.Targets.In(TargetState.Met).Rows().ToList();
        var alike = attempts.Where(attempt => failing.Contains(attempt.Device) && attempt.Outcome is { } outcome && Attempts.Outcomes[outcome] is not (
            AttemptOutcome.Done or AttemptOutcome.Restart))
            .DistinctBy(attempt => attempt.Device)
            .GroupBy(
                attempt => Attempts.Fingerprint(attempt.Phase, Attempts.Outcomes[attempt.Outcome!], attempt.ExitCode, attempt.Message),
                attempt => attempt.Device);
        return [.. alike.OrderByDescending(group => group.Count()).Select(group =>
        {
            var devices = group.Select(device => world.Devices.Get(device)).OfType<DeviceEntry>().ToList();
            var apart = Differences.Find(world.Columns, [.. devices.Select(device => device.Row)], others);
            return new Cause(group.Key, devices.Count, [.. devices.Take(SampleSize).Select(device => device.Name)], [.. apart.Select(
                difference => difference.Text)]);
        })];
    }
}
