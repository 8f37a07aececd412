using System.ComponentModel;
using System.Diagnostics;
using System.Globalization;
using Bandejo.Device;

namespace Bandejo.Agent;

/// <summary>Restarts a Linux machine by shutdown(8), which tells whoever is signed in.</summary>
/// <param name="root">The machine's root. In one of its own a restart is rehearsed: another boot identity, and nothing that waits for a restart.</param>
internal sealed class LinuxPower(string root) : IMachinePower
{
    // power_supply sysfs (kernel, Documentation/ABI/testing/sysfs-class-power): a machine without a battery runs on mains.
    public bool? IsOnMains
    {
        get
        {
            var folder = Path.Combine(root, "sys/class/power_supply");
            if (!Directory.Exists(folder))
            {
                return true;
            }

            var supplies = Directory.EnumerateDirectories(folder).Select(
                supply => (Type: Word(supply, "type"), IsOnline: Word(supply, "online") == "1")).ToList();
            return supplies.Any(supply => supply.Type is "Mains" or "USB" && supply.IsOnline) || supplies.All(supply => supply.Type != "Battery");
        }
    }

    public TimeSpan Running => TimeSpan.FromMilliseconds(Environment.TickCount64);

    private static string Word(string supply, string name)
    {
        var file = Path.Combine(supply, name);
        return File.Exists(file) ? File.ReadAllText(file).Trim() : "";
    }

    public void Restart(TimeSpan notice, string why)
    {
        if (Path.GetFullPath(root) != "/")
        {
            Directory.CreateDirectory(Path.Combine(root, "run"));
            File.Delete(Path.Combine(root, "run/reboot-required"));
            File.WriteAllText(Path.Combine(root, "run/boot-id"), Guid.NewGuid().ToString());
            return;
        }

        var when = notice > TimeSpan.Zero ? string.Create(CultureInfo.InvariantCulture, $"+{Math.Ceiling(notice.TotalMinutes):0}") : "now";
        try
        {
            using var asked = Process.Start(new ProcessStartInfo("shutdown", ["-r", when, why]) { UseShellExecute = false })!;
            asked.WaitForExit(TimeSpan.FromSeconds(30));
            if (asked is { HasExited: true, ExitCode: not 0 and var code })
            {
                throw new IOException($"shutdown ended with code {code}.");
            }
        }
        catch (Win32Exception error)
        {
            throw new IOException($"shutdown(8) cannot be started: {error.Message}", error);
        }
    }
}
