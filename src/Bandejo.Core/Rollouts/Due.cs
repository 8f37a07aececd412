using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.World;

namespace Bandejo.Core.Rollouts;

/// <summary>
/// Does what is due, a slice at a time: what must be done for very many devices is done for some of them, and the rest waits for the next turn, so that
/// nobody else waits for long. Between two slices the world is whole: whoever was not weighed yet stands where it stood.
/// </summary>
public static class Due
{
    /// <summary>Does one slice of what is due.</summary>
    /// <returns>Whether more is due.</returns>
    public static Outcome<bool> Take(Decision decision)
    {
        var world = decision.World;
        if (world.Agenda.First(decision.Now) is not { } id || !world.Deployments.TryGetValue(id, out var deployment))
        {
            return false;
        }

        if (!deployment.Pending.ToRetry.IsEmpty())
        {
            Some(deployment.Pending.ToRetry, row => Retrying.Again(decision, deployment, world.Devices.At(row), deployment.Pending.RetryAskedBy));
        }
        else if (!deployment.Pending.ToBring.IsEmpty())
        {
            Some(deployment.Pending.ToBring, row => RollingBack.BringAndWeigh(decision, deployment, world.Devices.At(row)));
        }
        else if (!deployment.Pending.ToWeigh.IsEmpty())
        {
            Some(deployment.Pending.ToWeigh, row => Weighing.Weigh(decision, deployment, world.Devices.At(row)));
        }
        else
        {
            Looking.Look(decision, deployment);
        }

        world.SetMoment(deployment);
        return world.Agenda.First(decision.Now) is not null;

        void Some(Bitmap rows, Action<int> act)
        {
            // Those that went meanwhile have nothing to do with it any more.
            var slice = rows.Rows().Take(world.Slice).ToList();
            foreach (var row in slice.Where(row => world.Columns.Live[row]))
            {
                act(row);
            }

            slice.ForEach(row => rows[row] = false);
        }
    }

    /// <summary>Does something for devices now where they are few, and in slices from the next turn on where they are many.</summary>
    /// <param name="pending">The rows for which it is to be done.</param>
    /// <param name="work">How often something is done in all, where that is more often than for these.</param>
    internal static void ForEach(Decision decision, DeploymentEntry deployment, Bitmap pending, IReadOnlyCollection<int> rows, Action<DeviceEntry> act, int work = 0)
    {
        if (Math.Max(work, rows.Count) > decision.World.Slice)
        {
            foreach (var row in rows)
            {
                pending[row] = true;
            }

            decision.World.SetMoment(deployment);
            return;
        }

        foreach (var row in rows)
        {
            act(decision.World.Devices.At(row));
        }
    }
}
