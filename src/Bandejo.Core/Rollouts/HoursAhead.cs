using Bandejo.Core.Calendars;
using Bandejo.Core.Deployments;
using Bandejo.Core.World;

namespace Bandejo.Core.Rollouts;

/// <summary>Devices of a deployment that wait for the same, as their calendars are.</summary>
/// <param name="Why">For what they wait; <see cref="ReasonCode.OrderOut"/> or <see cref="ReasonCode.WindowOpen"/> where they may start at once.</param>
/// <param name="Next">When they may start, where they wait; when they may not any more, where they may start; null where that is not known, or never.</param>
/// <param name="Devices">How many.</param>
/// <param name="Sample">A few of their names.</param>
public sealed record HoursAhead(Reason Why, DateTimeOffset? Next, int Devices, IReadOnlyList<string> Sample)
{
    private const int SampleSize = 3;

    /// <summary>Whether they may start at once.</summary>
    public bool IsOpen => Why.Code is ReasonCode.OrderOut or ReasonCode.WindowOpen;

    /// <summary>When devices may start, those that wait for the same together; the most of them first. Nothing where no calendar rules any of them.</summary>
    public static IReadOnlyList<HoursAhead> Of(FleetWorld world, DeploymentPlan plan, IReadOnlyCollection<DeviceEntry> devices)
    {
        var asked = devices.Select(device => (Device: device, Says: Openings.Of(world, plan, device, false, null, world.Now))).ToList();
        return asked.All(each => each.Says is null)
            ? []
            : [.. asked.GroupBy(each => (Why: each.Says?.Reason ?? Targets.DueReason(null), each.Says?.Next)).OrderByDescending(alike => alike.Count()).Select(
                alike => new HoursAhead(alike.Key.Why, alike.Key.Next, alike.Count(), [.. alike.Take(SampleSize).Select(each => each.Device.Name)]))];
    }

    /// <summary>What of a plan's hours a person should know before it starts.</summary>
    internal static IEnumerable<Finding> Findings(FleetWorld world, DeploymentPlan plan, IReadOnlyCollection<DeviceEntry> devices)
    {
        if (plan.Deadline is not { } deadline)
        {
            yield break;
        }

        var closed = devices.Where(device => world.TimetableOf(device, plan) is { } table && !ReferenceEquals(table, Timetable.Always)
            && (table.NextStart(world.Now, TimeSpan.FromTicks(1)) is not { } opens || opens >= deadline)).Select(device => device.Name).ToList();
        if (closed.Count > 0)
        {
            var which = string.Join(", ", closed.Take(SampleSize)) + (closed.Count > SampleSize ? ", …" : "");
            yield return new Finding(
                $"{closed.Count} device{(closed.Count == 1 ? " has" : "s have")} no opening before the deadline ({which}): "
                    + (plan.AfterDeadline == AfterDeadline.Start
                        ? $"{(closed.Count == 1 ? "it starts then, outside its" : "they start then, outside their")} windows, unless a freeze is on."
                        : $"{(closed.Count == 1 ? "it is" : "they are")} late before {(closed.Count == 1 ? "it" : "they")} may start."),
                "deadline") { IsWarning = true };
        }
    }
}
