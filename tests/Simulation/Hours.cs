using System.Globalization;
using Bandejo.Contract.Device;

namespace Bandejo.Simulation.Tests;

/// <summary>A slow and obvious second way to say whether an order may start: what the clock on the wall shows is looked for among all that was written.</summary>
internal static class Hours
{
    /// <summary>Why an order may not start at a moment by the device's clock; null where it may.</summary>
    /// <param name="takesSeconds">How long it takes; null for as the order has it.</param>
    /// <param name="isAtOnce">Whether it waits for no window; null for as the order has it.</param>
    public static string? Closed(CalendarsContent? held, Order order, DateTimeOffset now, string zone, int? takesSeconds = null, bool? isAtOnce = null)
    {
        foreach (var id in order.Calendars ?? [])
        {
            if (held is null || held.Calendars.All(each => each.Id != id))
            {
                return $"it lacks {id}";
            }
        }

        if (held is null || held.Calendars.Count == 0)
        {
            return order.ResetsAt is null ? null : "it is reset, and has no window";
        }

        var ruling = held.Calendars.Where(each => each.RulesAll || order.Calendars?.Contains(each.Id) == true).ToList();
        if (order.ResetsAt is { } reset && !IsAfterReset(ruling, reset))
        {
            return $"it is reset at {reset}";
        }

        var isFree = order.ResetsAt is null && (isAtOnce ?? (order.AtOnce || (order.AtDeadline && order.Deadline <= now)));
        if (At(now) is { } closed)
        {
            return closed;
        }

        for (var at = now.AddMinutes(1); at < now.AddSeconds(takesSeconds ?? order.TakesSeconds); at = at.AddMinutes(1))
        {
            if (At(at) is { } later)
            {
                return $"it takes {order.TakesSeconds} s and {later} at {at:O}";
            }
        }

        return null;

        // Going back minute by minute through what is open, the clock on the wall has shown the time of the reset.
        bool IsAfterReset(List<DeviceCalendar> all, string time)
        {
            if (all.All(each => each.IsFreeze))
            {
                return false;
            }

            for (var (at, was) = (now, Wall(now)); ; at = at.AddSeconds(-20), was = Wall(at))
            {
                if (Shut(all, at) is not null)
                {
                    return false;
                }

                var before = Wall(at.AddSeconds(-20));
                var moment = was.Date + TimeSpan.ParseExact(time, @"hh\:mm", CultureInfo.InvariantCulture);
                if (before < moment && moment <= was && Shut(all, at.AddSeconds(-(was - moment).TotalSeconds)) is null)
                {
                    return true;
                }
            }
        }

        DateTime Wall(DateTimeOffset moment) => TimeZoneInfo.ConvertTime(moment, TimeZoneInfo.FindSystemTimeZoneById(zone)).DateTime;

        string? Shut(List<DeviceCalendar> all, DateTimeOffset moment)
        {
            var wall = Wall(moment);
            var windows = all.Where(each => !each.IsFreeze).ToList();
            var (ofDevice, own) = (windows.Where(each => each.RulesAll).ToList(), windows.Where(each => !each.RulesAll).ToList());
            return moment >= held.GoodUntil || all.Any(each => each.IsFreeze && Shows(each)) || (ofDevice.Count > 0 && !ofDevice.Any(Shows))
                || (own.Count > 0 && !own.Any(Shows)) ? "shut" : null;

            bool Shows(DeviceCalendar calendar) => calendar.Own.Any(text => Holds(text, wall)) || calendar.Fixed.Any(text => Holds(text, moment.UtcDateTime));
        }

        string? At(DateTimeOffset moment)
        {
            var wall = TimeZoneInfo.ConvertTime(moment, TimeZoneInfo.FindSystemTimeZoneById(zone)).DateTime;
            var windows = ruling.Where(each => !each.IsFreeze).ToList();
            var (ofDevice, own) = (windows.Where(each => each.RulesAll).ToList(), windows.Where(each => !each.RulesAll).ToList());
            return ruling.Count > 0 && moment >= held.GoodUntil ? "its calendars are not good any more"
                : ruling.FirstOrDefault(each => each.IsFreeze && Shows(each)) is { } freeze ? $"{freeze.Id} freezes"
                : isFree ? null
                : ofDevice.Count > 0 && !ofDevice.Any(Shows) ? $"outside {string.Join(", ", ofDevice.Select(each => each.Id))}"
                : own.Count > 0 && !own.Any(Shows) ? $"outside its own {string.Join(", ", own.Select(each => each.Id))}"
                : null;

            bool Shows(DeviceCalendar calendar) => calendar.Own.Any(text => Holds(text, wall)) || calendar.Fixed.Any(text => Holds(text, moment.UtcDateTime));
        }
    }

    private static bool Holds(string text, DateTime at)
    {
        var (from, to) = (Time(text.Split('/')[0]), text.Split('/')[1]);
        return from <= at && at < (to.StartsWith("PT", StringComparison.Ordinal)
            ? from.AddSeconds(long.Parse(to[2..^1], CultureInfo.InvariantCulture))
            : Time(to));
    }

    private static DateTime Time(string text) => DateTime.Parse(text.TrimEnd('Z'), CultureInfo.InvariantCulture);
}
