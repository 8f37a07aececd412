using System.ComponentModel;
using System.Diagnostics;
using System.Globalization;
using System.Runtime.InteropServices;
using Bandejo.Device;

namespace Bandejo.Agent;

/// <summary>Power and restarts of a machine with Windows.</summary>
internal sealed partial class WindowsPower : IMachinePower
{
    /// <summary>The longest time that a restart may be announced ahead (shutdown.exe), in seconds.</summary>
    private const double LongestNotice = 315_360_000;

    /// <summary>Whether it is plugged in (SYSTEM_POWER_STATUS, ACLineStatus); null where that is not known.</summary>
    public static bool? IsPlugged => GetSystemPowerStatus(out var status) ? status.Line switch { 0 => false, 1 => true, _ => null } : null;

    public bool? IsOnMains => IsPlugged;

    public TimeSpan Running => TimeSpan.FromMilliseconds(Environment.TickCount64);

    public void Restart(TimeSpan notice, string why)
    {
        var after = Math.Clamp(Math.Ceiling(notice.TotalSeconds), 0, LongestNotice).ToString("0", CultureInfo.InvariantCulture);
        var file = Path.Combine(Environment.SystemDirectory, "shutdown.exe");
        try
        {
            using var asked = Process.Start(new ProcessStartInfo(file, ["/r", "/t", after, "/c", why, "/d", "p:4:2"])
            {
                UseShellExecute = false, CreateNoWindow = true,
            })!;
            asked.WaitForExit(TimeSpan.FromSeconds(30));
            if (asked is { HasExited: true, ExitCode: not 0 and var code })
            {
                throw new IOException($"shutdown.exe ended with code {code}.");
            }
        }
        catch (Win32Exception error)
        {
            throw new IOException($"shutdown.exe cannot be started: {error.Message}", error);
        }
    }

    [StructLayout(LayoutKind.Sequential)]
    private struct PowerStatus
    {
        public byte Line;
        public byte Battery;
        public byte Percent;
        public byte IsSaving;
        public uint Left;
        public uint Whole;
    }

    [LibraryImport("kernel32.dll")]
    [return: MarshalAs(UnmanagedType.Bool)]
    private static partial bool GetSystemPowerStatus(out PowerStatus status);
}
