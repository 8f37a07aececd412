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
    private const string WeighedBySetting = "weighed-by";

    private static readonly TimeSpan PutOffFor = TimeSpan.FromMinutes(1);

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
            Some(deployment.Pending.ToWeigh, row => Weighing.WeighWith(decision, deployment, world.Devices.At(row)));
        }
        else if (deployment.IsActive)
        {
            Looking.Look(decision, deployment);
        }
        else if (deployment.ShelveAt(world.ShelveAfter) <= decision.Now)
        {
            Shelving.Shelve(decision, deployment);
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
            if (!deployment.IsPending)
            {
                Note(decision, deployment, isUnfinished: false);
            }
        }
    }

    /// <summary>
    /// Has all devices weighed by this program, once: it may judge otherwise than the one that weighed them last.
    /// </summary>
    /// <param name="program">What tells this program from any other that judges.</param>
    public static Outcome<bool> WeighAnew(Decision decision, string program)
    {
        var world = decision.World;
        if (world.SiteSettings.GetValueOrDefault(WeighedBySetting) == program)
        {
            return false;
        }

        foreach (var deployment in world.Active.ToList())
        {
            Note(decision, deployment, isUnfinished: true);
        }

        world.GoOn();
        decision.Do(new PutSetting(WeighedBySetting, program));
        return true;
    }

    /// <summary>Puts off what is due first, where it could not be done: whatever is wrong with one deployment keeps no other waiting.</summary>
    public static Outcome<bool> PutOff(Decision decision)
    {
        if (decision.World.Agenda.First(decision.Now) is { } id)
        {
            decision.World.Agenda.Set(id, decision.Now + PutOffFor);
        }

        return true;
    }

    /// <summary>Does something for devices now where they are few, and in slices from the next turn on where they are many.</summary>
    /// <param name="pending">The rows for which it is still to be done.</param>
    /// <param name="rows">The rows for which it is to be done.</param>
    /// <param name="times">For how many deployments the same is done in one decision.</param>
    internal static void ForEach(Decision decision, DeploymentEntry deployment, Bitmap pending, Bitmap rows, Action<DeviceEntry> act, int times = 1)
    {
        if (rows.Count() * times > decision.World.Slice)
        {
            pending.Or(rows);
            Note(decision, deployment, isUnfinished: true);
            decision.World.SetMoment(deployment);
            return;
        }

        foreach (var row in rows.Rows())
        {
            act(decision.World.Devices.At(row));
        }
    }

    private static void Note(Decision decision, DeploymentEntry deployment, bool isUnfinished)
    {
        if (deployment.State.IsUnfinished != isUnfinished)
        {
            decision.Do(new PutDeployment(deployment.Record with { State = deployment.State with { IsUnfinished = isUnfinished } }));
        }
    }
}
