using System.Globalization;
using Bandejo.Core.Rules;

namespace Bandejo.Core;

/// <summary>Reads the past moment that somebody asks about.</summary>
public static class PastMoments
{
    /// <summary>The longest text that is looked at, in characters.</summary>
    private const int Longest = 40;

    private const string DayForm = "yyyy-MM-dd";

    /// <summary>The last that there is.</summary>
    private static readonly DateTimeOffset LastMidnight = new(DateTime.MaxValue.Date, TimeSpan.Zero);

    private static readonly string[] Forms = ["yyyy-MM-dd'T'HH:mm", "yyyy-MM-dd'T'HH:mm:ss", "yyyy-MM-dd HH:mm", "yyyy-MM-dd HH:mm:ss"];

    /// <summary>
    /// Reads <c>2026-11-03</c> (the end of that day), <c>2026-11-03 09:00</c>, both in UTC, either with its offset (<c>2026-11-03+01:00</c>, RFC 3339), or how
    /// long ago: <c>3d</c>, <c>2h 30m</c>. A day that is not over yet means now.
    /// </summary>
    /// <param name="from">From when on something is known.</param>
    public static Outcome<DateTimeOffset> Read(string text, DateTimeOffset from, DateTimeOffset now)
    {
        if (Parse(text.Trim(), now) is not { } at)
        {
            return NoMoment(text);
        }

        return at > now ? new Failure(ErrorKind.Invalid, $"{InWords(at)} is still to come; it is {InWords(now)}.")
            : at < from ? new Failure(ErrorKind.NotFound, $"What was is kept from {InWords(from)} on; nothing is known of {InWords(at)}.")
            : at;
    }

    /// <summary>What is said of a text that is no moment.</summary>
    public static Failure NoMoment(string text) => new(
        ErrorKind.Invalid,
        $"'{(text.Length > Longest ? text[..Longest] + "…" : text)}' is no moment. "
            + "Write a day (2026-11-03), a minute (2026-11-03 09:00, UTC), or how long ago (3d, 2h).");

    /// <summary>Reads where a span of time begins or ends, in the same forms; a day is its beginning, or its end. Null for anything else.</summary>
    public static DateTimeOffset? Bound(string text, bool isEnd, DateTimeOffset now) =>
        Day(text.Trim()) is { } day ? (!isEnd ? day : day < LastMidnight ? day.AddDays(1) : DateTimeOffset.MaxValue) : Parse(text.Trim(), now);

    /// <summary>A moment for people, in UTC: <c>3 Nov 2026, 09:00:00 UTC</c>.</summary>
    public static string InWords(DateTimeOffset at) => at.UtcDateTime.ToString("d MMM yyyy, HH:mm:ss 'UTC'", CultureInfo.InvariantCulture);

    /// <summary>The beginning of a day, in UTC or at the offset that stands behind it; null for anything else.</summary>
    private static DateTimeOffset? Day(string text)
    {
        var (day, zone) = text.Length > DayForm.Length ? (text[..DayForm.Length], text[DayForm.Length..]) : (text, "Z");
        return DateOnly.TryParseExact(day, DayForm, CultureInfo.InvariantCulture, DateTimeStyles.None, out _)
            && DateTimeOffset.TryParseExact($"{day}T00:00{zone}", "yyyy-MM-dd'T'HH:mmK", CultureInfo.InvariantCulture, DateTimeStyles.AssumeUniversal,
                out var at)
            ? at.ToUniversalTime()
            : null;
    }

    private static DateTimeOffset? Parse(string text, DateTimeOffset now)
    {
        if (text.Length > Longest)
        {
            return null;
        }

        if (Day(text) is { } begin)
        {
            var end = begin < LastMidnight ? begin.AddTicks(TimeSpan.TicksPerDay - 1) : DateTimeOffset.MaxValue;
            return now >= begin && now < end ? now : end;
        }

        if (Units.TryParseDuration(text, out var ago))
        {
            return now - ago;
        }

        const DateTimeStyles Utc = DateTimeStyles.AssumeUniversal | DateTimeStyles.AdjustToUniversal;
        return DateTimeOffset.TryParseExact(text, Forms, CultureInfo.InvariantCulture, Utc, out var minute) ? minute
            : text.Contains('T', StringComparison.Ordinal) && DateTimeOffset.TryParse(text, CultureInfo.InvariantCulture, Utc, out var instant) ? instant
            : null;
    }
}
