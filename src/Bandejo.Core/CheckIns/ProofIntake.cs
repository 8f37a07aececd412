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
            holds ? new Happening(TargetEvent.ProofHeld, target.State == TargetState.Met || target.HasBegun ? why : why + "; it was so already")
            : target.State == TargetState.Met && target.Repairs >= deployment.Plan.Repairs ? new Happening(TargetEvent.GaveUp, $"{why}; it was repaired {target.Repairs} times already")
            : new Happening(TargetEvent.ProofLost, $"The proof was lost: {why}"));
    }
}
