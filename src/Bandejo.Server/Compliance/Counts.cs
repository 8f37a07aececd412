using Bandejo.Contract.Api;
using Bandejo.Core.Deployments;
using Bandejo.Core.World;
using Bandejo.Server.World;

namespace Bandejo.Server.Compliance;

/// <summary>Counts compliance for answers.</summary>
internal static class Counts
{
    public static ComplianceInfo Info(ComplianceCount count) =>
        new(count.Met, count.Unmet, count.LateUnmet, count.NotNeeded, count.Unknown, count.LateUnknown, count.LeftOut, count.Bottom);
}
