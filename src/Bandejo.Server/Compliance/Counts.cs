using Bandejo.Contract.Api;
using Bandejo.Core.Deployments;
using Bandejo.Core.World;
using Bandejo.Server.World;

namespace Bandejo.Server.Compliance;

/// <summary>Counts compliance for answers.</summary>
internal static class Counts
{
    public static ComplianceCount Of(DeploymentEntry deployment, Target target, DateTimeOffset now) =>
        Counting.Compliance(target.State, deployment.Plan.Deadline, now);

    /// <summary>So many targets of a deployment in each state.</summary>
    public static ComplianceCount Of(DateTimeOffset? deadline, int[] states, DateTimeOffset now)
    {
        var sum = ComplianceCount.None;
        for (var state = 0; state < states.Length; state++)
        {
            if (states[state] > 0)
            {
                sum += Counting.Compliance((TargetState)state, deadline, now).Times(states[state]);
            }
        }

        return sum;
    }

    public static ComplianceInfo Info(ComplianceCount count) =>
        new(count.Met, count.Unmet, count.LateUnmet, count.NotNeeded, count.Unknown, count.LateUnknown, count.LeftOut, count.Bottom);
}
