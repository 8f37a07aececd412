using Bandejo.Contract.Api;
using Bandejo.Core.Deployments;
using Bandejo.Server.World;

namespace Bandejo.Server.Compliance;

/// <summary>Counts compliance for answers.</summary>
internal static class Counts
{
    public static ComplianceCount Of(DeploymentEntry deployment, Target target, DateTimeOffset now) => Counting.Compliance(target.State, deployment.Plan.Deadline, now);

    public static ComplianceCount Of(DeploymentEntry deployment, DateTimeOffset now) =>
        deployment.Targets.Values.Aggregate(ComplianceCount.None, (sum, target) => sum + Of(deployment, target, now));

    public static ComplianceInfo Info(ComplianceCount count) =>
        new(count.Met, count.Unmet, count.LateUnmet, count.NotNeeded, count.Unknown, count.LateUnknown, count.LeftOut, count.Bottom);
}
