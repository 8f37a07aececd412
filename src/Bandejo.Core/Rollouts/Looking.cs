using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.Packages;
using Bandejo.Core.Rules;
using Bandejo.Core.Versions;
using Bandejo.Core.World;

namespace Bandejo.Core.Rollouts;

/// <summary>Looks at deployments as wholes: may a gate pass, must one halt, what is due.</summary>
public static class Looking
{
    /// <summary>
    /// Looks at a deployment: may a gate pass, must it halt, what is due. While many of its devices are still to be weighed its figures do not hold, and it
    /// waits.
    /// </summary>
    public static void Look(Decision decision, DeploymentEntry deployment)
    {
        if (deployment.IsPending)
        {
            return;
        }

        var world = decision.World;
        var openings = decision.Openings = new OpeningsTold();
        foreach (var row in deployment.Targets.TakeDue(
            decision.Now, target => Targets.DueAt(deployment.Plan, target, world.HeardAtMost(target.Device), world.CheckInInterval), world.Slice))
        {
            LookAtTime(decision, deployment, world.Devices.At(row));
        }

        decision.Openings = null;
        openings.Tell(decision);
        Waking.Opened(decision, deployment, openings.Opened);

        // What follows from this look is looked at in the next.
        deployment.LookAt = deployment.Targets.NextDue;
        deployment.IsDirty = false;
        var decided = DeploymentMachine.Decide(deployment.Plan, deployment.State, new Looked(world.Tallies(deployment))
        {
            ReplacedBy = Replacing.By(world, deployment)?.Plan.Name,
        }, decision.Now);
        TakeOver(decision, deployment, decided.Value);
        world.SetMoment(deployment);
    }

    /// <summary>Takes over a decision about the deployment as a whole, and moves its targets after it.</summary>
    /// <param name="goingBack">Of a roll back: the devices that are meant; null for all.</param>
    internal static void TakeOver(Decision decision, DeploymentEntry deployment, DeploymentDecision decided, Bitmap? goingBack = null)
    {
        var before = deployment.State;
        deployment.LookAt = Sooner(deployment.LookAt, decided.LookAgain);
        if (ReferenceEquals(before, decided.State) && decided.Journal.Count == 0)
        {
            return;
        }

        decision.Do(new PutDeployment(deployment.Record with { State = decided.State }));
        foreach (var line in decided.Journal)
        {
            decision.Event("journal", line.What, line.Text, line.Reason, null, deployment.Id, line.By);
        }

        var rollsBack = decided.State.Status == DeploymentStatus.RollingBack && before.Status != DeploymentStatus.RollingBack;
        if (goingBack is not null || rollsBack)
        {
            Due.ForEach(decision, deployment, deployment.Pending.ToBring, goingBack ?? deployment.Targets.AllRows(), device => RollingBack.BringAndWeigh(
                decision, deployment, device));
        }

        if (rollsBack || before.Status != decided.State.Status)
        {
            Weighing.WeighAll(decision, deployment);
            Rivals(decision, deployment, deployment.Targets.AllRows());
            return;
        }

        // Where a wave opened, only its devices stand otherwise.
        for (var wave = 0; wave < before.Waves.Count; wave++)
        {
            if (before.Waves[wave].OpenedAt != decided.State.Waves[wave].OpenedAt)
            {
                Weighing.WeighRows(decision, deployment, deployment.Targets.InWave(wave));
                Rivals(decision, deployment, deployment.Targets.InWave(wave));
            }
        }
    }

    /// <summary>Other deployments of the same app, and those that need it, are weighed again: this one's wishes have begun or ceased to count.</summary>
    /// <param name="rows">The devices for which that is so.</param>
    internal static void Rivals(Decision decision, DeploymentEntry deployment, Bitmap rows)
    {
        foreach (var rival in decision.World.Active.Where(other => other != deployment && Weighing.MayMatter(deployment, other)).ToList())
        {
            Weighing.WeighRows(decision, rival, rival.Targets.AllRows().And(rows));
        }
    }

    private static void LookAtTime(Decision decision, DeploymentEntry deployment, DeviceEntry device)
    {
        var lingered = deployment.Targets[device].Lingers;
        Turns.Lapse(decision, deployment, device);
        var target = deployment.Targets[device];
        if (target.State is TargetState.Waiting or TargetState.Ready)
        {
            // A window has opened or closed, a freeze begun or ended, or the turn goes to others.
            Weighing.WeighWith(decision, deployment, device);
            return;
        }

        if (lingered)
        {
            return;
        }

        Moving.Happen(decision, deployment, device, target.State switch
        {
            TargetState.Retry => new Happening(TargetEvent.RetryTime, new Reason(ReasonCode.TryTimeCame)),
            TargetState.Met => new Happening(TargetEvent.ProofTooOld, new Reason(ReasonCode.ProofOld, Seconds(decision.Now - target.ProvenAt!.Value))),
            _ => new Happening(TargetEvent.FellSilent, new Reason(ReasonCode.FellSilent, Seconds(decision.Now - (device.LastHeard ?? target.Since)))),
        });
    }

    private static string Seconds(TimeSpan length) => ((long)length.TotalSeconds).ToString(System.Globalization.CultureInfo.InvariantCulture);

    private static DateTimeOffset? Sooner(DateTimeOffset? a, DateTimeOffset? b) => a is null || b < a ? b ?? a : a;
}
