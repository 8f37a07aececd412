using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.Packages;
using Bandejo.Core.Rules;
using Bandejo.Core.Versions;
using Bandejo.Core.World;

namespace Bandejo.Core.Rollouts;

/// <summary>Moves targets, and tells of it.</summary>
public static class Moving
{
    /// <summary>Moves a target by one event, and keeps what came of it.</summary>
    /// <returns>Whether anything of it changed.</returns>
    public static bool Happen(Decision decision, DeploymentEntry deployment, DeviceEntry device, Happening happening)
    {
        var before = deployment.Targets[device];
        var after = Targets.Decide(before, happening, decision.Now);
        if (after.State.Has(TargetTrait.Starts) && !after.IsGoingBack && !before.HasTurn
            && Turns.InTheWay(decision.World, deployment, device) is { } turn)
        {
            // Whatever sends an order out, a person's word or a proof that is lost, does not send it out of turn.
            after = Targets.Decide(after, new Happening(TargetEvent.Held, turn), decision.Now);
        }

        if (ReferenceEquals(before, after))
        {
            return false;
        }

        var why = after.Reason.Code != ReasonCode.None ? $", {after.Reason}" : "";
        var text = after.State == before.State || (decision.Openings is { } openings && openings.Takes(deployment.Id, device, before, after))
            ? null
            : $"{device.Name}: {StateNames.Of(before.State)} → {StateNames.Of(after.State)}{why}";
        Put(decision, deployment, device, after, text is null ? null : StateNames.Of(after.State), text ?? "");
        if (after.IsToGoBack && !after.State.Has(TargetTrait.Underway))
        {
            // What was at work when it was to be taken back has ended.
            RollingBack.Bring(decision, deployment, device);
        }

        return true;
    }

    /// <summary>Keeps a target that changed in something else than its state.</summary>
    public static void Replace(Decision decision, DeploymentEntry deployment, DeviceEntry device, Target target) =>
        Put(decision, deployment, device, target, null, "");

    /// <summary>Keeps a target.</summary>
    /// <param name="what">What it is told of as; null where nobody is told.</param>
    internal static void Put(Decision decision, DeploymentEntry deployment, DeviceEntry device, Target target, string? what, string text)
    {
        var before = deployment.Targets.Of(device);
        if (target.IsOrdered != (before?.IsOrdered == true))
        {
            target = Turns.Changed(deployment.Plan, device, before, target);
        }

        decision.Do(new PutTarget(deployment.Id, target));
        if (what is not null)
        {
            decision.Event("target", what, text, null, device.Id, deployment.Id);
        }

        Turns.After(decision, deployment, device, before, target);
    }
}
