using System.Globalization;
using System.Text.RegularExpressions;
using Bandejo.Kit;

namespace Bandejo.Bench;

/// <summary>Load by wrk (256 connections, one thread), which costs the processor little, so that what is measured is the server.</summary>
internal static partial class Load
{
    private const int Seconds = 4;

    /// <summary>Requests with attempts of their own that are made before; more than can be answered in the time.</summary>
    private const int Made = 200_000;

    /// <summary>Requests a second.</summary>
    /// <param name="address">Where.</param>
    /// <param name="path">Which endpoint.</param>
    /// <param name="requests">A file with tokens and bodies.</param>
    /// <param name="unique">Eight characters that make the attempts of this run different from those of others; empty for the same requests again and
    /// again.</param>
    public static async Task<double> Run(string address, string path, string requests, string unique = "")
    {
        using var process = Programs.Start(
            "wrk", ["-t1", "-c256", $"-d{Seconds}s", "-s", Path.Combine(Programs.Root(), "bench/load.lua"), address],
            new Dictionary<string, string>
            {
                ["BANDEJO_REQUESTS"] = requests, ["BANDEJO_PATH"] = path, ["BANDEJO_UNIQUE"] = unique,
                ["BANDEJO_COUNT"] = Made.ToString(CultureInfo.InvariantCulture),
            });
        var output = await process.StandardOutput.ReadToEndAsync();
        await process.WaitForExitAsync();
        var errors = await process.StandardError.ReadToEndAsync();
        if (output.Contains("Non-2xx", StringComparison.Ordinal) || errors.Length > 0 || !Rate().IsMatch(output))
        {
            throw new InvalidOperationException($"Not every request to {path} was answered well: {output}{errors}");
        }

        return double.Parse(Rate().Match(output).Groups[1].Value, CultureInfo.InvariantCulture);
    }

    /// <summary>How many seconds a run takes.</summary>
    public static double Length => Seconds;

    [GeneratedRegex(@"Requests/sec:\s+([\d.]+)")]
    private static partial Regex Rate();
}
