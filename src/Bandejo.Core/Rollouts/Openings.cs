using Bandejo.Core.Calendars;
using Bandejo.Core.Deployments;
using Bandejo.Core.World;

namespace Bandejo.Core.Rollouts;

/// <summary>What calendars say of the start of a target that may start in all else.</summary>
internal static class Openings
{
    /// <summary>What happens to the target; null where no calendar rules it.</summary>
    /// <param name="variant">The variant that it would get; null where that is not known.</param>
    /// <param name="isTaken">Its user took it from the shelf, and waits for no window.</param>
    /// <param name="deadline">When the target is late; null for never.</param>
    /// <param name="waitsFor">What the device waits for besides; null for nothing.</param>
    public static Happening? Of(
        FleetWorld world, DeploymentPlan plan, DeviceEntry device, string? variant, bool isTaken, DateTimeOffset? deadline, string? waitsFor,
        DateTimeOffset now)
    {
        var table = world.TimetableOf(device, plan);
        if (plan.Fetch != FetchRule.Usual && device.Memory.Lacks(AgentSkills.Fetching))
        {
            return new Happening(TargetEvent.Held, new Reason(ReasonCode.AgentWithoutFetching));
        }

        if (plan.StartsAfterDeadline && device.Memory.Lacks(AgentSkills.Notice))
        {
            return new Happening(TargetEvent.Held, new Reason(ReasonCode.AgentWithoutNotice));
        }

        if (ReferenceEquals(table, Timetable.Always))
        {
            return null;
        }

        if (device.Memory.Lacks(AgentSkills.Calendars))
        {
            return new Happening(TargetEvent.Held, new Reason(ReasonCode.AgentWithoutCalendars));
        }

        if (Timetables.OfGroups(world, device).Union(plan.Calendars).Count() is > Timetables.MostOfADevice and var many)
        {
            return new Happening(TargetEvent.Held, new Reason(ReasonCode.TooManyCalendars, $"{many}", $"{Timetables.MostOfADevice}"));
        }

        if (table is null)
        {
            return new Happening(TargetEvent.Held, new Reason(ReasonCode.ZoneNotKnown));
        }

        var says = table.StartAt(now, isTaken, plan.StartsAfterDeadline ? deadline : null, TimeNeeded.Of(world, plan, variant));
        if (says.IsOpen)
        {
            // Its own clocks may say otherwise; it is they that count there.
            if (device.Memory.Waits.FirstOrDefault(wait => wait.Deployment == plan.Id && wait.Until > now) is { } held)
            {
                return new Happening(TargetEvent.Due, Targets.DueReason(held.Why), says.Until < held.Until ? says.Until : held.Until);
            }

            return new Happening(
                TargetEvent.Due, waitsFor is not null || says.Names.Count == 0 ? Targets.DueReason(waitsFor) : new Reason(ReasonCode.WindowOpen, says.Names),
                says.Until);
        }

        return new Happening(
            TargetEvent.Held,
            says.Why == ClosedWhy.NoRoom ? NoRoom(says) : says.Why == ClosedWhy.BeforeReset ? BeforeReset(says) : new Reason(
                says.Why switch
                {
                    ClosedWhy.Frozen => ReasonCode.FrozenBy,
                    ClosedWhy.Stale => ReasonCode.CalendarStale,
                    _ => ReasonCode.OutsideWindow,
                },
                says.Names),
            says.Until);
    }

    private static Reason BeforeReset(TimetableSays says) => new(
        ReasonCode.BeforeReset, (IReadOnlyList<string>)[says.Reset.ToString("HH:mm", System.Globalization.CultureInfo.InvariantCulture), .. says.Names]);

    private static Reason NoRoom(TimetableSays says) => new(
        ReasonCode.NoRoom, (IReadOnlyList<string>)[((long)says.Takes.TotalSeconds).ToString(System.Globalization.CultureInfo.InvariantCulture), .. says.Names]);
}
