using Bandejo.Core;
using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.Packages;
using Bandejo.Core.Rules;
using Bandejo.Core.Versions;
using Bandejo.Core.World;
using Bandejo.Server.World;
using Bandejo.Store;

namespace Bandejo.Server.Deployments;

/// <summary>
/// Carries what happens to the decisions in Core and their answers back into the world: weighs devices against deployments, moves targets, looks at gates.
/// Everything here runs inside one change of the world.
/// </summary>
internal static class Engine
{
    /// <summary>Puts a device in front of every deployment it may belong to, after its facts or groups changed.</summary>
    public static void WeighDevice(WorldChange change, DeviceEntry device)
    {
        foreach (var deployment in change.World.Deployments.Values)
        {
            if (deployment.IsActive)
            {
                Weigh(change, deployment, device);
            }
        }
    }

    /// <summary>Puts a device in front of the deployments for which it makes a difference that its target of this one changed, and those for which that makes one.</summary>
    public static void WeighDevice(WorldChange change, DeviceEntry device, DeploymentEntry about)
    {
        List<DeploymentEntry> changed = [about];
        for (var i = 0; i < changed.Count; i++)
        {
            foreach (var deployment in change.World.Deployments.Values)
            {
                if (!deployment.IsActive || !MayMatter(changed[i], deployment))
                {
                    continue;
                }

                var before = deployment.Targets.Of(device);
                Weigh(change, deployment, device);
                if (!ReferenceEquals(before, deployment.Targets.Of(device)) && !changed.Contains(deployment))
                {
                    changed.Add(deployment);
                }
            }
        }
    }

    /// <summary>Weighs every device that is or may be a target, after the deployment itself changed.</summary>
    public static void WeighAll(WorldChange change, DeploymentEntry deployment)
    {
        var world = change.World;
        var rows = Scope(world, deployment.Plan.Groups, deployment.Plan.Except);
        foreach (var row in rows.Rows())
        {
            Weigh(change, deployment, world.DevicesByRow[row]);
        }

        foreach (var row in deployment.Targets.Rows)
        {
            if (!rows[row])
            {
                Weigh(change, deployment, world.DevicesByRow[row]);
            }
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

        foreach (var row in rows.Rows().Where(row => !world.DevicesByRow[row].Record.IsSorted).ToList())
        {
            rows[row] = false;
        }

        return rows;
    }

    /// <summary>Judges one device under one deployment and moves its target accordingly.</summary>
    public static void Weigh(WorldChange change, DeploymentEntry deployment, DeviceEntry device)
    {
        var world = change.World;
        var plan = deployment.Plan;
        var target = deployment.Targets.Of(device);
        var isIn = IsInScope(world, plan, device, target);
        if (target is null)
        {
            // Nobody enters what is paused, halted or on its way back.
            if (!isIn || deployment.State.Status is not (DeploymentStatus.Running or DeploymentStatus.Standing))
            {
                return;
            }

            var wave = WavePicks.Join(device.Id, [.. plan.Waves.Select(each => each.Pick)], (group, id) => IsIn(world, group, id), plan.Salt);
            target = new Target { Device = device.Id, Wave = wave, Since = change.Now };
            device.Joins(deployment);
            Put(change, deployment, device, target, "joined", $"{device.Name} came into '{plan.Name}'.");
        }

        if (target.IsGoingBack || target.IsToGoBack)
        {
            return;
        }

        var (happening, variant, _) = Standing(world, deployment, device, target, isIn, change.Now);
        var opened = target.Wave >= 0 && deployment.State.Waves[target.Wave].OpenedAt is not null;
        if (variant != target.Variant || (opened && target.AppWhenOpened is null))
        {
            target = target with { Variant = variant ?? target.Variant, AppWhenOpened = opened ? target.AppWhenOpened ?? InstalledVersion(world, device, plan.App) : null };
            Put(change, deployment, device, target, null, "");
        }

        Happen(change, deployment, device, happening);
    }

    /// <summary>Moves a target by one event, and keeps what came of it.</summary>
    public static void Happen(WorldChange change, DeploymentEntry deployment, DeviceEntry device, Happening happening)
    {
        var before = deployment.Targets[device];
        var after = Targets.Decide(before, happening, change.Now);
        if (ReferenceEquals(before, after))
        {
            return;
        }

        var text = after.State == before.State ? null : $"{device.Name}: {Words.Of(before.State)} → {Words.Of(after.State)}{(after.Reason.Length > 0 ? $", {after.Reason}" : "")}";
        Put(change, deployment, device, after, text is null ? null : Words.Of(after.State), text ?? "");
        if (after.IsToGoBack && after.State is not (TargetState.Working or TargetState.Lost))
        {
            // What was at work when it was to be taken back has ended.
            RollingBack.Bring(change, deployment, device);
        }
    }

    /// <summary>Keeps a target that changed in something else than its state.</summary>
    public static void Replace(WorldChange change, DeploymentEntry deployment, DeviceEntry device, Target target) => Put(change, deployment, device, target, null, "");

    /// <summary>Looks at a deployment: may a gate pass, must it halt, what is due.</summary>
    public static void Look(WorldChange change, DeploymentEntry deployment)
    {
        foreach (var row in deployment.Targets.TakeDue(change.Now))
        {
            LookAtTime(change, deployment, change.World.DevicesByRow[row]);
        }

        deployment.LookAt = deployment.Targets.NextDue;
        var decision = DeploymentMachine.Decide(deployment.Plan, deployment.State, new Looked(change.World.Tallies(deployment)), change.Now);
        Apply(change, deployment, decision.Value);
        deployment.IsDirty = false;
    }

    /// <summary>Takes over a decision about the deployment as a whole, and moves its targets after it.</summary>
    /// <param name="goingBack">Of a roll back: the targets that are meant; null for all.</param>
    public static void Apply(WorldChange change, DeploymentEntry deployment, DeploymentDecision decision, IReadOnlyList<Target>? goingBack = null)
    {
        var before = deployment.State;
        deployment.LookAt = Sooner(deployment.LookAt, decision.LookAgain);
        if (ReferenceEquals(before, decision.State) && decision.Journal.Count == 0)
        {
            return;
        }

        deployment.Record = deployment.Record with { State = decision.State };
        change.Keep(new PutDeployment(deployment.Record));
        foreach (var line in decision.Journal)
        {
            change.Event("journal", line.What, line.Text, line.Reason, null, deployment.Id, line.By);
        }

        var rollsBack = decision.State.Status == DeploymentStatus.RollingBack && before.Status != DeploymentStatus.RollingBack;
        foreach (var target in goingBack ?? (rollsBack ? [.. deployment.Targets.All] : []))
        {
            if (change.World.Devices.GetValueOrDefault(target.Device) is { } device)
            {
                RollingBack.Bring(change, deployment, device);
                if (!rollsBack)
                {
                    WeighDevice(change, device, deployment);
                }
            }
        }

        if (rollsBack || before.Status != decision.State.Status || !before.Waves.Select(wave => wave.OpenedAt).SequenceEqual(decision.State.Waves.Select(wave => wave.OpenedAt)))
        {
            WeighAll(change, deployment);
            Rivals(change, deployment);
        }

        deployment.IsDirty = true;
    }

    /// <summary>The device's installed version of an app as a text; empty for certainly none, null for not known.</summary>
    public static string? InstalledVersion(FleetWorld world, DeviceEntry device, string app)
    {
        var lookup = world.Columns.Get(device.Row, new FactRef(app, true));
        return lookup.Value is { } value ? value.ToString() : lookup.IsAbsent ? "" : null;
    }

    /// <summary>Whether a device is certainly in a group.</summary>
    public static bool IsIn(FleetWorld world, string group, string device) =>
        world.Groups.TryGetValue(group, out var entry) && world.Devices.TryGetValue(device, out var found) && entry.In[found.Row];

    /// <summary>Other deployments of the same app, and those that need it, are weighed again: this one's wishes have begun or ceased to count.</summary>
    public static void Rivals(WorldChange change, DeploymentEntry deployment)
    {
        foreach (var rival in change.World.Deployments.Values.Where(other => other != deployment && other.IsActive && MayMatter(deployment, other)))
        {
            foreach (var device in rival.Targets.Rows.Select(row => change.World.DevicesByRow[row]).Where(deployment.Targets.Has))
            {
                Weigh(change, rival, device);
            }
        }
    }

    /// <summary>Whether what happens to a device under one deployment may make a difference for it under another: both are about one app, or the other's package needs that app.</summary>
    private static bool MayMatter(DeploymentEntry one, DeploymentEntry other) => other.Plan.App == one.Plan.App || Needing.Concerns(other, one);

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
    /// <returns>What happens to its target, the variant that fits, and whether the package itself can be there.</returns>
    public static (Happening Happening, string? Variant, bool Fits) Standing(FleetWorld world, DeploymentEntry deployment, DeviceEntry device, Target target, bool isIn, DateTimeOffset now)
    {
        if (!isIn)
        {
            return (new Happening(TargetEvent.OutOfScope, "No longer in the groups of this deployment"), target.Variant, false);
        }

        var fit = Targeting.Weigh(deployment.Package.Variants, world.Columns.Row(device.Row));
        if (deployment.Plan.Wish == Wish.Gone && fit.Event == TargetEvent.Blocked)
        {
            // What is required for putting it there is not required for taking it away.
            fit = fit with { Event = TargetEvent.Due, Reason = "" };
        }

        if (fit.Event != TargetEvent.Due)
        {
            return (new Happening(fit.Event, fit.Reason), fit.Variant, false);
        }

        if (deployment.Plan.Wish != Wish.Gone && !target.HasBegun && Needing.Lacking(world, deployment.Package, device) is { } lacking)
        {
            return (lacking, fit.Variant, true);
        }

        if (Claims(deployment, device) is { Count: > 1 } rivals)
        {
            var (rules, contest) = Targeting.Settle([.. rivals.Select(other => (other.Id, other.Plan.Wish, other.Plan.Priority, other.Plan.Version))]);
            if (rules is null && contest.Contains(deployment.Id))
            {
                var others = contest.Where(id => id != deployment.Id).Select(id => $"'{world.Deployments[id].Plan.Name}'");
                return (new Happening(TargetEvent.Contested, $"{string.Join(", ", others)} wants the opposite; nobody acts until it is settled"), fit.Variant, true);
            }

            if (rules != deployment.Id)
            {
                return (new Happening(TargetEvent.Yielded, rules is null ? "A stronger wish is contested" : $"'{world.Deployments[rules].Plan.Name}' rules {deployment.Plan.AppName} here"), fit.Variant, true);
            }
        }

        if (Held(deployment, target, now) is { } held)
        {
            return (new Happening(TargetEvent.Held, held.Why, held.Until), fit.Variant, true);
        }

        return deployment.Plan.Wish == Wish.Choice && target.TakenAt is null
            ? (new Happening(TargetEvent.OnShelf, "On the shelf; the user has not taken it"), fit.Variant, true)
            : (new Happening(TargetEvent.Due, Targets.DueReason(target)), fit.Variant, true);
    }

    /// <summary>The deployments whose wishes for one app count on a device, this one among them.</summary>
    private static List<DeploymentEntry> Claims(DeploymentEntry deployment, DeviceEntry device)
    {
        List<DeploymentEntry> rivals = [deployment];
        foreach (var other in device.Deployments)
        {
            if (other != deployment && other.IsActive && other.Plan.App == deployment.Plan.App && Counts(other, device))
            {
                rivals.Add(other);
            }
        }

        return rivals;
    }

    private static bool Counts(DeploymentEntry other, DeviceEntry device) =>
        other.Targets.Of(device) is { } target && target.Wave >= 0 && other.State.Waves[target.Wave].OpenedAt is not null
        && target.State is not (TargetState.Left or TargetState.NotNeeded or TargetState.Blocked) && (other.Plan.Wish != Wish.Choice || target.TakenAt is not null) && !target.IsGoingBack
        && other.State.Status is not DeploymentStatus.RollingBack && Acts.WhyOver(other) is null;

    private static (string Why, DateTimeOffset? Until)? Held(DeploymentEntry deployment, Target target, DateTimeOffset now)
    {
        var state = deployment.State;
        if (state.Status is not (DeploymentStatus.Running or DeploymentStatus.Standing))
        {
            return ($"The deployment is {DeploymentMachine.InWords(state.Status)}{(state.Reason.Length > 0 ? $" ({state.Reason})" : "")}", null);
        }

        if (target.Wave < 0)
        {
            return ("No wave picks this device; end the deployment and start one with a last wave 'everyone else'", null);
        }

        if (state.Waves[target.Wave].OpenedAt is not null)
        {
            return null;
        }

        var wave = deployment.Plan.Waves[target.Wave];
        if (wave.OpensAt is { } opens && opens > now)
        {
            return ($"Wave '{wave.Name}' opens later", opens);
        }

        var gate = deployment.Plan.Waves[Math.Max(0, target.Wave - 1)];
        return (target.Wave == 0 ? $"Wave '{wave.Name}' is about to open" : $"Wave '{wave.Name}' opens after the gate behind '{gate.Name}' ({gate.GateInWords})", null);
    }

    private static void LookAtTime(WorldChange change, DeploymentEntry deployment, DeviceEntry device)
    {
        var target = deployment.Targets[device];
        var due = Targets.DueAt(deployment.Plan, target, device.LastHeard, change.World.CheckInInterval);
        if (due is null)
        {
            return;
        }

        if (due > change.Now)
        {
            deployment.Targets.Later(device, due);
            return;
        }

        Happen(change, deployment, device, target.State switch
        {
            TargetState.Retry => new Happening(TargetEvent.RetryTime, "The time of the next try has come"),
            TargetState.Met => new Happening(TargetEvent.ProofTooOld, $"The last proof is {Units.FormatDuration(change.Now - target.ProvenAt!.Value)} old and the device is silent"),
            _ => new Happening(TargetEvent.FellSilent, $"Began work and was not heard from for {Units.FormatDuration(change.Now - (device.LastHeard ?? target.Since))}"),
        });
    }

    private static void Put(WorldChange change, DeploymentEntry deployment, DeviceEntry device, Target target, string? what, string text)
    {
        deployment.Put(device, target, change.World.CheckInInterval);
        change.World.OrdersInDoubt(device);
        change.Keep(new PutTarget(deployment.Id, target));
        if (what is not null)
        {
            change.Event("target", what, text, null, device.Id, deployment.Id);
        }
    }

    private static DateTimeOffset? Sooner(DateTimeOffset? a, DateTimeOffset? b) => a is null || b < a ? b ?? a : a;
}
