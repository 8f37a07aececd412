using Bandejo.Core.Deployments;
using Bandejo.Core.World;

namespace Bandejo.Core.Rollouts;

/// <summary>
/// When a deployment has nothing left to do because another has taken its place: every device that it reaches and that is to have anything of it has yielded,
/// and the other reaches the same groups with all waves open, so that whoever comes in later is the other's too. Ended, it changes nothing on any device.
/// </summary>
public static class Replacing
{
    /// <summary>The deployment that has wholly taken the place of another; null for none.</summary>
    public static DeploymentEntry? By(FleetWorld world, DeploymentEntry deployment)
    {
        if (!deployment.IsActive || deployment.State.Status == DeploymentStatus.RollingBack)
        {
            return null;
        }

        var states = deployment.Targets.States();
        var meant = deployment.Targets.Count - states[(int)TargetState.Left] - states[(int)TargetState.NotNeeded];
        return meant == 0 || states[(int)TargetState.Yielded] != meant
            ? null
            : world.ActiveOfApp(deployment.Plan.App).LastOrDefault(other => other != deployment && other.State.TakesIn
                && other.State.Waves.All(wave => wave.OpenedAt is not null) && other.Plan.Wish != Wish.Choice
                && deployment.Plan.Groups.All(group => other.Plan.Groups.Contains(group))
                && other.Plan.Except.All(group => deployment.Plan.Except.Contains(group)));
    }
}
