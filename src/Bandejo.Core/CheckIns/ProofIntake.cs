using Bandejo.Core.Deployments;
using Bandejo.Core.Packages;
using Bandejo.Core.Rollouts;
using Bandejo.Core.World;

namespace Bandejo.Core.CheckIns;

/// <summary>Takes in what presence checks said outside of attempts.</summary>
public static class ProofIntake
{
    private const int LongestWhy = 400;

    private static readonly string NotKnown = StateNames.Of(PresenceAnswer.NotKnown);

    public static void Take(Decision decision, DeviceEntry device, ProofTold proof)
    {
        var deployment = decision.World.Deployments[proof.Deployment];
        var target = deployment.Targets[device];
        if (target.IsGoingBack || proof.Answer == NotKnown)
        {
            return;
        }

        var isThere = proof.Answer is "present" || (proof.Answer is "newer" && !deployment.Plan.AllowsDowngrade);
        var holds = deployment.Plan.Wish == Wish.Gone ? proof.Answer == "absent" : isThere;
        var why = proof.Why.Length > LongestWhy ? proof.Why[..LongestWhy] : proof.Why;
        Moving.Happen(decision, deployment, device,
            holds
                ? new Happening(TargetEvent.ProofHeld, new Reason(
                    target.State == TargetState.Met || target.HasBegun ? ReasonCode.Proven : ReasonCode.ProvenAlready, why))
            : target.State == TargetState.Met && target.Repairs >= deployment.Plan.Repairs
                ? new Happening(TargetEvent.GaveUp, new Reason(ReasonCode.RepairedTooOften, why, target.Repairs.ToString(
                    System.Globalization.CultureInfo.InvariantCulture)))
            : new Happening(TargetEvent.ProofLost, new Reason(ReasonCode.ProofLost, why)));
    }
}
