using System.ComponentModel;
using System.Diagnostics;
using Bandejo.Device;

namespace Bandejo.Agent;

/// <summary>The network of a Linux machine, as NetworkManager knows it (nmcli(1)); where there is none nothing is known.</summary>
/// <param name="root">The machine's root. In one of its own the file <c>run/metered</c> says <c>yes</c> or <c>no</c>, and whom it wakes is
/// written into <c>run/woken</c>.</param>
internal sealed class LinuxNetwork(string root, TimeProvider time) : IMachineNetwork
{
    private static readonly TimeSpan KnownFor = TimeSpan.FromMinutes(1);
    private static readonly TimeSpan Patience = TimeSpan.FromSeconds(5);

    private readonly Lock _lock = new();
    private (DateTimeOffset At, bool? IsMetered) _known = (DateTimeOffset.MinValue, null);

    public bool? IsMetered
    {
        get
        {
            if (Path.GetFullPath(root) != "/")
            {
                var file = Path.Combine(root, "run/metered");
                return File.Exists(file) ? File.ReadAllText(file).Trim() == "yes" : null;
            }

            lock (_lock)
            {
                var now = time.GetUtcNow();
                if (now - _known.At is var age && (age < TimeSpan.Zero || age > KnownFor))
                {
                    _known = (now, Ask());
                }

                return _known.IsMetered;
            }
        }
    }

    /// <summary>The address of the card through which it reaches other networks (route(8), sysfs); null where there is none.</summary>
    public string? CardAddress
    {
        get
        {
            // Columns: interface, destination, gateway, …; the destination of the way out is all zeros (proc(5), /proc/net/route).
            var way = File.Exists("/proc/net/route")
                ? File.ReadLines("/proc/net/route").Select(line => line.Split('\t')).FirstOrDefault(columns => columns is [_, "00000000", ..])
                : null;
            var file = way is null ? "" : $"/sys/class/net/{Path.GetFileName(way[0])}/address";
            return Path.GetFullPath(root) == "/" && File.Exists(file) && File.ReadAllText(file).Trim() is { } address && MagicPacket.IsAddress(address)
                ? address
                : null;
        }
    }

    public void Wake(string address)
    {
        if (Path.GetFullPath(root) != "/")
        {
            Directory.CreateDirectory(Path.Combine(root, "run"));
            File.AppendAllLines(Path.Combine(root, "run/woken"), [address]);
            return;
        }

        WakingPacket.Send(address);
    }

    /// <summary>
    /// What <c>nmcli --terse --fields GENERAL.TYPE,GENERAL.STATE,GENERAL.METERED device show</c> says: metered where a link that is up is, and none is not.
    /// </summary>
    internal static bool? Read(string said)
    {
        var links = said.ReplaceLineEndings("\n").Split("\n\n", StringSplitOptions.RemoveEmptyEntries).Where(
            link => link.Contains("GENERAL.STATE:100", StringComparison.Ordinal) && !link.Contains("GENERAL.TYPE:loopback", StringComparison.Ordinal)).ToList();
        return links.Any(link => link.Contains("GENERAL.METERED:no", StringComparison.Ordinal)) ? false
            : links.Any(link => link.Contains("GENERAL.METERED:yes", StringComparison.Ordinal)) ? true
            : null;
    }

    private static bool? Ask()
    {
        try
        {
            using var asked = Process.Start(
                new ProcessStartInfo("nmcli", ["--terse", "--fields", "GENERAL.TYPE,GENERAL.STATE,GENERAL.METERED", "device", "show"])
                {
                    UseShellExecute = false, RedirectStandardOutput = true, RedirectStandardError = true,
                })!;
            var said = asked.StandardOutput.ReadToEndAsync();
            if (!asked.WaitForExit(Patience))
            {
                asked.Kill();
                return null;
            }

            return asked.ExitCode == 0 ? Read(said.GetAwaiter().GetResult()) : null;
        }
        catch (Exception error) when (error is Win32Exception or IOException or InvalidOperationException)
        {
            return null;
        }
    }
}
