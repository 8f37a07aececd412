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
    private const int MostTurns = 4;

    private static readonly Reason NoWave = new(ReasonCode.NoWave);

    /// <summary>Puts a device in front of every deployment it may belong to, after its facts or groups changed.</summary>
    public static void WeighDevice(Decision decision, DeviceEntry device) =>
        Spread(decision, device, [.. decision.World.Active.Where(deployment => Weigh(decision, deployment, device))]);

    /// <summary>
    /// Puts a device in front of the deployments for which it makes a difference that its target of this one changed, and those for which that makes one.
    /// </summary>
    public static void WeighDevice(Decision decision, DeviceEntry device, DeploymentEntry about)
    {
        Weigh(decision, about, device);
        Spread(decision, device, [about]);
    }

    /// <summary>Judges one device under one deployment, and where anything of its target changed under those for which that makes a difference.</summary>
    internal static void WeighWith(Decision decision, DeploymentEntry deployment, DeviceEntry device)
    {
        if (Weigh(decision, deployment, device))
        {
            Spread(decision, device, [deployment]);
        }
    }

    /// <summary>Weighs a device where it makes a difference that its targets of these changed, and so on until nothing changes any more.</summary>
    private static void Spread(Decision decision, DeviceEntry device, List<DeploymentEntry> changed)
    {
        // What is stronger is settled before what yields to it, so that few turns do; whatever rules may come, there is an end.
        for (var (i, most) = (0, decision.World.Active.Count * MostTurns); i < changed.Count && i < most; i++)
        {
            foreach (var deployment in decision.World.Active)
            {
                if (deployment != changed[i] && MayMatter(changed[i], deployment) && Weigh(decision, deployment, device)
                    && changed.IndexOf(deployment, i + 1) < 0)
                {
                    changed.Add(deployment);
                }
            }
        }
    }

    /// <summary>
    /// Weighs every device that is or may be a target, after the deployment itself changed: at once where they are few, else from the next turn on
    /// (<see cref="Due"/>).
    /// </summary>
    public static void WeighAll(Decision decision, DeploymentEntry deployment) =>
        WeighRows(decision, deployment, Reach(decision.World, deployment.Plan.Groups, deployment.Plan.Except).Or(deployment.Targets.AllRows()));

    /// <summary>The same of some devices.</summary>
    internal static void WeighRows(Decision decision, DeploymentEntry deployment, Bitmap rows) =>
        Due.ForEach(decision, deployment, deployment.Pending.ToWeigh, rows, device => WeighWith(decision, deployment, device));

    /// <summary>The rows in the groups less those that are, or may be, in an excluded group, and less devices that nobody has sorted yet.</summary>
    /// <param name="changed">A group that is to be taken as if others were in it; null for none.</param>
    /// <param name="members">Who.</param>
    /// <param name="unsorted">Who is unsorted then.</param>
    public static Bitmap Reach(
        FleetWorld world, IEnumerable<string> groups, IEnumerable<string> except, string? changed = null, Bitmap? members = null, Bitmap? unsorted = null)
    {
        var rows = new Bitmap(world.Columns.Rows);
        foreach (var slug in groups)
        {
            if (world.Groups.TryGetValue(slug, out var group))
            {
                rows.Or(slug == changed ? members! : group.In);
            }
        }

        foreach (var slug in except)
        {
            if (world.Groups.TryGetValue(slug, out var group))
            {
                rows.Except(slug == changed ? members! : group.In).Except(group.NotKnown);
            }
        }

        return rows.Except(unsorted ?? world.Unsorted);
    }

    /// <summary>Judges one device under one deployment and moves its target accordingly.</summary>
    /// <returns>Whether anything of its target changed.</returns>
    public static bool Weigh(Decision decision, DeploymentEntry deployment, DeviceEntry device)
    {
        var world = decision.World;
        var plan = deployment.Plan;
        if (!deployment.Targets.Has(device))
        {
            // Nobody enters what is paused, halted or on its way back.
            if (!deployment.State.TakesIn || !IsInScope(world, plan, device, null))
            {
                return false;
            }

            var wave = WavePicks.Join(device.Id, [.. plan.Waves.Select(each => each.Pick)], (group, id) => world.IsIn(group, world.Devices[id]), plan.Salt);
            Moving.Put(
                decision, deployment, device, new Target { Device = device.Id, Wave = wave, Since = decision.Now }, "joined",
                $"{device.Name} came into '{plan.Name}'.");
            Move(decision, deployment, device);
            return true;
        }

        ref readonly var at = ref deployment.Targets.Glance(device);
        return !at.IsBoundBack && Move(decision, deployment, device);
    }

    private static bool Move(Decision decision, DeploymentEntry deployment, DeviceEntry device)
    {
        var (world, plan) = (decision.World, deployment.Plan);
        ref readonly var at = ref deployment.Targets.Glance(device);
        var stand = Stands(
            world, deployment, device, new TargetPlace(at.Wave, at.HasBegun, at.IsTaken, at.WaitsFor, at.Variant),
            IsInScope(world, plan, device, at.AppWhenOpened), decision.Now);
        var opened = at.Wave >= 0 && deployment.State.Waves[at.Wave].OpenedAt is not null;
        var isOther = stand.Variant != at.Variant || (opened && at.AppWhenOpened is null);
        if (!isOther && Targets.ChangesNothing(at.State, at.Reason, at.Next, stand.Happening))
        {
            // Nearly always weighing finds what it found before.
            return false;
        }

        if (isOther)
        {
            var target = deployment.Targets[device];
            Moving.Replace(
                decision, deployment, device,
                target with
                {
                    Variant = stand.Variant ?? target.Variant,
                    AppWhenOpened = opened ? target.AppWhenOpened ?? InstalledVersion(world, device, plan.App) : null,
                });
        }

        return Moving.Happen(decision, deployment, device, stand.Happening) || isOther;
    }

    /// <summary>The device's installed version of an app as a text; empty for certainly none, null for not known.</summary>
    public static string? InstalledVersion(FleetWorld world, DeviceEntry device, string app)
    {
        var lookup = world.Columns.Get(device.Row, new FactRef(app, true));
        return lookup.Value is { } value ? value.ToString() : lookup.IsAbsent ? "" : null;
    }

    /// <summary>
    /// Whether what happens to a device under one deployment may make a difference for it under another: both are about one app, or the other's package needs
    /// that app.
    /// </summary>
    internal static bool MayMatter(DeploymentEntry one, DeploymentEntry other) => other.Plan.App == one.Plan.App || Needing.Concerns(other, one);

    // Asked for every target at every result: without closures and lists.
    private static bool IsInScope(FleetWorld world, DeploymentPlan plan, DeviceEntry device, string? appWhenOpened)
    {
        if (!device.Record.IsSorted)
        {
            return false;
        }

        var isIn = false;
        foreach (var slug in plan.Groups)
        {
            if (Member(world, plan, slug, device, appWhenOpened) == Truth.True)
            {
                isIn = true;
                break;
            }
        }

        foreach (var slug in plan.Except)
        {
            isIn = isIn && Member(world, plan, slug, device, appWhenOpened) == Truth.False;
        }

        return isIn;
    }

    private static Truth Member(FleetWorld world, DeploymentPlan plan, string slug, DeviceEntry device, string? appWhenOpened)
    {
        if (world.Group(slug) is not { } group)
        {
            return Truth.False;
        }

        // What the deployment itself changed is no reason for leaving: rules that speak of its app are asked about the version when the wave opened.
        if (appWhenOpened is { } version && group.AsksAbout(plan.App))
        {
            return group.Rule!.Test(new FrozenAppFacts(world.Columns.Row(device.Row), plan.App, version));
        }

        return group.In[device.Row] ? Truth.True : group.NotKnown[device.Row] ? Truth.NotKnown : Truth.False;
    }

    /// <summary>Where a device stands under a deployment; asked when it is weighed, and before the start of what only may be started.</summary>
    /// <param name="known">Whether the package can be there, where that is known already; null where it is to be found out.</param>
    internal static Stand Stands(
        FleetWorld world, DeploymentEntry deployment, DeviceEntry device, TargetPlace at, bool isIn, DateTimeOffset now, Fit? known = null)
    {
        if (!isIn)
        {
            return new Stand(new Happening(TargetEvent.OutOfScope, OutOfScope), at.Variant, false);
        }

        var fit = known ?? world.FitOf(deployment.Package, device.Row);
        if (deployment.Plan.Wish == Wish.Gone && fit.Event == TargetEvent.Blocked)
        {
            // What is required for putting it there is not required for taking it away.
            fit = fit with { Event = TargetEvent.Due, Reason = Reason.None };
        }

        if (fit.Event != TargetEvent.Due)
        {
            return new Stand(new Happening(fit.Event, fit.Reason), fit.Variant, false);
        }

        if (deployment.Plan.Wish != Wish.Gone && !at.HasBegun && Needing.Lacking(world, deployment.Package, device) is { } lacking)
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
                return new Stand(
                    new Happening(TargetEvent.Yielded, rules is null ? new Reason(ReasonCode.StrongerIsContested) : new Reason(
                        ReasonCode.Ruled, world.Deployments[rules].Plan.Name, deployment.Plan.AppName)),
                    fit.Variant, true);
            }
        }

        if (Held(deployment, at.Wave, now) is { } held)
        {
            return new Stand(new Happening(TargetEvent.Held, held.Why, held.Until), fit.Variant, true);
        }

        if ((deployment.Plan.Wish != Wish.Choice || at.IsTaken) && Turns.InTheWay(world, deployment, device) is { } turn)
        {
            return new Stand(new Happening(TargetEvent.Held, turn), fit.Variant, true, HasAllElse: true);
        }

        return new Stand(
            deployment.Plan.Wish == Wish.Choice && !at.IsTaken
                ? new Happening(TargetEvent.OnShelf, OnShelf)
                : Openings.Of(
                    world, deployment.Plan, device, fit.Variant, at.IsTaken, Lateness.DeadlineOf(world, deployment, device, at.Wave), at.WaitsFor, now)
                    ?? new Happening(TargetEvent.Due, Targets.DueReason(at.WaitsFor)),
            fit.Variant, true, HasAllElse: true);
    }

    /// <summary>What happens to a target that is looked at as if its wave were open, while it is not.</summary>
    internal static Happening WhileClosed(DeploymentEntry deployment, int wave, Stand open, DateTimeOffset now) =>
        open.HasAllElse && Held(deployment, wave, now) is { } held ? new Happening(TargetEvent.Held, held.Why, held.Until) : open.Happening;

    /// <summary>The deployments whose wishes for one app count on a device, this one among them.</summary>
    private static IReadOnlyList<DeploymentEntry> Claims(FleetWorld world, DeploymentEntry deployment, DeviceEntry device)
    {
        // One that was not started yet is none of them.
        var all = world.ActiveOfApp(deployment.Plan.App);
        if (all.Count == 0 || (all.Count == 1 && all[0] == deployment))
        {
            return [];
        }

        List<DeploymentEntry> rivals = [deployment];
        foreach (var other in all)
        {
            if (other != deployment && Counts(other, device))
            {
                rivals.Add(other);
            }
        }

        return rivals;
    }

    private static bool Counts(DeploymentEntry other, DeviceEntry device)
    {
        if (!other.Targets.Has(device) || other.State.Status == DeploymentStatus.RollingBack || Acting.WhyOver(other) is not null)
        {
            return false;
        }

        ref readonly var at = ref other.Targets.Glance(device);
        return at.Wave >= 0 && other.State.Waves[at.Wave].OpenedAt is not null && at.State.Has(TargetTrait.Claims)
            && (other.Plan.Wish != Wish.Choice || at.IsTaken) && !at.IsGoingBack;
    }

    private static (Reason Why, DateTimeOffset? Until)? Held(DeploymentEntry deployment, int at, DateTimeOffset now)
    {
        var state = deployment.State;
        if (!state.TakesIn)
        {
            return (deployment.Stopped, null);
        }

        if (at < 0)
        {
            return (NoWave, null);
        }

        if (state.Waves[at].OpenedAt is not null)
        {
            return null;
        }

        var wave = deployment.Plan.Waves[at];
        if (wave.NotBefore(now) is { } opens && (at == 0 || state.Waves[at - 1].PassedAt is not null || wave.OpensAt > now))
        {
            return (new Reason(ReasonCode.WaveOpensLater, wave.Name), opens == DateTimeOffset.MaxValue ? null : opens);
        }

        return (deployment.Closed(at), null);
    }
}

/// <summary>Where a device stands under a deployment.</summary>
/// <param name="Happening">What happens to its target.</param>
/// <param name="Variant">The variant that fits; null for none.</param>
/// <param name="Fits">Whether the package itself can be there.</param>
/// <param name="HasAllElse">Nothing but its turn and its hours stands between it and its start, once its wave is open.</param>
public readonly record struct Stand(Happening Happening, string? Variant, bool Fits, bool HasAllElse = false);

/// <summary>What of a target decides where its device stands.</summary>
/// <param name="Wave">The wave, from 0; -1 where no wave picks it.</param>
/// <param name="HasBegun">It has ever begun work here.</param>
/// <param name="IsTaken">Its user took it from the shelf.</param>
/// <param name="WaitsFor">What it waits for before it starts; null for nothing.</param>
/// <param name="Variant">The variant that was found to fit; null for none.</param>
internal readonly record struct TargetPlace(int Wave, bool HasBegun = false, bool IsTaken = false, string? WaitsFor = null, string? Variant = null);
