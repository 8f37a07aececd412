using Ical.Net;
using Ical.Net.CalendarComponents;
using Ical.Net.DataTypes;

namespace Bandejo.Core.Calendars;

/// <summary>Slots as events of a calendar file (RFC 5545, 3.6.1 and 3.8.5.3), and events as slots, where words can say them.</summary>
internal static class SlotEvents
{
    private static readonly DayOfWeek[] Days =
        [DayOfWeek.Monday, DayOfWeek.Tuesday, DayOfWeek.Wednesday, DayOfWeek.Thursday, DayOfWeek.Friday, DayOfWeek.Saturday, DayOfWeek.Sunday];

    /// <summary>The longest that is looked for a first day: a day of the month that comes in any month comes within a year.</summary>
    private const int MostDays = 370;

    /// <summary>A slot as an event.</summary>
    public static CalendarEvent Event(Slot slot, string title, string? zone, DateOnly from, int number)
    {
        var first = slot.Pattern is SlotPattern.Once or SlotPattern.Yearly ? slot.Date!.Value
            : Enumerable.Range(0, MostDays).Select(from.AddDays).First(slot.BeginsOn);
        var one = new CalendarEvent
        {
            Uid = $"{number}@bandejo", Summary = title, DtStamp = new CalDateTime(first.Year, first.Month, first.Day, 0, 0, 0, "UTC"),
        };
        one.DtStart = At(first, slot.From);
        if (slot.Lasts > TimeSpan.Zero)
        {
            one.Duration = Duration.FromTimeSpanExact(slot.Lasts);
        }
        else
        {
            one.DtEnd = At(first.AddDays(slot.DaysLater), slot.To);
        }

        if (Rule(slot) is { } rule)
        {
            if (slot.Until is { } until)
            {
                // The last day is one on which it may still begin. In a zone the end is said in UTC (3.3.10); later than any beginning of that day.
                rule.Until = zone is null ? At(until, slot.From) : new CalDateTime(
                    WallSpan.Moment(until.ToDateTime(slot.From), Zones.Of(zone)!).UtcDateTime, "UTC");
            }

            one.RecurrenceRule = rule;
        }

        foreach (var day in slot.Except)
        {
            one.ExceptionDates.Add(At(day, slot.From));
        }

        return one;

        CalDateTime At(DateOnly day, TimeOnly time) => slot.IsWholeDays && zone is null ? new CalDateTime(day) : new CalDateTime(day, time, zone);
    }

    /// <summary>An event as the clocks of its zone show it, without the zone: what it says in another is what those show then.</summary>
    public static CalendarEvent Shown(CalendarEvent one)
    {
        var zone = CalendarFile.ZoneOf(one.Start!);
        var shown = new CalendarEvent { Uid = one.Uid, Summary = one.Summary, Status = one.Status, DtStart = Wall(one.Start!) };
        if (one.DtEnd is { } end)
        {
            shown.DtEnd = Wall(end);
        }
        else if (one.Duration is { } duration)
        {
            shown.Duration = duration;
        }

        if (one.RecurrenceRule is { } rule)
        {
            var copy = new RecurrenceRule(rule.ToString()!);
            copy.Until = copy.Until is { } until ? Wall(until) : null;
            shown.RecurrenceRule = copy;
        }

        shown.ExceptionDates.AddRange(one.ExceptionDates.GetAllDates().Select(Wall));
        shown.RecurrenceDates.AddRange(one.RecurrenceDates.GetAllDates().Select(Wall));
        if (one.RecurrenceIdentifier is { } moved)
        {
            shown.RecurrenceIdentifier = new RecurrenceIdentifier(Wall(moved.StartTime), moved.Range);
        }

        return shown;

        CalDateTime Wall(CalDateTime at)
        {
            if (!at.HasTime)
            {
                return new CalDateTime(at.Date);
            }

            var from = CalendarFile.ZoneOf(at);
            var wall = at.Value;
            if (from != zone && from is not null && zone is not null)
            {
                var moment = WallSpan.Moment(wall, Zones.Of(from)!);
                wall = (moment + Zones.Of(zone)!(moment)).DateTime;
            }

            return new CalDateTime(DateOnly.FromDateTime(wall), TimeOnly.FromDateTime(wall));
        }
    }

    /// <summary>How often an event comes on a day on which it comes, at most.</summary>
    public static double TimesADay(CalendarEvent one) => one.RecurrenceRule is not { } rule ? 0 : rule.Frequency switch
    {
        FrequencyType.Secondly => 86_400,
        FrequencyType.Minutely => 1440,
        FrequencyType.Hourly => 24.0 / Math.Max(1, rule.Interval),
        _ => Math.Max(1, rule.ByHour.Count),
    } * Math.Max(1, rule.ByMinute.Count) * Math.Max(1, rule.BySecond.Count);

    /// <summary>An event as a slot, as clocks show it; null where words do not say it.</summary>
    public static Slot? Slot(CalendarEvent one)
    {
        var start = one.Start!;
        if (one.RecurrenceDates.GetAllDates().Any() || one.RecurrenceIdentifier is not null || start.Value.Second != 0)
        {
            return null;
        }

        var (from, day) = (TimeOnly.FromDateTime(start.Value), DateOnly.FromDateTime(start.Value));
        var span = Span(one, start.Value);
        var slot = new Slot
        {
            Pattern = SlotPattern.Once, Date = day, From = from, Lasts = span.Lasts,
            DaysLater = span.To is { } to ? DateOnly.FromDateTime(to).DayNumber - day.DayNumber : 0,
            To = span.To is { } end ? TimeOnly.FromDateTime(end) : default,
        };
        if (slot.To.Second != 0 || slot.Lasts.Seconds != 0)
        {
            return null;
        }

        if (one.RecurrenceRule is { } rule)
        {
            if (Pattern(rule, day) is not { } pattern || rule.Interval != 1 || rule.Count is not null || !pattern.BeginsOn(day))
            {
                return null;
            }

            slot = slot with { Pattern = pattern.Pattern, Days = pattern.Days, Nth = pattern.Nth, Date = pattern.Date };
            if (rule.Until is { } until)
            {
                slot = slot with { Until = LastDay(until, from) };
            }
        }

        var except = one.ExceptionDates.GetAllDates().ToList();
        if (except.Any(each => each.HasTime && TimeOnly.FromDateTime(each.Value) != from))
        {
            return null;
        }

        return slot with { Except = [.. except.Select(each => each.Date).Distinct().Order()] };
    }

    /// <summary>How long an event lasts on a day on which clocks are not changed.</summary>
    public static TimeSpan Length(CalendarEvent one)
    {
        var span = Span(one, one.Start!.Value);
        return span.To is { } to ? to - span.From : span.Lasts;
    }

    /// <summary>
    /// An event as clocks show it where it begins so. An end by the clock is one by the clock each time it comes, also in the nights in which clocks are
    /// changed (3.8.5.3 has it last as long as the first time, which would end a window later or earlier than it says).
    /// </summary>
    public static WallSpan Span(CalendarEvent one, DateTime begins)
    {
        if (one.DtEnd is { } end)
        {
            return new WallSpan(begins, begins + (end.Value - one.Start!.Value), TimeSpan.Zero);
        }

        if (one.Duration is { } duration)
        {
            // Days and weeks are those of the clock, hours and what is smaller those of a stop-watch (3.3.6).
            var days = TimeSpan.FromDays((duration.Weeks ?? 0) * 7 + (duration.Days ?? 0));
            var exact = new TimeSpan(duration.Hours ?? 0, duration.Minutes ?? 0, duration.Seconds ?? 0);
            return exact == TimeSpan.Zero ? new WallSpan(begins, begins + days, TimeSpan.Zero) : new WallSpan(begins, null, days + exact);
        }

        return one.Start!.HasTime ? new WallSpan(begins, begins, TimeSpan.Zero) : new WallSpan(begins, begins.AddDays(1), TimeSpan.Zero);
    }

    private static RecurrenceRule? Rule(Slot slot) => slot.Pattern switch
    {
        SlotPattern.Weekly => new RecurrenceRule(slot.Days == WeekDays.All ? FrequencyType.Daily : FrequencyType.Weekly)
        {
            ByDay = slot.Days == WeekDays.All ? [] : [.. Of(slot.Days).Select(day => new WeekDay(day))],
        },
        SlotPattern.NthInMonth => new RecurrenceRule(FrequencyType.Monthly)
        {
            // With several days, the first to the fourth of any of them: by the days of the month, as one rule for all.
            ByDay = [.. Of(slot.Days).Select(day => new WeekDay(day, slot.Nth))],
        },
        SlotPattern.WeekOfMonth => new RecurrenceRule(FrequencyType.Monthly)
        {
            ByDay = [.. Of(slot.Days).Select(day => new WeekDay(day))], ByMonthDay = [.. Enumerable.Range((slot.Nth * 7) - 6, 7)],
        },
        SlotPattern.Yearly => new RecurrenceRule(FrequencyType.Yearly),
        _ => null,
    };

    private static Slot? Pattern(RecurrenceRule rule, DateOnly first)
    {
        if (rule.BySecond.Count + rule.ByMinute.Count + rule.ByHour.Count + rule.ByYearDay.Count + rule.ByWeekNo.Count + rule.ByMonth.Count
            + rule.BySetPosition.Count > 0)
        {
            return null;
        }

        var days = rule.ByDay.Aggregate(WeekDays.None, (sum, day) => sum | Calendars.Slot.Of(day.DayOfWeek));
        var offsets = rule.ByDay.Select(day => day.Offset ?? 0).Distinct().ToList();
        var isPlain = offsets is [] or [0];
        return rule.Frequency switch
        {
            FrequencyType.Daily when days == WeekDays.None && rule.ByMonthDay.Count == 0 => new Slot { Pattern = SlotPattern.Weekly, Days = WeekDays.All },
            FrequencyType.Weekly when rule.ByMonthDay.Count == 0 && isPlain => new Slot
            {
                Pattern = SlotPattern.Weekly, Days = days == WeekDays.None ? Calendars.Slot.Of(first.DayOfWeek) : days,
            },
            FrequencyType.Monthly when rule.ByMonthDay.Count == 0 && offsets is [-1 or 1 or 2 or 3 or 4] => new Slot
            {
                Pattern = SlotPattern.NthInMonth, Nth = offsets[0], Days = days,
            },
            FrequencyType.Monthly when isPlain && days != WeekDays.None && Week(rule.ByMonthDay) is { } week => new Slot
            {
                Pattern = SlotPattern.WeekOfMonth, Nth = week, Days = days,
            },
            FrequencyType.Yearly when days == WeekDays.None && rule.ByMonthDay.Count == 0 && first is not { Month: 2, Day: 29 } => new Slot
            {
                Pattern = SlotPattern.Yearly, Date = first,
            },
            _ => null,
        };
    }

    private static int? Week(IEnumerable<int> days) =>
        days.Order().ToList() is { Count: 7 } sorted && sorted[0] is 1 or 8 or 15 or 22 && sorted[6] == sorted[0] + 6 ? (sorted[0] + 6) / 7 : null;

    private static IEnumerable<DayOfWeek> Of(WeekDays days) => Days.Where((_, at) => ((int)days & (1 << at)) != 0);

    private static DateOnly LastDay(CalDateTime until, TimeOnly from) =>
        until.HasTime && TimeOnly.FromDateTime(until.Value) < from ? until.Date.AddDays(-1) : until.Date;
}
