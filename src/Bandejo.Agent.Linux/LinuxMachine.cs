using System.CommandLine;
using Bandejo.Contract.Device;
using Bandejo.Device;

namespace Bandejo.Agent;

/// <summary>A machine with Linux.</summary>
internal sealed class LinuxMachine : IAgentSystem
{
    public string UsualRoot => "/";

    public bool HasRoots => true;

    public string OwnFolderInWords => "ROOT/var/lib/bandejo-agent";

    public string OwnFolderOf(string root) => Path.Combine(root, "var/lib/bandejo-agent");

    public FactReport Facts(Home home) => new LinuxFacts(home.Root).Gather();

    public string? WhyUnguarded(Home home, bool isUnguarded) => IsGuarded(home, isUnguarded) ? RootGuard.WhyNot(home.Root) : null;

    public DeviceParts Parts(
        Home home, bool isUnguarded, IServiceLink link, IServiceTrust trust, IDeviceJournal journal, TimeProvider time, Action<string> says)
    {
        var cache = new FolderCache(home.CacheFolder);
        var files = new LinuxFiles(home.Root);
        var network = new LinuxNetwork(home.Root, time);
        return new DeviceParts(
            files, new LinuxProcesses(home.Root, home.Folder, cache, time, IsGuarded(home, isUnguarded)), files, new LinuxFacts(home.Root, network),
            new LinuxUser(home.SaidFolder, home.Root), new LinuxCompanions(home.Root, cache), new LinuxPower(home.Root), network,
            () => new MachineGround(home.Root, home.Folder), link, trust, cache, journal, time, says);
    }

    public IEnumerable<Command> Commands(AgentOptions options)
    {
        var plan = new Argument<string>("plan") { Description = "What to try, as the command line writes it" };
        var inside = new Option<bool>("--inside") { Description = "Runs in the sandbox itself", Hidden = true };
        var trial = new Command("trial", "Tries a package in a clean sandbox of this machine; people call it through bandejo package trial") { plan, inside };
        trial.SetAction((parsed, cancellation) => AgentProgram.Guarded(() =>
            parsed.GetValue(inside)
                ? TrialInside.Run(parsed.GetValue(plan)!, TimeProvider.System, cancellation)
                : TrialSandbox.Run(parsed.GetValue(plan)!, cancellation)));

        var capture = new Command(
            "capture", "Captures what a command does on a clean root of this machine; people call it through bandejo package capture") { plan, inside };
        capture.SetAction((parsed, cancellation) => AgentProgram.Guarded(() =>
            parsed.GetValue(inside)
                ? CaptureInside.Run(parsed.GetValue(plan)!, TimeProvider.System, cancellation)
                : CaptureSandbox.Run(parsed.GetValue(plan)!, cancellation)));

        var folder = new Argument<string>("folder") { Description = "A folder for what is noted and captured" };
        var before = new Command("before", "Notes what is on this machine, before something is installed by hand to be captured") { folder };
        before.SetAction((parsed, _) => AgentProgram.Guarded(() => Task.FromResult(CaptureHere.Begin(options.HomeOf(parsed), parsed.GetValue(folder)!))));
        var after = new Command("after", "Brings what has come to this machine since; bandejo package capture --from makes a package of it") { folder };
        after.SetAction((parsed, _) => AgentProgram.Guarded(() => Task.FromResult(CaptureHere.End(options.HomeOf(parsed), parsed.GetValue(folder)!))));
        return [before, after, trial, capture];
    }

    private static bool IsGuarded(Home home, bool isUnguarded) => home.Root != "/" && !isUnguarded;
}
