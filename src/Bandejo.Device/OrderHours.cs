using System.Globalization;
using Bandejo.Contract.Device;
using Bandejo.Core.Calendars;

namespace Bandejo.Device;

/// <summary>Says when an order may be started, by the calendars that the device holds.</summary>
internal sealed class OrderHours(OffsetAt clocks)
{
    private static readonly CalendarsContent Nothing = new("", "", DateTimeOffset.MinValue, DateTimeOffset.MaxValue, []);

    private CalendarsContent? _of;
    private (TimeSpan Now, TimeSpan Later) _clocks;
    private readonly Dictionary<string, Timetable> _known = new(StringComparer.Ordinal);

    /// <summary>What its calendars say of an order's start at a moment, for the user where it may not be; null where it may.</summary>
    public (string Why, DateTimeOffset? Until)? Closed(CalendarsContent? held, Order order, DateTimeOffset now)
    {
        if (order.Kind == "trial")
        {
            // Somebody asked for it by hand on this very device.
            return null;
        }

        if (order.Calendars is { } named && named.FirstOrDefault(id => held?.Calendars.Any(each => each.Id == id) != true) is { } lacks)
        {
            return ($"It does not have the calendar '{lacks}' yet", null);
        }

        if ((held is null || held.Calendars.Count == 0) && order.ResetsAt is null)
        {
            return null;
        }

        var says = Table(held ?? Nothing, order, now).StartAt(
            now, order.AtOnce, order.AtDeadline ? order.Deadline : null, TimeSpan.FromSeconds(order.TakesSeconds));
        return says.IsOpen ? null : (says.ToString(), says.Until);
    }

    /// <summary>When the device may be changed by an order; null where it lacks a calendar of it.</summary>
    public Timetable? TableOf(CalendarsContent? held, Order order, DateTimeOffset now) =>
        order.Calendars?.Any(id => held?.Calendars.Any(each => each.Id == id) != true) == true ? null
            : (held is null || held.Calendars.Count == 0) && order.ResetsAt is null ? Timetable.Always
            : Table(held ?? Nothing, order, now);

    private Timetable Table(CalendarsContent held, Order order, DateTimeOffset now)
    {
        // The device may have travelled, or its clocks be set anew.
        var offsets = (clocks(now), clocks(now + TimeSpan.FromDays(7)));
        if (!ReferenceEquals(held, _of) || _clocks != offsets)
        {
            _known.Clear();
            (_of, _clocks) = (held, offsets);
        }

        var own = order.Calendars ?? [];
        var key = $"{string.Join(' ', own)}/{order.ResetsAt}";
        if (!_known.TryGetValue(key, out var table))
        {
            _known[key] = table = Timetable.Of(
                [.. held.Calendars.Where(each => each.RulesAll).Select(Read)],
                [.. held.Calendars.Where(each => !each.RulesAll && own.Contains(each.Id)).Select(Read)], clocks);
            if (order.ResetsAt is { } reset)
            {
                _known[key] = table = table.AfterReset(TimeOnly.ParseExact(reset, "HH:mm", CultureInfo.InvariantCulture), clocks);
            }
        }

        return table;

        HeldCalendar Read(DeviceCalendar calendar) => CalendarForm.Read(calendar, held.GoodUntil);
    }
}
