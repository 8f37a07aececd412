using System.Globalization;

namespace Bandejo.Cli;

/// <summary>Moments as people type them: in their own zone, in which they are also printed.</summary>
internal static class Moments
{
    private static readonly string[] Minutes = ["yyyy-MM-dd HH:mm", "yyyy-MM-dd HH:mm:ss", "yyyy-MM-dd'T'HH:mm", "yyyy-MM-dd'T'HH:mm:ss"];

    /// <summary>What is sent for what was typed: a day and a minute with the offset that they have here; everything else as it is.</summary>
    public static string Sent(string typed)
    {
        var text = typed.Trim();
        if (DateTime.TryParseExact(text, Minutes, CultureInfo.InvariantCulture, DateTimeStyles.None, out var minute))
        {
            return new DateTimeOffset(minute, TimeZoneInfo.Local.GetUtcOffset(minute)).ToString("yyyy-MM-dd'T'HH:mm:sszzz", CultureInfo.InvariantCulture);
        }

        return DateTime.TryParseExact(text, "yyyy-MM-dd", CultureInfo.InvariantCulture, DateTimeStyles.None, out var day)
            ? new DateTimeOffset(day, TimeZoneInfo.Local.GetUtcOffset(day)).ToString("yyyy-MM-ddzzz", CultureInfo.InvariantCulture)
            : text;
    }

    /// <summary>The name of the reader's zone, such as UTC or CET.</summary>
    public static string Zone(DateTimeOffset at)
    {
        var offset = TimeZoneInfo.Local.GetUtcOffset(at);
        return offset == TimeSpan.Zero ? "UTC" : string.Create(CultureInfo.InvariantCulture,
            $"UTC{(offset < TimeSpan.Zero ? "-" : "+")}{offset.Duration():hh\\:mm}");
    }
}
