using Bandejo.Core.Deployments;
using Bandejo.Core.Rules;
using Bandejo.Core.World;

namespace Bandejo.Core.Rollouts;

/// <summary>A step of why a device stands where it stands under a deployment.</summary>
public abstract record StandingStep;

/// <summary>Whether it is in a group that the deployment speaks of.</summary>
/// <param name="Group">The group's slug.</param>
/// <param name="IsExcept">The deployment leaves the group out.</param>
/// <param name="Truth">Null where the group is gone.</param>
/// <param name="Why">What the group's rule found; null for a listed group.</param>
public sealed record GroupStep(string Group, bool IsExcept, Truth? Truth, string? Why) : StandingStep;

/// <summary>Nobody has put it into a listed group yet.</summary>
public sealed record UnsortedStep : StandingStep;

/// <summary>What the package says of it.</summary>
/// <param name="Variant">The variant that fits, where all that it requires is met; null otherwise.</param>
/// <param name="Reason">Why not.</param>
public sealed record FitStep(string? Variant, Reason Reason) : StandingStep;

/// <summary>Something else has to be there first.</summary>
public sealed record LackingStep(Reason Reason) : StandingStep;

/// <summary>The wave it is in.</summary>
/// <param name="OpenedAt">Null while it is closed.</param>
public sealed record WaveStep(string Wave, DateTimeOffset? OpenedAt) : StandingStep;

/// <summary>What its calendars say now.</summary>
/// <param name="Why">As <see cref="HoursAhead.Why"/>.</param>
/// <param name="Until">Until when; null for not known, or without end.</param>
public sealed record HoursStep(Reason Why, DateTimeOffset? Until) : StandingStep;

/// <summary>Why a device stands where it stands under a deployment.</summary>
/// <param name="Target">Null where it is no target.</param>
/// <param name="Steps">In the order in which it is judged.</param>
public sealed record WhyStanding(Target? Target, IReadOnlyList<StandingStep> Steps)
{
    /// <summary>Goes through what decides, step by step.</summary>
    public static WhyStanding Of(FleetWorld world, DeploymentEntry deployment, DeviceEntry device)
    {
        var steps = new List<StandingStep>();
        steps.AddRange(deployment.Plan.Groups.Select(slug => InGroup(world, slug, false, device)));
        steps.AddRange(deployment.Plan.Except.Select(slug => InGroup(world, slug, true, device)));
        if (!device.Record.IsSorted)
        {
            steps.Add(new UnsortedStep());
        }

        if (deployment.Targets.Of(device) is not { } target)
        {
            return new WhyStanding(null, steps);
        }

        var fit = world.FitOf(deployment.Package, device.Row);
        steps.Add(new FitStep(fit.Event == TargetEvent.Due ? fit.Variant : null, fit.Reason));
        if (Needing.Lacking(world, deployment.Package, device) is { } lacking)
        {
            steps.Add(new LackingStep(lacking.Reason));
        }

        if (target.Wave >= 0)
        {
            steps.Add(new WaveStep(deployment.Plan.Waves[target.Wave].Name, deployment.State.Waves[target.Wave].OpenedAt));
        }

        if (HoursAhead.Of(
            world, deployment.Plan, [(device, fit.Variant)], each => Lateness.DeadlineOf(world, deployment, each, target.Wave)) is [var hours])
        {
            steps.Add(new HoursStep(hours.Why, hours.Next));
        }

        return new WhyStanding(target, steps);
    }

    private static GroupStep InGroup(FleetWorld world, string slug, bool isExcept, DeviceEntry device)
    {
        if (world.Group(slug) is not { } group)
        {
            return new GroupStep(slug, isExcept, null, null);
        }

        if (group.Rule is not { } rule)
        {
            return new GroupStep(slug, isExcept, group.In[device.Row] ? Truth.True : Truth.False, null);
        }

        var verdict = rule.Evaluate(world.Columns.Row(device.Row));
        return new GroupStep(slug, isExcept, verdict.Truth, verdict.Why);
    }
}
