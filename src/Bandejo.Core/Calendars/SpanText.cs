using System.Globalization;

namespace Bandejo.Core.Calendars;

/// <summary>
/// Stretches of time as texts: intervals of ISO 8601, to the second. By clocks on the wall <c>2026-12-04T20:00:00/2026-12-04T23:00:00</c>, or with how long
/// it lasts <c>2026-12-04T22:00:00/PT21600S</c>; of instants <c>2026-12-04T20:00:00Z/2026-12-04T23:00:00Z</c>.
/// </summary>
public static class SpanText
{
    private const string Wall = "yyyy-MM-dd'T'HH:mm:ss";
    private const string Instant = "yyyy-MM-dd'T'HH:mm:ss'Z'";

    public static string Write(WallSpan span) => string.Create(
        CultureInfo.InvariantCulture, $"{Text(span.From, Wall)}/{(span.To is { } to ? Text(to, Wall) : $"PT{(long)span.Lasts.TotalSeconds}S")}");

    public static string Write(Span span) => $"{Text(span.From.UtcDateTime, Instant)}/{Text(span.To.UtcDateTime, Instant)}";

    /// <exception cref="FormatException">It is none, or longer than a slot may be.</exception>
    public static WallSpan ReadWall(string text)
    {
        var (from, to) = Parts(text);
        var begins = Time(from, Wall);
        if (!to.StartsWith("PT", StringComparison.Ordinal))
        {
            return new WallSpan(begins, Time(to, Wall), TimeSpan.Zero);
        }

        return to.EndsWith('S') && long.TryParse(to.AsSpan(2, to.Length - 3), NumberStyles.None, CultureInfo.InvariantCulture, out var seconds)
            && seconds <= Slot.Longest.TotalSeconds
            ? new WallSpan(begins, null, TimeSpan.FromSeconds(seconds))
            : throw new FormatException(text);
    }

    /// <exception cref="FormatException">It is none.</exception>
    public static Span Read(string text)
    {
        var (from, to) = Parts(text);
        return new Span(new DateTimeOffset(Time(from, Instant), TimeSpan.Zero), new DateTimeOffset(Time(to, Instant), TimeSpan.Zero));
    }

    private static (string From, string To) Parts(string? text) =>
        text?.Split('/') is [var from, var to] && to.Length > 3 ? (from, to) : throw new FormatException(text);

    private static string Text(DateTime time, string form) => time.ToString(form, CultureInfo.InvariantCulture);

    private static DateTime Time(string text, string form) =>
        DateTime.TryParseExact(text, form, CultureInfo.InvariantCulture, DateTimeStyles.None, out var time) && time.Year is > 1970 and < 9000
            ? DateTime.SpecifyKind(time, DateTimeKind.Unspecified)
            : throw new FormatException(text);
}
