using Ical.Net.CalendarComponents;
using Ical.Net.DataTypes;
using Ical.Net.Serialization;
using Calendar = Ical.Net.Calendar;

namespace Bandejo.Core.Calendars;

/// <summary>An entry of a feed.</summary>
/// <param name="Id">The same for as long as it is the same.</param>
/// <param name="Title">What it is called.</param>
/// <param name="Says">More of it.</param>
/// <param name="Occasion">When, by the clocks that it names; null where it is a moment.</param>
/// <param name="At">The moment; null where it is an occasion.</param>
public sealed record FeedEntry(string Id, string Title, string Says, Occasion? Occasion, DateTimeOffset? At);

/// <summary>Writes a feed for somebody's own calendar (RFC 5545).</summary>
public static class FeedFile
{
    private const string Maker = "-//Bandejo//Feed//EN";

    /// <summary>The feed as a file. What goes by each device's clocks has floating times, which a reader shows by clocks of its own.</summary>
    public static string Write(string name, IEnumerable<FeedEntry> entries, DateTimeOffset now)
    {
        var calendar = new Calendar { ProductId = Maker };
        calendar.AddProperty("X-WR-CALNAME", name);
        foreach (var entry in entries)
        {
            var one = new CalendarEvent
            {
                Uid = $"{entry.Id}@bandejo", Summary = entry.Title, Description = entry.Says, DtStamp = new CalDateTime(now.UtcDateTime, "UTC"),
            };
            if (entry.Occasion is { } occasion)
            {
                one.Start = Time(occasion.Span.From, occasion.Zone);
                one.End = Time(occasion.Span.To ?? occasion.Span.From + occasion.Span.Lasts, occasion.Zone);
            }
            else
            {
                one.Start = one.End = new CalDateTime(entry.At!.Value.UtcDateTime, "UTC");
            }

            calendar.Events.Add(one);
        }

        return new CalendarSerializer().SerializeToString(calendar)!;
    }

    private static CalDateTime Time(DateTime wall, string? zone)
    {
        var shown = DateTime.SpecifyKind(wall, DateTimeKind.Unspecified);
        return zone is null ? new CalDateTime(shown) : new CalDateTime(shown, zone);
    }
}
