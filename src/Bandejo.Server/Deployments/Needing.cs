using Bandejo.Core;
using Bandejo.Core.Deployments;
using Bandejo.Core.Packages;
using Bandejo.Core.Rules;
using Bandejo.Server.World;

namespace Bandejo.Server.Deployments;

/// <summary>What a package needs first, and whether a device has it or is about to get it.</summary>
internal static class Needing
{
    /// <summary>
    /// The first need that a device lacks, as what happens to its target: it is held where a deployment brings what is needed, and blocked where none does.
    /// Null where it has all. What a device has not said counts as lacking.
    /// </summary>
    public static Happening? Lacking(FleetWorld world, PackageEntry package, DeviceEntry device)
    {
        foreach (var need in package.Needs)
        {
            var isMet = need.IsMet(world.Columns.Get(device.Row, new FactRef(need.App, true)));
            if (isMet != Truth.True)
            {
                return BroughtBy(need, device) is { } bringer
                    ? new Happening(TargetEvent.Held, $"Needs {need} first, which '{bringer.Plan.Name}' brings")
                    : new Happening(TargetEvent.Blocked, $"Needs {need}, {(isMet == Truth.NotKnown ? "and it is not known yet whether it is there" : WhyNone(need, device))}");
            }
        }

        return null;
    }

    /// <summary>What a preview says of the devices that lack something; nothing where none does.</summary>
    public static IEnumerable<Finding> Findings(FleetWorld world, PackageEntry package, IReadOnlyList<DeviceEntry> reached)
    {
        foreach (var need in package.Needs)
        {
            var lacking = reached.Where(device => need.IsMet(world.Columns.Get(device.Row, new FactRef(need.App, true))) != Truth.True).ToList();
            if (lacking.Count == 0)
            {
                continue;
            }

            var bringers = lacking.Select(device => BroughtBy(need, device)).OfType<DeploymentEntry>().GroupBy(each => each).OrderByDescending(group => group.Count()).Select(group => $"'{group.Key.Plan.Name}' brings it to {group.Count()}").ToList();
            var without = lacking.Count(device => BroughtBy(need, device) is null);
            yield return new Finding(
                $"{lacking.Count} of {reached.Count} devices lack {need}, which this package needs first{(bringers.Count == 0 ? "" : $"; {string.Join(", ", bringers)} of them")}{(without == 0 ? ", and they wait for it" : $". {(bringers.Count == 0 ? "No deployment brings it to any of them" : $"{without} get it from none")}: they stay blocked until one does")}.", "package") { IsWarning = true };
        }
    }

    /// <summary>Whether a deployment must be weighed again when another begins or ends: it may bring what this one needs.</summary>
    public static bool Concerns(DeploymentEntry waiting, DeploymentEntry other) => waiting.Package.Needs.Any(need => need.App == other.Plan.App);

    /// <summary>Why nobody brings what is needed: no deployment does, or one is to and cannot here, or only what is too old.</summary>
    private static string WhyNone(Need need, DeviceEntry device)
    {
        var others = device.Deployments.Where(other => other.IsActive && other.Plan.App == need.App && other.Plan.Wish == Wish.Have).Select(other => (other.Plan, Target: other.Targets.Of(device))).Where(other => other.Target is { State: not (TargetState.Left or TargetState.NotNeeded) }).ToList();
        var (plan, target) = others.FirstOrDefault(other => need.AtLeast is null || other.Plan.Version >= need.AtLeast);
        return plan is not null ? $"which '{plan.Name}' is to bring, but {(target!.IsGoingBack ? "goes back" : $"is {Words.Of(target.State)}")} here"
            : others is [var (old, _), ..] ? $"and '{old.Name}' brings only {old.Version}"
            : "which no deployment brings here";
    }

    private static DeploymentEntry? BroughtBy(Need need, DeviceEntry device) => device.Deployments.FirstOrDefault(other =>
        other.IsActive && other.Plan.App == need.App && other.Plan.Wish == Wish.Have && (need.AtLeast is null || other.Plan.Version >= need.AtLeast)
        && other.Targets.Of(device) is { IsGoingBack: false, State: not (TargetState.Left or TargetState.NotNeeded or TargetState.Blocked or TargetState.Failed or TargetState.Yielded or TargetState.Contested) });
}
