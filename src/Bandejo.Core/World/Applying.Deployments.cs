using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;

namespace Bandejo.Core.World;

/// <summary>This part alters deployments and their targets.</summary>
public sealed partial class FleetWorld
{
    private void PutDeployment(DeploymentRecord record, List<Action> undo)
    {
        if (!_deployments.TryGetValue(record.Id, out var deployment))
        {
            deployment = new DeploymentEntry(record, Packages[record.Package], row => Devices.At(row).Id);
            Attach(deployment, undo);
            return;
        }

        var (before, targets) = (deployment.Record, deployment.Targets);
        Become(record with { Plan = before.Plan, Unreadable = before.Unreadable });
        undo.Add(() =>
        {
            deployment.Bring(targets);
            Become(before);
        });

        void Become(DeploymentRecord after)
        {
            // Whether its devices may start may have changed with it.
            if (!deployment.Targets.IsShelved && (deployment.State.Status != after.State.Status
                || !deployment.State.Waves.Select(wave => wave.OpenedAt).SequenceEqual(after.State.Waves.Select(wave => wave.OpenedAt))))
            {
                DoubtAll(deployment.Targets.AllRows());
            }

            deployment.Become(after);
            Touched(deployment);
            SetMoment(deployment);
            (_active, _activeOfApp) = (null, null);
        }
    }

    private void Bring(DeploymentEntry deployment, TargetBook targets, List<Action> undo)
    {
        var before = deployment.Targets;
        deployment.Bring(targets);
        Touched(deployment);
        undo.Add(() =>
        {
            deployment.Bring(before);
            Touched(deployment);
        });
    }

    /// <summary>Takes a deployment in, with the targets that it has.</summary>
    internal void Attach(DeploymentEntry deployment, List<Action> undo)
    {
        // It was made apart, perhaps of a world that stood still.
        deployment.BelongTo(row => Devices.At(row).Id);
        deployment.Become(Packages[deployment.Plan.Package]);
        deployment.TouchedAt = Now;
        Add(_deployments, deployment.Id, deployment);
        (_active, _activeOfApp) = (null, null);
        DoubtAll(deployment.IsShelved ? new Bitmap() : deployment.Targets.AllRows());
        SetMoment(deployment);
        undo.Add(() =>
        {
            Agenda.Set(deployment.Id, null);
            _deployments.Remove(deployment.Id);
            (_active, _activeOfApp, _stillParts) = (null, null, null);
        });
    }

    /// <summary>Gives a device's target, or none, to a deployment.</summary>
    private void PutTarget(DeploymentEntry deployment, DeviceEntry device, Target? target)
    {
        if (target is null)
        {
            deployment.Targets.Remove(device.Row);
        }
        else
        {
            deployment.Targets.Put(
                device.Row, target, Core.Deployments.Targets.DueAt(deployment.Plan, target, device.HeardAtMost(CheckInInterval), CheckInInterval));
        }

        Touched(deployment);
        Doubt(device.Row);
    }

    private void Touched(DeploymentEntry deployment)
    {
        deployment.Touch();
        deployment.TouchedAt = Now;
        _stillParts = null;

        // Also where it was dirty already: a package that becomes another makes it so without a moment.
        SetMoment(deployment);
    }
}
