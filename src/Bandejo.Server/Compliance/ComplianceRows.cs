using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Core.Deployments;
using Bandejo.Core.World;

namespace Bandejo.Server.Compliance;

/// <summary>What compliance is counted of: one deployment that is under way.</summary>
/// <param name="All">Its targets.</param>
/// <param name="ByGroup">The same among the devices of each group; empty where groups are not asked for.</param>
internal sealed record Standing(DeploymentPlan Plan, StandingCounts All, IReadOnlyList<StandingCounts> ByGroup);

/// <summary>How many targets are in each state, and how many of these are late, by the order of <see cref="TargetState"/>.</summary>
internal sealed record StandingCounts(int[] States, int[] Late)
{
    /// <summary>As they are for compliance.</summary>
    public ComplianceCount Compliance => Counting.Compliance(States, Late);
}

/// <summary>Puts compliance together, in the same way for now and for a past moment.</summary>
internal static class ComplianceRows
{
    public static Outcome<IReadOnlyList<ComplianceRow>> Of(
        string by, IReadOnlyList<Standing> standing, IReadOnlyList<GroupRecord> groups) => by switch
    {
        "fleet" => (List<ComplianceRow>)[new ComplianceRow("fleet", "fleet", "All devices", Counts.Info(Sum(standing)))],
        "app" => standing.GroupBy(each => each.Plan.App)
            .Select(app => new ComplianceRow("app", app.Key, app.First().Plan.AppName, Counts.Info(Sum(app))))
            .OrderBy(row => row.Id, StringComparer.Ordinal).ToList(),
        "deployment" => standing.Select(each => new ComplianceRow(
            "deployment", each.Plan.Id, each.Plan.Name, Counts.Info(each.All.Compliance))).ToList(),
        "group" => groups.Select((group, index) => new ComplianceRow(
            "group", group.Slug, group.Name, Counts.Info(standing.Aggregate(
                ComplianceCount.None, (sum, each) => sum + each.ByGroup[index].Compliance)))).ToList(),
        _ => new Failure(ErrorKind.Invalid, $"Compliance is counted by fleet, app, group or deployment, not by '{by}'."),
    };

    /// <summary>Why a word does not say which targets are meant; null where it does.</summary>
    public static Failure? Against(string? only) => only is not (null or "late" or "unmet" or "unknown" or "open")
        ? new Failure(ErrorKind.Invalid, $"'only' is late, unmet, unknown or open (unmet or unknown), not '{only}'.")
        : null;

    /// <summary>Whether a word means targets in a state.</summary>
    /// <param name="isLate">Whether it is late.</param>
    public static bool IsMeant(TargetState state, string? only, bool isLate)
    {
        var count = Counting.Compliance(state, null, default);
        return only switch
        {
            "late" => isLate,
            "unmet" => count.Unmet == 1,
            "unknown" => count.Unknown == 1,
            "open" => count.Unmet == 1 || count.Unknown == 1,
            _ => true,
        };
    }

    private static ComplianceCount Sum(IEnumerable<Standing> standing) =>
        standing.Aggregate(ComplianceCount.None, (sum, each) => sum + each.All.Compliance);
}
