using Bandejo.Contract.Api;
using Bandejo.Core.Deployments;
using Bandejo.Core.World;
using Bandejo.Server.World;

namespace Bandejo.Server.Deployments;

/// <summary>What the failures of a deployment have in common.</summary>
internal static class Causes
{
    /// <summary>Failures with the same fingerprint together, most first. Reads attempts from the store, so never call it while looking at the world.</summary>
    /// <param name="most">How many of the newest attempts are read.</param>
    /// <param name="isForFailed">Only of what has failed or is lost now, not of what is tried again or was rolled back.</param>
    public static IReadOnlyList<CauseInfo> Of(WorldHost world, string id, int most, bool isForFailed = false)
    {
        var states = TargetTraits.With(isForFailed ? TargetTrait.Fails : TargetTrait.Retry);
        var failing = world.Read(each => each.Deployments.GetValueOrDefault(id)?.Targets.With(states)
            .Where(target => target.State != TargetState.Undone || target.HasFailed).Select(target => target.Device).ToHashSet() ?? []);
        if (failing.Count == 0)
        {
            return [];
        }

        var causes = world.Store.Attempts(id, null, most)
            .Where(attempt => failing.Contains(attempt.Device) && attempt.Outcome is not (null or "done" or "restart"))
            .DistinctBy(attempt => attempt.Device)
            .GroupBy(attempt => Attempts.Fingerprint(attempt.Phase, Attempts.Words[attempt.Outcome!], attempt.ExitCode, attempt.Message), attempt => attempt.Device)
            .OrderByDescending(group => group.Count()).ToList();
        return world.Read(each =>
        {
            // Compared with those that the deployment has tried and that did not fail.
            var others = each.Deployments[id].Targets.In(TargetState.Met).Rows().ToList();
            return causes.Select(cause =>
            {
                var devices = cause.Select(device => each.Devices.Get(device)).OfType<DeviceEntry>().ToList();
                var apart = Differences.Find(each.Columns, [.. devices.Select(device => device.Row)], others);
                return new CauseInfo(cause.Key, devices.Count, [.. devices.Take(5).Select(device => device.Name)], [.. apart.Select(difference => difference.Text)]);
            }).ToList();
        });
    }
}
