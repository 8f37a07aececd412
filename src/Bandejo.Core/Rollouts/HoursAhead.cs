using Bandejo.Core.Calendars;
using Bandejo.Core.Deployments;
using Bandejo.Core.Rules;
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
    /// <param name="deadline">When a device would be late; null for never.</param>
    public static IReadOnlyList<HoursAhead> Of(FleetWorld world, DeploymentPlan plan, IReadOnlyCollection<(DeviceEntry Device, string? Variant)> devices,
        Func<DeviceEntry, DateTimeOffset?> deadline)
    {
        var turns = new Dictionary<string, int>(StringComparer.Ordinal);
        var asked = devices.Select(each => (each.Device, Says: Turn(each.Device) ?? Openings.Of(
            world, plan, each.Device, each.Variant, false, deadline(each.Device), null, world.Now))).ToList();
        return asked.All(each => each.Says is null)
            ? []
            : [.. asked.GroupBy(each => (Why: each.Says?.Reason ?? Targets.DueReason(null), each.Says?.Next)).OrderByDescending(alike => alike.Count()).Select(
                alike => new HoursAhead(alike.Key.Why, alike.Key.Next, alike.Count(), [.. alike.Take(SampleSize).Select(each => each.Device.Name)]))];

        // In the order in which they get their turns.
        Happening? Turn(DeviceEntry device)
        {
            if (plan.AtOnce is not { Devices: var most })
            {
                return null;
            }

            var site = Turns.SiteOf(world, device);
            return (turns[site] = turns.GetValueOrDefault(site) + 1) <= most ? null : new Happening(TargetEvent.Held, Turns.Later(most));
        }
    }

    /// <summary>For what hours the devices of a running deployment wait now, and for what their restarts; the most of them first.</summary>
    public static IReadOnlyList<HoursAhead> Now(FleetWorld world, DeploymentEntry deployment)
    {
        var waiting = deployment.Targets.With(TargetState.Waiting, TargetState.Ready, TargetState.Restart).Where(
            target => target.Reason.IsOfCalendars || target.Reason.Code is ReasonCode.WindowOpen or ReasonCode.RestartHeld or ReasonCode.SiteAtIt
                or ReasonCode.TurnPassed);

        // Restarts were needed since moments of their own: of those that wait for the same, the first is told.
        return [.. waiting.GroupBy(target => (Reason: Alike(target.Reason), Next: target.State == TargetState.Restart ? null : target.Next))
            .OrderByDescending(alike => alike.Count()).Select(alike => new HoursAhead(
            alike.Key.Reason, alike.Min(target => target.Next), alike.Count(),
            [.. alike.Take(SampleSize).Select(target => world.Devices.Get(target.Device)?.Name ?? target.Device)]))];
    }

    // Whoever waits for others of its site waits for what those of any other site do.
    private static Reason Alike(Reason reason) =>
        reason.Code == ReasonCode.SiteAtIt ? Turns.Later(int.Parse(reason.Arguments[1], System.Globalization.CultureInfo.InvariantCulture)) : reason;

    /// <summary>What of a plan's hours a person should know before it starts.</summary>
    /// <param name="deadlineOf">When a device would be late; null for never.</param>
    internal static IEnumerable<Finding> Findings(
        FleetWorld world, DeploymentPlan plan, IReadOnlyCollection<(DeviceEntry Device, string? Variant)> devices,
        Func<DeviceEntry, DateTimeOffset?> deadlineOf)
    {
        var ruled = devices.Select(each => (each.Device, Table: world.TimetableOf(each.Device, plan), Takes: TimeNeeded.Of(world, plan, each.Variant))).Where(
            each => each.Table is not null && !ReferenceEquals(each.Table, Timetable.Always)).ToList();
        var (never, late, then, lost) = (new List<string>(), new List<string>(), new List<string>(), new List<string>());
        var longest = TimeSpan.Zero;
        foreach (var (device, table, takes) in ruled)
        {
            var opens = table!.NextStart(world.Now, takes);
            if (opens is null && Timetables.ResetOf(world, device) is not null)
            {
                lost.Add(device.Name);
            }
            else if (opens is null && table.NextStart(world.Now, TimeSpan.FromTicks(1)) is not null)
            {
                never.Add(device.Name);
                longest = takes > longest ? takes : longest;
            }
            else if (deadlineOf(device) is { } deadline && (opens is null || opens >= deadline))
            {
                // What is said of then is what will be asked then.
                var starts = plan.StartsAfterDeadline && table.StartAt(deadline, false, deadline, takes).IsOpen;
                (starts ? then : late).Add(device.Name);
            }
        }

        if (lost.Count > 0)
        {
            yield return new Finding(
                $"{lost.Count} device{(lost.Count == 1 ? " is" : "s are")} reset every day, and no window of {(lost.Count == 1 ? "it" : "them")} is open for "
                    + $"long enough after that ({Which(lost)}): what is done before is lost, so {They(lost)} never.", "calendars") { IsWarning = true };
        }

        if (never.Count > 0)
        {
            yield return new Finding(
                $"It takes {Units.FormatDuration(longest)}, and {Count(never)} no window that is open for so long ({Which(never)}): "
                    + (plan.StartsAfterDeadline ? $"{They(never)} not before the deadline." : $"{They(never)} never."), "calendars")
                { IsWarning = true };
        }

        if (then.Count > 0)
        {
            yield return new Finding(
                $"{Count(then)} no opening before the deadline ({Which(then)}): {They(then)} then, outside {(then.Count == 1 ? "its" : "their")} windows.",
                "deadline") { IsWarning = true };
        }

        if (late.Count > 0)
        {
            yield return new Finding(
                $"{Count(late)} no opening before the deadline ({Which(late)}): {(late.Count == 1 ? "it is" : "they are")} late before "
                    + $"{(late.Count == 1 ? "it" : "they")} may start.", "deadline") { IsWarning = true };
        }

        static string Count(List<string> names) => $"{names.Count} device{(names.Count == 1 ? " has" : "s have")}";

        static string They(List<string> names) => names.Count == 1 ? "it starts" : "they start";

        static string Which(List<string> names) => string.Join(", ", names.Take(SampleSize)) + (names.Count > SampleSize ? ", …" : "");
    }
}
