using System.Globalization;

namespace Bandejo.Cli;

/// <summary>What time it is for the service: the real time, or its demo clock's as of its last answer.</summary>
internal static class Now
{
    private static DateTimeOffset? _demo;
    private static DateTimeOffset? _past;

    public static DateTimeOffset Moment => _past ?? _demo ?? TimeProvider.System.GetUtcNow();

    /// <summary>How many times as fast as the real time the service's clock runs.</summary>
    public static double Speed { get; private set; } = 1;

    /// <summary>It was printed how far away a moment is.</summary>
    public static bool WasShown { get; set; }

    /// <summary>A time of day was printed.</summary>
    public static bool TimeWasShown { get; set; }

    /// <summary>Takes over what the service says of its clock; null where it goes by the real time.</summary>
    public static void Read(string? header)
    {
        var parts = header?.Split("; speed=");
        if (parts is [var at, var speed]
            && DateTimeOffset.TryParse(at, CultureInfo.InvariantCulture, DateTimeStyles.AssumeUniversal, out var moment)
                && double.TryParse(speed, CultureInfo.InvariantCulture, out var times))
        {
            (_demo, Speed) = (moment, times);
        }
    }

    /// <summary>What is answered is of a past moment: from there it is told how long ago something is.</summary>
    public static void Stand(DateTimeOffset past) => _past = past;

    /// <summary>Says of the times that were printed in which zone they are, and that they go by a demo clock where they do, with how fast it is.</summary>
    public static void SayZone()
    {
        if (WasShown && _demo is { } moment)
        {
            Console.Error.WriteLine($"Demo clock: {Day(moment)} ({Zone(moment)}), {InWords(Speed)}.");
        }
        else if (TimeWasShown)
        {
            Console.Error.WriteLine($"Times are those of {Zone(Moment)}.");
        }
    }

    /// <summary>The reader's zone at a moment, such as <c>UTC+01:00</c>.</summary>
    public static string Zone(DateTimeOffset moment)
    {
        var offset = TimeZoneInfo.Local.GetUtcOffset(moment);
        return offset == TimeSpan.Zero ? "UTC" : $"UTC{(offset < TimeSpan.Zero ? '-' : '+')}{offset:hh\\:mm}";
    }

    /// <summary>A speed in words.</summary>
    public static string InWords(double speed) =>
        speed == 0 ? "standing still"
            : speed == 1 ? "as fast as the real time"
            : string.Create(CultureInfo.InvariantCulture, $"{speed:0.###} times as fast as the real time");

    /// <summary>A moment with its day, in local time.</summary>
    public static string Day(DateTimeOffset moment) =>
        TimeZoneInfo.ConvertTime(moment, TimeZoneInfo.Local).ToString("ddd yyyy-MM-dd HH:mm", CultureInfo.InvariantCulture);
}
