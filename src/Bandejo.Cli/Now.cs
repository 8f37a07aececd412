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

    /// <summary>A moment was printed in words.</summary>
    public static bool WasShown { get; set; }

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

    /// <summary>Says that what was printed goes by a demo clock, and how fast that is.</summary>
    public static void SaySpeed()
    {
        if (WasShown && _demo is { } moment)
        {
            Console.Error.WriteLine($"Demo clock: {Day(moment)}, {InWords(Speed)}.");
        }
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
