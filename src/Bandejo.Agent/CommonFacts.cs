using System.Globalization;
using System.Runtime.InteropServices;

namespace Bandejo.Agent;

/// <summary>Facts that are found out in the same way on every operating system.</summary>
internal static class CommonFacts
{
    /// <summary>Room on a disk is told in such steps, in bytes: a fact that changes with every check-in would be sent with every check-in.</summary>
    private const long Grain = 256L * 1024 * 1024;

    private static readonly string Version = typeof(CommonFacts).Assembly.GetName().Version!.ToString(3);

    /// <summary>What is so now.</summary>
    /// <param name="root">The machine's root.</param>
    public static SortedDictionary<string, string> Of(string root)
    {
        var drive = new DriveInfo(root);
        return new SortedDictionary<string, string>(StringComparer.Ordinal)
        {
            ["host"] = Environment.MachineName,
            ["architecture"] = RuntimeInformation.OSArchitecture switch
            {
                Architecture.X64 => "x64", Architecture.Arm64 => "arm64", Architecture.X86 => "x86", var other => other.ToString().ToLowerInvariant(),
            },
            ["processors"] = InWords(Environment.ProcessorCount),
            ["agent.version"] = Version,

            // Whole hours, as the room on the disk in steps.
            ["uptime"] = InWords(Environment.TickCount64 / 3_600_000 * 3600),
            ["disk.size"] = InWords(drive.TotalSize),
            ["disk.free"] = InWords(drive.AvailableFreeSpace / Grain * Grain),
        };
    }

    /// <summary>A number as a fact.</summary>
    public static string InWords(long number) => number.ToString(CultureInfo.InvariantCulture);
}
