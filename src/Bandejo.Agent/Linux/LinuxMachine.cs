using Bandejo.Contract.Device;
using Bandejo.Device;

namespace Bandejo.Agent;

/// <summary>A machine with Linux: everything that the engine reaches it through.</summary>
internal static class LinuxMachine
{
    /// <summary>What the machine says of itself.</summary>
    public static FactReport Facts(Home home) => new LinuxFacts(home.Root).Gather();

    /// <summary>Why what is installed cannot be kept within the root of an agent; null where it can, or need not.</summary>
    public static string? WhyUnguarded(Home home, bool isUnguarded) => IsGuarded(home, isUnguarded) ? RootGuard.WhyNot(home.Root) : null;

    /// <summary>The machine and the service, as the engine sees them.</summary>
    /// <param name="says">Hears one line for people about what the device does.</param>
    public static DeviceParts Parts(
        Home home, bool isUnguarded, IServiceLink link, IServiceTrust trust, IDeviceJournal journal, TimeProvider time, Action<string> says)
    {
        var cache = new FolderCache(home.CacheFolder);
        var files = new LinuxFiles(home.Root);
        var network = new LinuxNetwork(home.Root, time);
        return new DeviceParts(
            files, new LinuxProcesses(home.Root, home.Folder, cache, time, IsGuarded(home, isUnguarded)), files, new LinuxFacts(home.Root, network),
            new UserWords(home.SaidFolder, home.Root), new LinuxCompanions(home.Root, cache), new LinuxPower(home.Root), network,
            () => new MachineGround(home.Root, home.Folder), link, trust, cache, journal, time, says);
    }

    private static bool IsGuarded(Home home, bool isUnguarded) => home.Root != "/" && !isUnguarded;
}
