using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Core.Deployments;
using Bandejo.Core.World;

namespace Bandejo.Server.Compliance;

/// <summary>What compliance is counted of: one deployment that is under way.</summary>
/// <param name="States">How many targets are in each state.</param>
/// <param name="ByGroup">The same among the devices of each group; empty where groups are not asked for.</param>
internal sealed record Standing(DeploymentPlan Plan, int[] States, IReadOnlyList<int[]> ByGroup);

/// <summary>Puts compliance together, in the same way for now and for a past moment.</summary>
internal static class ComplianceRows
{
    public static Outcome<IReadOnlyList<ComplianceRow>> Of(
        string by, IReadOnlyList<Standing> standing, IReadOnlyList<GroupRecord> groups, DateTimeOffset at) => by switch
    {
        "fleet" => (List<ComplianceRow>)[new ComplianceRow("fleet", "fleet", "All devices", Counts.Info(Sum(standing, at)))],
        "app" => standing.GroupBy(each => each.Plan.App)
            .Select(app => new ComplianceRow("app", app.Key, app.First().Plan.AppName, Counts.Info(Sum(app, at))))
            .OrderBy(row => row.Id, StringComparer.Ordinal).ToList(),
        "deployment" => standing.Select(each => new ComplianceRow(
            "deployment", each.Plan.Id, each.Plan.Name, Counts.Info(Counts.Of(each.Plan.Deadline, each.States, at)))).ToList(),
        "group" => groups.Select((group, index) => new ComplianceRow(
            "group", group.Slug, group.Name, Counts.Info(standing.Aggregate(
                ComplianceCount.None, (sum, each) => sum + Counts.Of(each.Plan.Deadline, each.ByGroup[index], at))))).ToList(),
        _ => new Failure(ErrorKind.Invalid, $"Compliance is counted by fleet, app, group or deployment, not by '{by}'."),
    };

    /// <summary>Why a word does not say which targets are meant; null where it does.</summary>
    public static Failure? Against(string? only) => only is not (null or "late" or "unmet" or "unknown" or "open")
        ? new Failure(ErrorKind.Invalid, $"'only' is late, unmet, unknown or open (unmet or unknown), not '{only}'.")
        : null;

    /// <summary>Whether a word means targets in a state.</summary>
    public static bool IsMeant(TargetState state, string? only, DateTimeOffset? deadline, DateTimeOffset at)
    {
        var count = Counting.Compliance(state, deadline, at);
        return only switch
        {
            "late" => Counting.IsLate(state, deadline, at),
            "unmet" => count.Unmet == 1,
            "unknown" => count.Unknown == 1,
            "open" => count.Unmet == 1 || count.Unknown == 1,
            _ => true,
        };
    }

    private static ComplianceCount Sum(IEnumerable<Standing> standing, DateTimeOffset at) =>
        standing.Aggregate(ComplianceCount.None, (sum, each) => sum + Counts.Of(each.Plan.Deadline, each.States, at));
}
