using Bandejo.Core.Deployments;
using Bandejo.Core.World;

namespace Bandejo.Core.Rollouts;

/// <summary>
/// What is over leaves memory: of a deployment that ended, the targets are only kept once its orders have run out and nobody has asked for it for a while.
/// What is counted of them stays. Whoever decides about single ones has them brought again; whoever reads is lent them
/// (<see cref="TargetsShelvedException"/>).
/// </summary>
public static class Shelving
{
    /// <summary>So many deployments that ended are in memory at most, beyond those whose orders have not run out.</summary>
    internal const int MostBrought = 16;

    /// <summary>How long nothing of it must have changed.</summary>
    public static readonly TimeSpan After = TimeSpan.FromHours(1);

    /// <summary>Brings the targets of a deployment into memory again, so that it can be decided about them.</summary>
    /// <param name="targets">As they are kept.</param>
    public static Outcome<bool> Bring(Decision decision, string deployment, IReadOnlyList<Target> targets)
    {
        var world = decision.World;
        if (world.Deployments.GetValueOrDefault(deployment) is not { IsShelved: true } entry)
        {
            return false;
        }

        // Whoever brings many back one after the other does not fill memory with them.
        var brought = world.Deployments.Values.Where(each => each.ShelveAt(TimeSpan.Zero) <= decision.Now).OrderBy(each => each.TouchedAt).ToList();
        foreach (var longest in brought.Take(brought.Count + 1 - MostBrought))
        {
            Shelve(decision, longest);
        }

        decision.Do(new BringTargets(deployment, entry.Fetched(targets, device => world.Devices.Get(device)?.Row)));
        decision.Do(new PutDeployment(entry.Record with { State = entry.State with { Shelved = null } }));
        return true;
    }

    /// <summary>Takes the targets of a deployment that is over out of memory.</summary>
    internal static void Shelve(Decision decision, DeploymentEntry deployment) => decision.Do(new PutDeployment(
        deployment.Record with { State = deployment.State with { Shelved = deployment.Targets.Counts } }));
}
