using System.CommandLine;
using System.Globalization;

namespace Bandejo.Cli;

/// <summary>How it was at a past moment: <c>--as-of</c>.</summary>
internal static class AsOf
{
    public static readonly Option<string?> Option = new("--as-of")
    {
        Description = "How it was then: a day (2026-11-03, its end), a minute (\"2026-11-03 09:00\"), or how long ago (3d)",
    };

    private static bool _isTold;

    /// <summary>An address, of the past moment where one is asked for.</summary>
    public static string At(this ParseResult parsed, string path) => parsed.GetValue(Option) is { } asked
        ? $"{path}{(path.Contains('?', StringComparison.Ordinal) ? '&' : '?')}asOf={Uri.EscapeDataString(Moments.Sent(asked))}"
        : path;

    /// <summary>Says of which moment it is that is answered, once and before it is printed; moments are told as seen from there.</summary>
    public static void Read(string? header)
    {
        if (header is null || !DateTimeOffset.TryParse(header, CultureInfo.InvariantCulture, DateTimeStyles.RoundtripKind, out var at))
        {
            return;
        }

        Now.Stand(at);
        if (!_isTold)
        {
            _isTold = true;
            Console.Error.WriteLine($"As it was on {Now.Day(at)}, not as it is now.\n");
        }
    }
}
