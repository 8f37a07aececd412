using Bandejo.Contract.Api;
using Bandejo.Core.Deployments;
using Bandejo.Server.World;

namespace Bandejo.Server.Compliance;

/// <summary>Counts compliance for answers.</summary>
internal static class Counts
{
    public static ComplianceCount Of(DeploymentEntry deployment, Target target, DateTimeOffset now) => Counting.Compliance(target.State, deployment.Plan.Deadline, now);

    /// <summary>All targets of a deployment.</summary>
    public static ComplianceCount Of(DeploymentEntry deployment, DateTimeOffset now) => Of(deployment, StatesOf(deployment), now);

    /// <summary>So many targets of a deployment in each state.</summary>
    public static ComplianceCount Of(DeploymentEntry deployment, int[] states, DateTimeOffset now)
    {
        var sum = ComplianceCount.None;
        for (var state = 0; state < states.Length; state++)
        {
            if (states[state] > 0)
            {
                sum += Counting.Compliance((TargetState)state, deployment.Plan.Deadline, now).Times(states[state]);
            }
        }

        return sum;
    }

    /// <summary>How many targets are in each state.</summary>
    public static int[] StatesOf(DeploymentEntry deployment)
    {
        var states = new int[Enum.GetValues<TargetState>().Length];
        foreach (var target in deployment.Targets.Values)
        {
            states[(int)target.State]++;
        }

        return states;
    }

    public static ComplianceInfo Info(ComplianceCount count) =>
        new(count.Met, count.Unmet, count.LateUnmet, count.NotNeeded, count.Unknown, count.LateUnknown, count.LeftOut, count.Bottom);
}
