using Bandejo.Contract.Device;
using Bandejo.Core.Calendars;

namespace Bandejo.Device;

/// <summary>The form of calendars as a device holds them: what is not in it is not held.</summary>
public static class CalendarForm
{
    private const int LongestName = 100;
    private static readonly TimeSpan Longest = TimeSpan.FromDays(400);

    /// <summary>What is wrong with calendars; null where nothing is.</summary>
    public static string? Problem(CalendarsContent content) =>
        content.Tag is null || content.Tag.Length > LongestName ? "their tag is not valid"
        : content.Calendars is null || content.Calendars.Count > DeviceProtocol.MaxCalendars ? $"there are more than {DeviceProtocol.MaxCalendars}"
        : content.GoodUntil < content.At || content.GoodUntil - content.At > Longest ? "they are good for longer than calendars may be"
        : content.Calendars.Any(each => each?.Own is null || each.Fixed is null) ? "one has no times"
        : content.Calendars.Sum(each => each.Own.Count + each.Fixed.Count) > DeviceProtocol.MaxTimes
            ? $"they have more than {DeviceProtocol.MaxTimes} times"
        : content.Calendars.Select(Problem).FirstOrDefault(each => each is not null);

    /// <summary>A calendar as it rules.</summary>
    /// <exception cref="FormatException">It is not in the form.</exception>
    public static HeldCalendar Read(DeviceCalendar calendar, DateTimeOffset goodUntil) => new(
        calendar.Id, calendar.Name, calendar.IsFreeze, goodUntil, [.. calendar.Own.Select(SpanText.ReadWall)],
        Spans.Sorted(calendar.Fixed.Select(SpanText.Read)));

    private static string? Problem(DeviceCalendar calendar)
    {
        if (string.IsNullOrEmpty(calendar.Id) || calendar.Id.Length > LongestName || string.IsNullOrEmpty(calendar.Name)
            || calendar.Name.Length > LongestName * 2 || (calendar.Id + calendar.Name).Any(char.IsControl))
        {
            return "one has no valid name";
        }

        try
        {
            _ = Read(calendar, DateTimeOffset.MaxValue);
            return null;
        }
        catch (FormatException)
        {
            return $"'{calendar.Id}' has times that are none";
        }
    }
}
