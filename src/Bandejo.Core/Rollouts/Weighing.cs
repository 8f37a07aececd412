using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.Packages;
using Bandejo.Core.Rules;
using Bandejo.Core.Versions;
using Bandejo.Core.World;

namespace Bandejo.Core.Rollouts;

/// <summary>Holds devices against deployments and moves their targets accordingly.</summary>
public static class Weighing
{
    private static readonly Reason OutOfScope = new(ReasonCode.OutOfScope);
    private static readonly Reason OnShelf = new(ReasonCode.OnShelf);

    /// <summary>Puts a device in front of every deployment it may belong to, after its facts or groups changed.</summary>
    public static void WeighDevice(Decision decision, DeviceEntry device)
    {
        foreach (var deployment in decision.World.Active)
        {
            Weigh(decision, deployment, device);
        }
    }

    /// <summary>Puts a device in front of the deployments for which it makes a difference that its target of this one changed, and those for which that makes one.</summary>
    public static void WeighDevice(Decision decision, DeviceEntry device, DeploymentEntry about)
    {
        List<DeploymentEntry> changed = [about];
        for (var i = 0; i < changed.Count; i++)
        {
            foreach (var deployment in decision.World.Active)
            {
                if (MayMatter(changed[i], deployment) && Weigh(decision, deployment, device) && !changed.Contains(deployment))
                {
                    changed.Add(deployment);
                }
            }
        }
    }

    /// <summary>Weighs every device that is or may be a target, after the deployment itself changed.</summary>
    public static void WeighAll(Decision decision, DeploymentEntry deployment)
    {
        var world = decision.World;
        var rows = Scope(world, deployment.Plan.Groups, deployment.Plan.Except);
        foreach (var row in rows.Or(deployment.Targets.AllRows()).Rows())
        {
            Weigh(decision, deployment, world.Devices.At(row));
        }
    }

    /// <summary>The rows in the groups less those that are, or may be, in an excluded group, and less devices that nobody has sorted yet.</summary>
    public static Bitmap Scope(FleetWorld world, IEnumerable<string> groups, IEnumerable<string> except)
    {
        var rows = new Bitmap(world.Columns.Rows);
        foreach (var slug in groups)
        {
            if (world.Groups.TryGetValue(slug, out var group))
            {
                rows.Or(group.In);
            }
        }

        foreach (var slug in except)
        {
            if (world.Groups.TryGetValue(slug, out var group))
            {
                rows.Except(group.In).Except(group.NotKnown);
            }
        }

        foreach (var row in rows.Rows().Where(row => !world.Devices.At(row).Record.IsSorted).ToList())
        {
            rows[row] = false;
        }

        return rows;
    }

    /// <summary>Judges one device under one deployment and moves its target accordingly.</summary>
    /// <returns>Whether anything of its target changed.</returns>
    public static bool Weigh(Decision decision, DeploymentEntry deployment, DeviceEntry device)
    {
        var world = decision.World;
        var plan = deployment.Plan;
        var target = deployment.Targets.Of(device);
        var isIn = IsInScope(world, plan, device, target);
        var isNew = target is null;
        if (target is null)
        {
            // Nobody enters what is paused, halted or on its way back.
            if (!isIn || !deployment.State.TakesIn)
            {
                return false;
            }

            var wave = WavePicks.Join(device.Id, [.. plan.Waves.Select(each => each.Pick)], (group, id) => world.IsIn(group, world.Devices[id]), plan.Salt);
            target = new Target { Device = device.Id, Wave = wave, Since = decision.Now };
            Moving.Put(decision, deployment, device, target, "joined", $"{device.Name} came into '{plan.Name}'.");
        }

        if (target.IsGoingBack || target.IsToGoBack)
        {
            return isNew;
        }

        var stand = Stands(world, deployment, device, target, isIn, decision.Now);
        var opened = target.Wave >= 0 && deployment.State.Waves[target.Wave].OpenedAt is not null;
        var isOther = stand.Variant != target.Variant || (opened && target.AppWhenOpened is null);
        if (isOther)
        {
            target = target with { Variant = stand.Variant ?? target.Variant, AppWhenOpened = opened ? target.AppWhenOpened ?? InstalledVersion(world, device, plan.App) : null };
            Moving.Replace(decision, deployment, device, target);
        }

        return Moving.Happen(decision, deployment, device, stand.Happening) || isOther || isNew;
    }

    /// <summary>The device's installed version of an app as a text; empty for certainly none, null for not known.</summary>
    public static string? InstalledVersion(FleetWorld world, DeviceEntry device, string app)
    {
        var lookup = world.Columns.Get(device.Row, new FactRef(app, true));
        return lookup.Value is { } value ? value.ToString() : lookup.IsAbsent ? "" : null;
    }

    /// <summary>Whether what happens to a device under one deployment may make a difference for it under another: both are about one app, or the other's package needs that app.</summary>
    internal static bool MayMatter(DeploymentEntry one, DeploymentEntry other) => other.Plan.App == one.Plan.App || Needing.Concerns(other, one);

    // Asked for every target at every result: without closures and lists.
    private static bool IsInScope(FleetWorld world, DeploymentPlan plan, DeviceEntry device, Target? target)
    {
        if (!device.Record.IsSorted)
        {
            return false;
        }

        var isIn = false;
        foreach (var slug in plan.Groups)
        {
            if (Member(world, plan, slug, device, target) == Truth.True)
            {
                isIn = true;
                break;
            }
        }

        foreach (var slug in plan.Except)
        {
            isIn = isIn && Member(world, plan, slug, device, target) == Truth.False;
        }

        return isIn;
    }

    private static Truth Member(FleetWorld world, DeploymentPlan plan, string slug, DeviceEntry device, Target? target)
    {
        if (!world.Groups.TryGetValue(slug, out var group))
        {
            return Truth.False;
        }

        // What the deployment itself changed is no reason for leaving: rules that speak of its app are asked about the version when the wave opened.
        if (target?.AppWhenOpened is { } version && group.AsksAbout(plan.App))
        {
            return group.Rule!.Test(new FrozenAppFacts(world.Columns.Row(device.Row), plan.App, version));
        }

        return group.In[device.Row] ? Truth.True : group.NotKnown[device.Row] ? Truth.NotKnown : Truth.False;
    }

    /// <summary>Where a device stands under a deployment; asked when it is weighed, and before the start of what only may be started.</summary>
    internal static Stand Stands(FleetWorld world, DeploymentEntry deployment, DeviceEntry device, Target target, bool isIn, DateTimeOffset now)
    {
        if (!isIn)
        {
            return new Stand(new Happening(TargetEvent.OutOfScope, OutOfScope), target.Variant, false);
        }

        var fit = Targeting.Weigh(deployment.Package.Variants, world.Columns.Row(device.Row));
        if (deployment.Plan.Wish == Wish.Gone && fit.Event == TargetEvent.Blocked)
        {
            // What is required for putting it there is not required for taking it away.
            fit = fit with { Event = TargetEvent.Due, Reason = Reason.None };
        }

        if (fit.Event != TargetEvent.Due)
        {
            return new Stand(new Happening(fit.Event, fit.Reason), fit.Variant, false);
        }

        if (deployment.Plan.Wish != Wish.Gone && !target.HasBegun && Needing.Lacking(world, deployment.Package, device) is { } lacking)
        {
            return new Stand(lacking, fit.Variant, true);
        }

        if (Claims(world, deployment, device) is { Count: > 1 } rivals)
        {
            var (rules, contest) = Targeting.Settle([.. rivals.Select(other => (other.Id, other.Plan.Wish, other.Plan.Priority, other.Plan.Version))]);
            if (rules is null && contest.Contains(deployment.Id))
            {
                string[] others = [.. contest.Where(id => id != deployment.Id).Select(id => world.Deployments[id].Plan.Name)];
                return new Stand(new Happening(TargetEvent.Contested, new Reason(ReasonCode.WantsOpposite, others)), fit.Variant, true);
            }

            if (rules != deployment.Id)
            {
                return new Stand(new Happening(TargetEvent.Yielded, rules is null ? new Reason(ReasonCode.StrongerIsContested) : new Reason(ReasonCode.Ruled, world.Deployments[rules].Plan.Name, deployment.Plan.AppName)), fit.Variant, true);
            }
        }

        if (Held(deployment, target, now) is { } held)
        {
            return new Stand(new Happening(TargetEvent.Held, held.Why, held.Until), fit.Variant, true);
        }

        return deployment.Plan.Wish == Wish.Choice && target.TakenAt is null
            ? new Stand(new Happening(TargetEvent.OnShelf, OnShelf), fit.Variant, true)
            : new Stand(new Happening(TargetEvent.Due, Targets.DueReason(target)), fit.Variant, true);
    }

    /// <summary>The deployments whose wishes for one app count on a device, this one among them.</summary>
    private static List<DeploymentEntry> Claims(FleetWorld world, DeploymentEntry deployment, DeviceEntry device)
    {
        List<DeploymentEntry> rivals = [deployment];
        foreach (var other in world.Active)
        {
            if (other != deployment && other.Plan.App == deployment.Plan.App && Counts(other, device))
            {
                rivals.Add(other);
            }
        }

        return rivals;
    }

    private static bool Counts(DeploymentEntry other, DeviceEntry device) =>
        other.Targets.Of(device) is { } target && target.Wave >= 0 && other.State.Waves[target.Wave].OpenedAt is not null
        && target.State.Has(TargetTrait.Claims) && (other.Plan.Wish != Wish.Choice || target.TakenAt is not null) && !target.IsGoingBack
        && other.State.Status is not DeploymentStatus.RollingBack && Acting.WhyOver(other) is null;

    private static (Reason Why, DateTimeOffset? Until)? Held(DeploymentEntry deployment, Target target, DateTimeOffset now)
    {
        var state = deployment.State;
        if (!state.TakesIn)
        {
            return (new Reason(ReasonCode.DeploymentStopped, DeploymentMachine.InWords(state.Status), state.Reason), null);
        }

        if (target.Wave < 0)
        {
            return (new Reason(ReasonCode.NoWave), null);
        }

        if (state.Waves[target.Wave].OpenedAt is not null)
        {
            return null;
        }

        var wave = deployment.Plan.Waves[target.Wave];
        if (wave.OpensAt is { } opens && opens > now)
        {
            return (new Reason(ReasonCode.WaveOpensLater, wave.Name), opens);
        }

        var gate = deployment.Plan.Waves[Math.Max(0, target.Wave - 1)];
        return (target.Wave == 0 ? new Reason(ReasonCode.WaveAboutToOpen, wave.Name) : new Reason(ReasonCode.WaveOpensAfter, wave.Name, gate.Name, gate.GateInWords), null);
    }
}

/// <summary>Where a device stands under a deployment.</summary>
/// <param name="Happening">What happens to its target.</param>
/// <param name="Variant">The variant that fits; null for none.</param>
/// <param name="Fits">Whether the package itself can be there.</param>
internal readonly record struct Stand(Happening Happening, string? Variant, bool Fits);
