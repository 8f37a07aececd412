using Bandejo.Core.Calendars;
using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.Rules;

namespace Bandejo.Core.World;

/// <summary>Who is late: whose deadline has passed, by wave and by its own clocks where that is asked for.</summary>
public static class Lateness
{
    /// <summary>No clocks are further ahead of UTC, and none further behind.</summary>
    private static readonly TimeSpan MostAhead = TimeSpan.FromHours(14), MostBehind = TimeSpan.FromHours(12);

    private static readonly FactRef Zone = new("zone", false);

    /// <summary>When a device is late under a deployment; null for never, or not known yet.</summary>
    public static DateTimeOffset? DeadlineOf(FleetWorld world, DeploymentEntry deployment, DeviceEntry device, int wave) => Deadlines.Of(
        deployment.Plan, deployment.State, wave, wave >= 0 && deployment.Plan.Waves[wave].Deadline is { IsLocal: true } ? ClocksOf(world, device) : null);

    /// <summary>A device's own clocks; null where they are not known.</summary>
    public static OffsetAt? ClocksOf(FleetWorld world, DeviceEntry device) =>
        world.Columns.Get(device.Row, Zone).Value?.Text is { } zone ? Zones.Of(zone) : null;

    /// <summary>The rows of the targets that are late.</summary>
    public static Bitmap Rows(FleetWorld world, DeploymentEntry deployment)
    {
        var (plan, now) = (deployment.Plan, world.Now);
        var open = deployment.Targets.In(TargetTraits.With(TargetTrait.Late));
        if (!Deadlines.AreOfWaves(plan))
        {
            return plan.Deadline <= now ? open : new Bitmap();
        }

        var late = new Bitmap(world.Columns.Rows);
        var others = open.Copy();
        for (var wave = 0; wave < plan.Waves.Count; wave++)
        {
            var rows = open.Copy().And(deployment.Targets.InWave(wave));
            others.Except(rows);
            if (plan.Waves[wave].Deadline is { IsLocal: true, Wall: { } wall })
            {
                var utc = new DateTimeOffset(wall, TimeSpan.Zero);
                rows = now < utc - MostAhead ? new Bitmap()
                    : now >= utc + MostBehind ? rows
                    : Some(rows, row => DeadlineOf(world, deployment, world.Devices.At(row), wave) <= now);
            }
            else if (!(Deadlines.Of(plan, deployment.State, wave, null) <= now))
            {
                continue;
            }

            late.Or(rows);
        }

        return plan.Deadline <= now ? late.Or(others) : late;
    }

    /// <summary>How many targets are late, by the order of <see cref="TargetState"/>.</summary>
    /// <param name="among">Only of these devices; null for all.</param>
    public static int[] States(FleetWorld world, DeploymentEntry deployment, Bitmap? among = null)
    {
        if (!Deadlines.AreOfWaves(deployment.Plan) || deployment.IsShelved)
        {
            return Counting.Late(deployment.Targets.States(among), Deadlines.Last(deployment.Plan, deployment.State), world.Now);
        }

        var late = Rows(world, deployment);
        return deployment.Targets.States(among is null ? late : late.And(among));
    }

    /// <summary>The counts of each wave with how many of it are late.</summary>
    internal static IReadOnlyList<Tally> With(FleetWorld world, DeploymentEntry deployment, IReadOnlyList<Tally> tallies)
    {
        if (!Deadlines.AreOfWaves(deployment.Plan) || deployment.IsShelved)
        {
            return tallies;
        }

        var late = Rows(world, deployment);
        return [.. tallies.Select((tally, wave) => tally with { Late = deployment.Targets.InWave(wave).CountWith(late) })];
    }

    private static Bitmap Some(Bitmap rows, Func<int, bool> isMeant)
    {
        var some = new Bitmap();
        foreach (var row in rows.Rows().Where(isMeant))
        {
            some[row] = true;
        }

        return some;
    }
}
