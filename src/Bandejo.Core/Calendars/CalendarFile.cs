using System.Globalization;
using Ical.Net.CalendarComponents;
using Ical.Net.DataTypes;
using Ical.Net.Evaluation;
using Ical.Net.Serialization;
using Calendar = Ical.Net.Calendar;
using CalendarCollection = Ical.Net.CalendarCollection;

namespace Bandejo.Core.Calendars;

/// <summary>One time that a calendar names.</summary>
/// <param name="Span">When, as clocks show it.</param>
/// <param name="Zone">Which clocks: the name of a zone, or null for those of the device.</param>
/// <param name="Title">What it is called; empty for nothing.</param>
public readonly record struct Occasion(WallSpan Span, string? Zone, string Title);

/// <summary>A calendar file (RFC 5545), read: its events, in the zones that they name.</summary>
public sealed class CalendarFile
{
    /// <summary>The largest file, in letters.</summary>
    public const int Largest = 1024 * 1024;

    /// <summary>The most occurrences that a calendar may have in the time that it is looked at for.</summary>
    public const int MostOccasions = 10_000;

    private const int MostEvents = 1000;
    private const int MostLooks = 20_000;
    private const int EarliestYear = 1990;

    /// <summary>How often events may come a day, all together: what began long ago is followed from its beginning.</summary>
    private const double MostADay = 500;
    private const int LongestTitle = 200;
    private const string Maker = "-//Bandejo//Calendar//EN";

    /// <summary>Its events as the clocks of their zones show them.</summary>
    private readonly Calendar _shown = new();

    private readonly Dictionary<CalendarEvent, string?> _zones = new(ReferenceEqualityComparer.Instance);

    private CalendarFile(Calendar calendar, string text)
    {
        Text = text;
        foreach (var one in calendar.Events)
        {
            var shown = SlotEvents.Shown(one);
            _shown.Events.Add(shown);
            _zones.Add(shown, ZoneOf(one.Start!));
        }
    }

    /// <summary>The file as it is kept.</summary>
    public string Text { get; }

    /// <summary>How many events it has; one that comes again and again is one.</summary>
    public int Events => _shown.Events.Count;

    /// <summary>Reads a file. Whatever it holds, it ends: size, number of events and of occurrences are bounded, zones must be known.</summary>
    public static Outcome<CalendarFile> Read(string text)
    {
        if (text.Length > Largest)
        {
            return new Failure(ErrorKind.TooMuch, $"A calendar is at most {Largest / 1024} KiB, not {text.Length / 1024}.");
        }

        Calendar? calendar;
        try
        {
            var all = CalendarCollection.Load(text);
            calendar = all.Count == 1 ? all[0] : null;
            if (all.Count > 1)
            {
                return new Failure(ErrorKind.Invalid, $"The file holds {all.Count} calendars; give them one by one.");
            }
        }
        catch (Exception error) when (Unreadable(error))
        {
            return new Failure(
                ErrorKind.Invalid, "This is no calendar file that can be read (RFC 5545, text beginning with BEGIN:VCALENDAR), or it is cut off.");
        }

        if (calendar is null || !text.TrimEnd().EndsWith("END:VCALENDAR", StringComparison.OrdinalIgnoreCase))
        {
            return new Failure(ErrorKind.Invalid, "This is no calendar file (RFC 5545, text from BEGIN:VCALENDAR to END:VCALENDAR), or it is cut off.");
        }

        if (calendar.Events.Count is 0 or > MostEvents)
        {
            return calendar.Events.Count == 0
                ? new Failure(ErrorKind.Invalid, "The calendar has no events; each window or freeze is one (VEVENT).")
                : new Failure(ErrorKind.TooMuch, $"A calendar has at most {MostEvents} events, not {calendar.Events.Count}.");
        }

        var findings = new List<Finding>();
        foreach (var (one, number) in calendar.Events.Select((one, at) => (one, at + 1)))
        {
            if (Problem(one) is { } problem)
            {
                findings.Add(new Finding(
                    $"Event {number}{(one.Summary is { Length: > 0 } title ? $" ('{Title(title)}')" : "")} {problem}.", $"event {number}"));
            }
        }

        if (findings.Count == 0 && calendar.Events.Sum(SlotEvents.TimesADay) > MostADay)
        {
            return new Failure(ErrorKind.TooMuch, $"The calendar's events come more than {MostADay.ToString(CultureInfo.InvariantCulture)} times a day.");
        }

        return findings.Count > 0
            ? new Failure(ErrorKind.Invalid, findings.Count == 1 ? findings[0].Message : $"The calendar has {findings.Count} errors.", findings)
            : new CalendarFile(calendar, text);
    }

    /// <summary>Writes slots as a file.</summary>
    /// <param name="zone">The zone in which they are; null for that of each device.</param>
    /// <param name="from">The day on or after which what comes again and again comes first.</param>
    public static CalendarFile Of(string title, IReadOnlyList<Slot> slots, string? zone, DateOnly from)
    {
        var calendar = new Calendar { ProductId = Maker };
        foreach (var (slot, number) in slots.Select((slot, at) => (slot, at + 1)))
        {
            calendar.Events.Add(SlotEvents.Event(slot, title, zone, from, number));
        }

        return new CalendarFile(calendar, new CalendarSerializer().SerializeToString(calendar)!);
    }

    /// <summary>Its events as slots in words, with the zone of each; null for one that words do not say.</summary>
    public IReadOnlyList<(Slot? Slot, string? Zone)> Slots() =>
        [.. _zones.Select(pair => (_zones.Keys.Count(other => other.Uid == pair.Key.Uid) > 1 ? null : SlotEvents.Slot(pair.Key), pair.Value))];

    /// <summary>When its events are, those that end after the first day and begin before the last, in order by their own clocks.</summary>
    /// <param name="from">The first day, by whatever clocks.</param>
    /// <param name="to">The first day after it.</param>
    public Outcome<IReadOnlyList<Occasion>> Occasions(DateOnly from, DateOnly to)
    {
        var found = new List<Occasion>();
        var (first, last) = (from.ToDateTime(TimeOnly.MinValue), to.ToDateTime(TimeOnly.MinValue));
        var longest = _zones.Keys.Max(SlotEvents.Length);
        try
        {
            var start = new CalDateTime(first - longest - TimeSpan.FromDays(1));
            foreach (var each in _shown.GetOccurrences<CalendarEvent>(start, new EvaluationOptions { MaxUnmatchedIncrementsLimit = MostLooks }))
            {
                var begins = each.Period.StartTime.Value;
                if (begins >= last)
                {
                    break;
                }

                var one = (CalendarEvent)each.Source;
                var span = SlotEvents.Span(one, begins);
                if ((span.To ?? span.From + span.Lasts) > first)
                {
                    found.Add(new Occasion(span, _zones[one], Title(one.Summary ?? "")));
                    if (found.Count > MostOccasions)
                    {
                        return TooMany();
                    }
                }
            }
        }
        catch (Exception error) when (Unreadable(error))
        {
            return new Failure(
                ErrorKind.Invalid, "The calendar says when something comes again in a way that nothing ever comes of, or that cannot be followed.");
        }

        return found;

        Failure TooMany() => new(ErrorKind.TooMuch, $"The calendar has more than {MostOccasions} occurrences between {Day(from)} and {Day(to)}.");
    }

    internal static string? ZoneOf(CalDateTime at) => at.IsFloating ? null : at.IsUtc ? "UTC" : Zones.Known(at.TzId ?? "");

    private static string? Problem(CalendarEvent one)
    {
        if (one.Start is not { } start)
        {
            return "has no beginning (DTSTART)";
        }

        foreach (var at in new[] { start, one.End }.OfType<CalDateTime>())
        {
            if (!at.IsFloating && ZoneOf(at) is null)
            {
                return $"is in the time zone '{Title(at.TzId ?? "")}', which is not known"
                    + (Zones.Near(at.TzId ?? "") is { } near ? $" (did you mean '{near}'?)" : "; names such as Europe/Lisbon are");
            }

            if (at.Year is < EarliestYear or >= 9000)
            {
                return string.Create(CultureInfo.InvariantCulture, $"is in the year {at.Year}; calendars go from {EarliestYear} to 8999");
            }
        }

        if (one.End is { } end && ZoneOf(end) != ZoneOf(start))
        {
            return "begins in one time zone and ends in another";
        }

        if (one.Properties.Any(each => each.Name is "EXRULE") || one.Properties.Count(each => each.Name is "RRULE") > 1)
        {
            return "comes again by more than one rule (RRULE); make an event of each";
        }

        if (SlotEvents.TimesADay(one) > 24)
        {
            return "comes more than once an hour";
        }

        TimeSpan length;
        try
        {
            length = SlotEvents.Length(one);
        }
        catch (Exception error) when (Unreadable(error))
        {
            return "has a length that cannot be read";
        }

        return length <= TimeSpan.Zero ? "ends before it begins"
            : length > Slot.Longest ? $"lasts longer than {Slot.Longest.TotalDays.ToString(CultureInfo.InvariantCulture)} days"
            : null;
    }

    private static string Title(string text) => new([.. text.Take(LongestTitle).Where(sign => !char.IsControl(sign))]);

    private static string Day(DateOnly day) => day.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture);

    // The library says what it cannot read or follow in many ways, some of them its own faults; a file of a stranger must not end a service.
    private static bool Unreadable(Exception error) => error is not (OutOfMemoryException or StackOverflowException or ThreadAbortException);
}
