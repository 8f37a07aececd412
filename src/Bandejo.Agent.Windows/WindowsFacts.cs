using System.Globalization;
using System.Runtime.InteropServices;
using Bandejo.Contract.Device;
using Bandejo.Device;
using Microsoft.Win32;

namespace Bandejo.Agent;

/// <summary>Facts of a machine with Windows, and the software of its list of installed programs.</summary>
internal sealed partial class WindowsFacts : IMachineFacts
{
    /// <summary>The longest name, version or other text that is told of, in characters.</summary>
    private const int Longest = 200;

    private const string Uninstall = @"SOFTWARE\Microsoft\Windows\CurrentVersion\Uninstall";
    private const string System = @"SOFTWARE\Microsoft\Windows NT\CurrentVersion";
    private const string Maker = @"HARDWARE\DESCRIPTION\System\BIOS";
    private const string Updates = @"SOFTWARE\Microsoft\Windows\CurrentVersion\WindowsUpdate\Auto Update\RebootRequired";
    private const string Servicing = @"SOFTWARE\Microsoft\Windows\CurrentVersion\Component Based Servicing\RebootPending";
    private const string Session = @"SYSTEM\CurrentControlSet\Control\Session Manager";

    /// <summary>SystemTimeOfDayInformation.</summary>
    private const int TimeOfDay = 3;

    public FactReport Gather() => Report();

    /// <summary>When the system was started, less what its clock was set by since: it stays the same until the next start.</summary>
    public unsafe string BootId
    {
        get
        {
            TimeOfDayInformation found;
            return NtQuerySystemInformation(TimeOfDay, &found, (uint)sizeof(TimeOfDayInformation), 0) == 0
                ? (found.BootTime - (long)found.BootTimeBias).ToString("x", CultureInfo.InvariantCulture)
                : "unknown";
        }
    }

    /// <summary>What the machine says of itself now.</summary>
    public static FactReport Report()
    {
        var facts = CommonFacts.Of(Path.GetPathRoot(Environment.SystemDirectory)!);
        facts["os.family"] = "windows";
        using var machine = RegistryKey.OpenBaseKey(RegistryHive.LocalMachine, RegistryView.Registry64);
        using (var system = machine.OpenSubKey(System))
        {
            var version = Environment.OSVersion.Version.ToString(3);
            facts["os.name"] = Text(system, "ProductName") ?? "Windows";
            facts["os.version"] = system?.GetValue("UBR") is int patch ? string.Create(CultureInfo.InvariantCulture, $"{version}.{patch}") : version;
        }

        using (var maker = machine.OpenSubKey(Maker))
        {
            Add(facts, "maker", Text(maker, "SystemManufacturer"));
            Add(facts, "model", Text(maker, "SystemProductName"));
        }

        facts["memory"] = CommonFacts.InWords(GC.GetGCMemoryInfo().TotalAvailableMemoryBytes);
        facts["power.mains"] = WindowsPower.IsPlugged == false ? "no" : "yes";
        Add(facts, "zone", TimeZoneInfo.TryConvertWindowsIdToIanaId(TimeZoneInfo.Local.Id, out var zone) ? zone : null);
        facts["restart.pending"] = AwaitsRestart(machine) ? "yes" : "no";
        return new FactReport(facts, Programs());
    }

    /// <summary>Whether updates, the servicing of components, or files that are to be replaced at the next start wait for one. A fast start is none.</summary>
    private static bool AwaitsRestart(RegistryKey machine)
    {
        using var updates = machine.OpenSubKey(Updates);
        using var servicing = machine.OpenSubKey(Servicing);
        using var session = machine.OpenSubKey(Session);
        return updates is not null || servicing is not null
            || session?.GetValue("PendingFileRenameOperations") is string[] { Length: > 0 } renames && renames.Any(each => each.Length > 0);
    }

    /// <summary>The list of installed programs, of both views of the registry (32 and 64 bits).</summary>
    private static List<ProgramReport> Programs()
    {
        var programs = new SortedDictionary<string, ProgramReport>(StringComparer.OrdinalIgnoreCase);
        foreach (var view in (RegistryView[])[RegistryView.Registry64, RegistryView.Registry32])
        {
            using var machine = RegistryKey.OpenBaseKey(RegistryHive.LocalMachine, view);
            using var list = machine.OpenSubKey(Uninstall);
            foreach (var entry in list?.GetSubKeyNames() ?? [])
            {
                using var program = list!.OpenSubKey(entry);
                if (Text(program, "DisplayName") is { } name && program!.GetValue("SystemComponent") is not 1)
                {
                    programs.TryAdd(name, new ProgramReport(name, Text(program, "DisplayVersion") ?? "", "system"));
                }
            }
        }

        return [.. programs.Values.Take(DeviceProtocol.MaxListed)];
    }

    // Values may be of any kind and length; what is no short text says nothing.
    private static string? Text(RegistryKey? key, string name) => key?.GetValue(name) is string { Length: > 0 and <= Longest } text ? text : null;

    private static void Add(SortedDictionary<string, string> facts, string name, string? value)
    {
        if (value is not null)
        {
            facts[name] = value;
        }
    }

    [StructLayout(LayoutKind.Sequential)]
    private struct TimeOfDayInformation
    {
        public long BootTime;
        public long CurrentTime;
        public long TimeZoneBias;
        public uint TimeZoneId;
        public uint Reserved;
        public ulong BootTimeBias;
        public ulong SleepTimeBias;
    }

    [LibraryImport("ntdll.dll")]
    private static unsafe partial int NtQuerySystemInformation(int what, void* found, uint length, nint returned);
}
