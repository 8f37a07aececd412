using Bandejo.Core.Calendars;

namespace Bandejo.Core.World;

/// <summary>A calendar in the world, with its times laid out ahead.</summary>
public sealed class CalendarEntry
{
    /// <summary>For how many days its times are laid out.</summary>
    public const int Ahead = 400;

    private readonly Lazy<Outcome<CalendarFile>> _file;
    private volatile Laid? _laid;

    internal CalendarEntry(CalendarRecord record)
    {
        Record = record;
        _file = new Lazy<Outcome<CalendarFile>>(() => CalendarFile.Read(record.Text));
    }

    public CalendarRecord Record { get; }

    /// <summary>The file; a failure where this version of the program does not take what an earlier one took.</summary>
    public Outcome<CalendarFile> Contents => _file.Value;

    /// <summary>
    /// It as it rules on a day, with its times from a day before on. Where nothing can be made of it, it is one of which nothing is known any more: it closes.
    /// </summary>
    public HeldCalendar On(DateOnly day)
    {
        if (_laid is { } known && known.Day == day)
        {
            return known.Held;
        }

        var to = day.AddDays(Ahead);
        var times = Contents.Ok ? Contents.Value.Occasions(day.AddDays(-1), to) : Contents.Failure!;
        var held = times.Ok
            ? new HeldCalendar(
                Record.Slug, Record.Name, Record.IsFreeze, new DateTimeOffset(to.ToDateTime(TimeOnly.MinValue), TimeSpan.Zero),
                [.. times.Value.Where(each => each.Zone is null).Select(each => each.Span)],
                Spans.Sorted(times.Value.Where(each => each.Zone is not null).Select(each => each.Span.At(Zones.Of(each.Zone!)!))))
            : new HeldCalendar(Record.Slug, Record.Name, Record.IsFreeze, DateTimeOffset.MinValue, [], []);
        _laid = new Laid(day, held);
        return held;
    }

    private sealed record Laid(DateOnly Day, HeldCalendar Held);
}
