using Bandejo.Core.Deployments;
using Bandejo.Core.Packages;
using Bandejo.Core.Rules;
using Bandejo.Core.World;

namespace Bandejo.Core.Rollouts;

/// <summary>What a package needs first, and whether a device has it or is about to get it.</summary>
public static class Needing
{
    /// <summary>
    /// The first need that a device lacks, as what happens to its target: it is held where a deployment brings what is needed, and blocked where none does.
    /// Null where it has all. What a device has not said counts as lacking.
    /// </summary>
    public static Happening? Lacking(FleetWorld world, PackageEntry package, DeviceEntry device)
    {
        foreach (var need in package.Needs)
        {
            var isMet = need.IsMet(world.App(device, need.App));
            if (isMet != Truth.True)
            {
                return BroughtBy(world, need, device) is { } bringer
                    ? new Happening(TargetEvent.Held, new Reason(ReasonCode.NeedIsBrought, need.ToString(), bringer.Plan.Name))
                    : new Happening(TargetEvent.Blocked, isMet == Truth.NotKnown ? new Reason(ReasonCode.NeedNotKnown, need.ToString()) : WhyNone(
                        world, need, device));
            }
        }

        return null;
    }

    /// <summary>What a preview says of the devices that lack something; nothing where none does.</summary>
    public static IEnumerable<Finding> Findings(FleetWorld world, PackageEntry package, IReadOnlyList<DeviceEntry> reached)
    {
        foreach (var need in package.Needs)
        {
            var lacking = reached.Where(device => need.IsMet(world.App(device, need.App)) != Truth.True).ToList();
            if (lacking.Count == 0)
            {
                continue;
            }

            var bringers = lacking.Select(device => BroughtBy(world, need, device)).OfType<DeploymentEntry>().GroupBy(each => each)
                .OrderByDescending(group => group.Count()).Select(group => $"'{group.Key.Plan.Name}' brings it to {group.Count()}").ToList();
            var without = lacking.Count(device => BroughtBy(world, need, device) is null);
            var brings = bringers.Count == 0 ? "" : $"; {string.Join(", ", bringers)} of them";
            var none = bringers.Count == 0 ? "No deployment brings it to any of them" : $"{without} get it from none";
            var comes = without == 0 ? ", and they wait for it" : $". {none}: they stay blocked until one does";
            yield return new Finding($"{lacking.Count} of {reached.Count} devices lack {need}, which this package needs first{brings}{comes}.", "package")
            {
                IsWarning = true,
            };
        }
    }

    /// <summary>Whether a deployment must be weighed again when another begins or ends: it may bring what this one needs.</summary>
    public static bool Concerns(DeploymentEntry waiting, DeploymentEntry other) => waiting.Package.Needs.Any(need => need.App == other.Plan.App);

    /// <summary>Why nobody brings what is needed: no deployment does, or one is to and cannot here, or only what is too old.</summary>
    private static Reason WhyNone(FleetWorld world, Need need, DeviceEntry device)
    {
        var others = world.ActiveOf(device).Where(other => other.Plan.App == need.App && other.Plan.Wish == Wish.Have)
            .Select(other => (other.Plan, Target: other.Targets[device])).Where(other => other.Target.State.Has(TargetTrait.Meant)).ToList();
        var (plan, target) = others.FirstOrDefault(other => need.AtLeast is null || other.Plan.Version >= need.AtLeast);
        return plan is not null
            ? (target!.IsGoingBack ? new Reason(ReasonCode.NeedGoesBack, need.ToString(), plan.Name) : new Reason(
                ReasonCode.NeedStands, need.ToString(), plan.Name, StateNames.Of(target.State)))
            : others is [var (old, _), ..] ? new Reason(ReasonCode.NeedTooOld, need.ToString(), old.Name, old.Version.ToString())
            : new Reason(ReasonCode.NeedNotBrought, need.ToString());
    }

    private static DeploymentEntry? BroughtBy(FleetWorld world, Need need, DeviceEntry device) => world.Active.FirstOrDefault(other =>
        other.Plan.App == need.App && other.Plan.Wish == Wish.Have && (need.AtLeast is null || other.Plan.Version >= need.AtLeast)
        && other.Targets.Of(device) is { IsGoingBack: false } target && target.State.Has(TargetTrait.Brings));

    /// <summary>Says that packages need each other in a circle, by the newest of each app that is not withdrawn; null where they do not.</summary>
    public static string? Circle(FleetWorld world, string app, IReadOnlyList<Need> needs) =>
        NeedCircle.Of(
            app, needs.Select(need => need.App),
            other =>
                world.Packages.Values.Where(package => package.Record.App == other && package.Record.State != PackageState.Withdrawn)
                    .MaxBy(package => package.Version)?.Needs.Select(need => need.App)
                    ?? []) is { } circle
            ? $"What it needs goes in a circle, so that none of them could be the first: {string.Join(" needs ", circle)}."
            : null;
}
