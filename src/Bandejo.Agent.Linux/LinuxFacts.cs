using System.Globalization;
using System.Runtime.InteropServices;
using Bandejo.Contract.Device;
using Bandejo.Device;

namespace Bandejo.Agent;

/// <summary>
/// Facts of a Linux machine. Lines <c>name: value</c> in <c>etc/bandejo/facts</c> below the root add what no system can know (site, kind, labels) and win over
/// what was found.
/// </summary>
/// <param name="network">Says whether its link is metered; null where nobody asks.</param>
internal sealed class LinuxFacts(string root, IMachineNetwork? network = null) : IMachineFacts
{
    /// <summary>The longest name of a maker or a model, in characters.</summary>
    private const int LongestName = 200;

    /// <summary>What stands in the table where whoever built the machine wrote nothing.</summary>
    private static readonly HashSet<string> NoNames = new(StringComparer.OrdinalIgnoreCase)
    {
        "None", "Not Specified", "Not Applicable", "Unknown", "Default string", "To Be Filled By O.E.M.", "System manufacturer", "System Product Name",
        "System Serial Number", "0", "00000000", "0123456789",
    };

    public string BootId
    {
        get
        {
            // A root of its own may bring its own boot identity, so that a restart can be rehearsed.
            var own = Path.Combine(root, "run/boot-id");
            return (File.Exists(own) ? File.ReadAllText(own) : File.ReadAllText("/proc/sys/kernel/random/boot_id")).Trim();
        }
    }

    public FactReport Gather()
    {
        var facts = CommonFacts.Of(root);
        OperatingSystemFacts(facts);
        Memory(facts);
        Maker(facts);
        facts["zone"] = TimeZoneInfo.Local.Id;
        facts["power.mains"] = new LinuxPower(root).IsOnMains == false ? "no" : "yes";
        if (network is LinuxNetwork { CardAddress: { } address })
        {
            facts["network.mac"] = address;
        }

        if (network?.IsMetered is { } isMetered)
        {
            facts["network.metered"] = isMetered ? "yes" : "no";
        }

        facts["restart.pending"] = File.Exists(Path.Combine(root, "run/reboot-required")) ? "yes" : "no";
        OwnFacts(facts);
        return new FactReport(facts, Programs());
    }

    private void OperatingSystemFacts(SortedDictionary<string, string> facts)
    {
        var file = new[] { Path.Combine(root, "etc/os-release"), "/etc/os-release" }.FirstOrDefault(File.Exists);
        if (file is null)
        {
            return;
        }

        var values = File.ReadLines(file).Select(line => line.Split('=', 2)).Where(pair => pair.Length == 2)
            .ToDictionary(pair => pair[0], pair => pair[1].Trim('"'));
        Add("os.name", values.GetValueOrDefault("NAME"));
        Add("os.version", values.GetValueOrDefault("VERSION_ID"));

        // What it is like, from the closest to the furthest (os-release(5)): the last is what it descends from.
        Add(
            "os.family",
            $"{values.GetValueOrDefault("ID", "linux")} {values.GetValueOrDefault("ID_LIKE")}".Split(' ', StringSplitOptions.RemoveEmptyEntries)
                .LastOrDefault());

        void Add(string name, string? value)
        {
            if (!string.IsNullOrEmpty(value))
            {
                facts[name] = value;
            }
        }
    }

    /// <summary>
    /// Who made it, which model it is, and its number, as its firmware says (the table DMI, which Linux shows below <c>/sys/class/dmi/id</c>). The number is
    /// for root alone to read; without it the device has none.
    /// </summary>
    private void Maker(SortedDictionary<string, string> facts)
    {
        var own = Path.Combine(root, "sys/class/dmi/id");
        var folder = Directory.Exists(own) ? own : "/sys/class/dmi/id";
        foreach (var (fact, name) in new[] { ("maker", "sys_vendor"), ("model", "product_name"), ("serial", "product_serial") })
        {
            try
            {
                var text = File.ReadLines(Path.Combine(folder, name)).FirstOrDefault()?.Trim() ?? "";
                if (text.Length is > 0 and <= LongestName && !NoNames.Contains(text))
                {
                    facts[fact] = text;
                }
            }
            catch (Exception error) when (error is IOException or UnauthorizedAccessException)
            {
                // A machine without such a table, or an agent that may not read it.
            }
        }
    }

    private static void Memory(SortedDictionary<string, string> facts)
    {
        var total = File.ReadLines("/proc/meminfo").FirstOrDefault(line => line.StartsWith("MemTotal:", StringComparison.Ordinal));
        if (total is not null && long.TryParse(new string([.. total.Where(char.IsAsciiDigit)]), CultureInfo.InvariantCulture, out var kibibytes))
        {
            facts["memory"] = CommonFacts.InWords(kibibytes * 1024);
        }
    }

    private void OwnFacts(SortedDictionary<string, string> facts)
    {
        var file = Path.Combine(root, "etc/bandejo/facts");
        if (!File.Exists(file))
        {
            return;
        }

        foreach (var line in File.ReadLines(file).Take(200))
        {
            var at = line.IndexOf(':', StringComparison.Ordinal);
            if (at > 0 && line[0] != '#')
            {
                facts[line[..at].Trim()] = line[(at + 1)..].Trim();
            }
        }
    }

    /// <summary>
    /// What dpkg has installed (the format of its status file, deb822). An empty list for a root without dpkg; null where the file cannot be read.
    /// </summary>
    private List<ProgramReport>? Programs()
    {
        var file = Path.Combine(root, "var/lib/dpkg/status");
        var programs = new List<ProgramReport>();
        if (!File.Exists(file))
        {
            return programs;
        }

        try
        {
            string? name = null, version = null;
            var isInstalled = false;
            foreach (var line in File.ReadLines(file).Append(""))
            {
                if (line.Length == 0)
                {
                    if (name is not null && version is not null && isInstalled)
                    {
                        programs.Add(new ProgramReport(name, version, "system"));
                    }

                    (name, version, isInstalled) = (null, null, false);
                }
                else if (line.StartsWith("Package: ", StringComparison.Ordinal))
                {
                    name = line[9..];
                }
                else if (line.StartsWith("Version: ", StringComparison.Ordinal))
                {
                    version = line[9..];
                }
                else if (line.StartsWith("Status: ", StringComparison.Ordinal))
                {
                    isInstalled = line.EndsWith(" installed", StringComparison.Ordinal);
                }
            }

            return programs;
        }
        catch (Exception error) when (error is IOException or UnauthorizedAccessException)
        {
            return null;
        }
    }
}
