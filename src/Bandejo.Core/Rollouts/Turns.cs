using System.Globalization;
using Bandejo.Core.Deployments;
using Bandejo.Core.Rules;
using Bandejo.Core.World;

namespace Bandejo.Core.Rollouts;

/// <summary>
/// Sees to it that no more devices of one site are changed at once, or fetch files at once, than a deployment asks for. Who may start has its turn until that
/// is over, whether it is at work or not: its device may begin unheard. Once it may not any more, since nothing was heard of it for longer than its lease, the
/// turn goes to others.
/// </summary>
internal static class Turns
{
    private static readonly FactRef Site = new("site", false);

    /// <summary>Where a device stands; empty where that is not known.</summary>
    public static string SiteOf(FleetWorld world, DeviceEntry device) => world.Columns.Get(device.Row, Site).Value?.ToString() ?? "";

    /// <summary>Why devices of any site wait for others of theirs.</summary>
    public static Reason Later(int most) => new(ReasonCode.TurnLater, most.ToString(CultureInfo.InvariantCulture));

    /// <summary>Why a device has to wait for others of its site before it may be changed; null where it need not.</summary>
    public static Reason? InTheWay(FleetWorld world, DeploymentEntry deployment, DeviceEntry device)
    {
        if (deployment.Plan.AtOnce is not { Devices: var most })
        {
            return null;
        }

        var has = deployment.Targets.Has(device) && deployment.Targets.Glance(device).HasTurn;
        if (has && deployment.Targets.Glance(device) is { IsOrdered: true, State: not (TargetState.Waiting or TargetState.Ready) })
        {
            return null;
        }

        if (IsAway(world, deployment, device))
        {
            return new Reason(ReasonCode.TurnPassed, ((long)deployment.Plan.Lease.TotalSeconds).ToString(CultureInfo.InvariantCulture));
        }

        if (has)
        {
            return null;
        }

        var site = SiteOf(world, device);
        return Count(world, deployment, site, (in TargetCell _) => true) < most
            ? null
            : new Reason(ReasonCode.SiteAtIt, site, most.ToString(CultureInfo.InvariantCulture));
    }

    /// <summary>A target whose order went out, or was taken back or carried out, with what that means for its turn.</summary>
    public static Target Changed(DeploymentPlan plan, DeviceEntry device, Target? before, Target after)
    {
        if (after.IsOrdered)
        {
            // Whoever has not heard yet that it was taken back goes on where it was. What it has it told; for an order that is over it may have let it go.
            return after with
            {
                Lingers = false, MayFetch = before is { Lingers: true, MayFetch: true }, HasFiles = device.Memory.Fetched.Contains(plan.Id),
            };
        }

        // Whoever told how it ended starts it no more; whoever has it otherwise may be in the middle of fetching, until it hears that it need not.
        var mayStart = before is not null && after.State is not (TargetState.Met or TargetState.Failed or TargetState.Undone);
        var lingers = IsAskedBy(plan) && (mayStart || (plan.Fetch.AtOnce is not null && IsFetching(before)));
        return after with { Lingers = lingers, MayFetch = lingers && before!.MayFetch, HasFiles = false };
    }

    /// <summary>Passes turns on, after the target of a device became another.</summary>
    public static void After(Decision decision, DeploymentEntry deployment, DeviceEntry device, Target? before, Target after)
    {
        var plan = deployment.Plan;
        if (!IsAskedBy(plan))
        {
            return;
        }

        var site = SiteOf(decision.World, device);
        if (plan.AtOnce is not null && before?.HasTurn == true && !after.HasTurn)
        {
            Pass(decision, deployment, site);
        }

        if (plan.Fetch.AtOnce is not null && (IsFetching(before) || WaitsToFetch(before) || IsFetching(after) || WaitsToFetch(after)))
        {
            PassFetching(decision, deployment, site);
        }
    }

    /// <summary>Takes the turn of a device of which nothing was heard for so long that it starts and fetches nothing by itself.</summary>
    public static void Lapse(Decision decision, DeploymentEntry deployment, DeviceEntry device)
    {
        var target = deployment.Targets[device];
        if (IsAskedBy(deployment.Plan) && IsAway(decision.World, deployment, device) && (target.Lingers || IsFetching(target)))
        {
            Moving.Replace(decision, deployment, device, target with { Lingers = false, MayFetch = false });
        }
    }

    /// <summary>Gives a device that is heard what it waits for, where there is a turn for it.</summary>
    /// <param name="hasOrders">Whether it holds its orders as they are now, so that it knows what was taken back.</param>
    public static void Heard(Decision decision, DeviceEntry device, bool hasOrders)
    {
        foreach (var deployment in decision.World.ActiveOf(device).Where(each => IsAskedBy(each.Plan)).ToList())
        {
            var target = deployment.Targets[device];
            if (hasOrders && target.Lingers)
            {
                Moving.Replace(decision, deployment, device, target with { Lingers = false, MayFetch = false });
            }

            if (target.Reason.Code == ReasonCode.TurnPassed)
            {
                Weighing.WeighWith(decision, deployment, device);
            }

            if (deployment.Plan.Fetch.AtOnce is not null && WaitsToFetch(deployment.Targets[device]))
            {
                PassFetching(decision, deployment, SiteOf(decision.World, device));
            }
        }
    }

    /// <summary>Passes on what a device had for its turn at a site where it is no more.</summary>
    public static void Left(Decision decision, string site)
    {
        foreach (var deployment in decision.World.Active.Where(each => !each.IsShelved).ToList())
        {
            if (deployment.Plan.AtOnce is not null)
            {
                Pass(decision, deployment, site);
            }

            if (deployment.Plan.Fetch.AtOnce is not null)
            {
                PassFetching(decision, deployment, site);
            }
        }
    }

    /// <summary>Whether a device is thought not to know that an order was taken back.</summary>
    public static bool HasUnheard(FleetWorld world, DeviceEntry device)
    {
        foreach (var deployment in world.Active)
        {
            if (IsAskedBy(deployment.Plan) && deployment.Targets.Has(device) && deployment.Targets.Glance(device).Lingers)
            {
                return true;
            }
        }

        return false;
    }

    /// <summary>Whether any deployment asks for turns.</summary>
    public static bool AreAsked(FleetWorld world) => world.Active.Any(each => IsAskedBy(each.Plan));

    private static bool IsAskedBy(DeploymentPlan plan) => plan.AtOnce is not null || plan.Fetch.AtOnce is not null;

    private static void Pass(Decision decision, DeploymentEntry deployment, string site)
    {
        var world = decision.World;
        foreach (var row in deployment.Targets.In(TargetState.Waiting).Rows())
        {
            var device = world.Devices.At(row);
            if (deployment.Targets.Glance(device).Reason is { Code: ReasonCode.SiteAtIt } why && why.Arguments[0] == site)
            {
                if (Count(world, deployment, site, (in TargetCell _) => true) >= deployment.Plan.AtOnce!.Devices)
                {
                    return;
                }

                Weighing.WeighWith(decision, deployment, device);
            }
        }
    }

    private static void PassFetching(Decision decision, DeploymentEntry deployment, string site)
    {
        var world = decision.World;
        var free = deployment.Plan.Fetch.AtOnce!.Value - Count(world, deployment, site, (in TargetCell cell) => cell.MayFetch && !cell.HasFiles);
        foreach (var device in At(world, deployment, site, (in TargetCell cell) => cell.IsOrdered && !cell.MayFetch && !cell.HasFiles)
            .Where(device => !IsAway(decision.World, deployment, device)).Take(Math.Max(0, free)).ToList())
        {
            decision.Do(new PutTarget(deployment.Id, deployment.Targets[device] with { MayFetch = true }));
        }
    }

    private static bool IsFetching(Target? target) => target is { HasTurn: true, MayFetch: true, HasFiles: false };

    private static bool WaitsToFetch(Target? target) => target is { IsOrdered: true, MayFetch: false, HasFiles: false };

    /// <summary>Whether so little was heard of a device that it starts nothing by itself.</summary>
    private static bool IsAway(FleetWorld world, DeploymentEntry deployment, DeviceEntry device) =>
        (device.HeardAtMost(world.CheckInInterval) ?? device.Record.Joined) + deployment.Plan.Lease <= world.Now;

    private delegate bool Which(in TargetCell cell);

    /// <summary>How many devices of a site have a turn. Whoever was not told that it was taken back has none any more once it starts nothing unheard.</summary>
    private static int Count(FleetWorld world, DeploymentEntry deployment, string site, Which which) => At(world, deployment, site, which).Count(
        device => !deployment.Targets.Glance(device).Lingers || !IsAway(world, deployment, device));

    private static IEnumerable<DeviceEntry> At(FleetWorld world, DeploymentEntry deployment, string site, Which which) =>
        deployment.Targets.Turns.Rows().Select(world.Devices.At).Where(
            device => which(in deployment.Targets.Glance(device)) && SiteOf(world, device) == site);
}
