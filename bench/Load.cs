using System.Globalization;
using System.Text.RegularExpressions;
using Bandejo.Kit;

namespace Bandejo.Bench;

/// <summary>Load by wrk (256 connections, one thread), which costs the processor little, so that what is measured is the server.</summary>
internal static partial class Load
{
    private const int Seconds = 4;

    /// <summary>Requests a second.</summary>
    /// <param name="address">Where.</param>
    /// <param name="path">Which endpoint.</param>
    /// <param name="requests">A file with tokens and bodies.</param>
    /// <param name="unique">Eight characters that make the attempts of this run different from those of others; empty for the same requests again and again.</param>
    public static async Task<double> Run(string address, string path, string requests, string unique = "")
    {
        using var process = Programs.Start(
            "wrk", ["-t1", "-c256", $"-d{Seconds}s", "-s", Path.Combine(Programs.Root(), "bench/load.lua"), address],
            new Dictionary<string, string> { ["BANDEJO_REQUESTS"] = requests, ["BANDEJO_PATH"] = path, ["BANDEJO_UNIQUE"] = unique });
        var output = await process.StandardOutput.ReadToEndAsync();
        await process.WaitForExitAsync();
        if (output.Contains("Non-2xx", StringComparison.Ordinal) || !Rate().IsMatch(output))
        {
            throw new InvalidOperationException($"Not every request to {path} was answered well: {output}{await process.StandardError.ReadToEndAsync()}");
        }

        return double.Parse(Rate().Match(output).Groups[1].Value, CultureInfo.InvariantCulture);
    }

    [GeneratedRegex(@"Requests/sec:\s+([\d.]+)")]
    private static partial Regex Rate();
}
