using System.CommandLine;
using Bandejo.Contract.Device;
using Bandejo.Device;

namespace Bandejo.Agent;

/// <summary>A machine with Windows.</summary>
internal sealed class WindowsMachine : IAgentSystem
{
    public string UsualRoot => Path.GetPathRoot(Environment.SystemDirectory)!;

    public bool HasRoots => false;

    public string OwnFolderInWords => @"%ProgramData%\bandejo-agent";

    public string OwnFolderOf(string root) => Path.Combine(Environment.GetFolderPath(Environment.SpecialFolder.CommonApplicationData), "bandejo-agent");

    public FactReport Facts(Home home) => WindowsFacts.Report();

    public string? WhyUnguarded(Home home, bool isUnguarded) => null;

    public DeviceParts Parts(
        Home home, bool isUnguarded, IServiceLink link, IServiceTrust trust, IDeviceJournal journal, TimeProvider time, Action<string> says)
    {
        var cache = new FolderCache(home.CacheFolder);
        var files = new WindowsFiles(home.Root);
        return new DeviceParts(
            files, new WindowsProcesses(home.Folder, cache, time), files, new WindowsFacts(), new WindowsUser(home.SaidFolder),
            new WindowsCompanions(files, cache), new WindowsPower(), new WindowsNetwork(), () => new NoGround(), link, trust, cache, journal, time, says);
    }

    private Command Install(AgentOptions options)
    {
        var address = new Option<string>("--service") { Description = "The service's address, such as https://bandejo.example:7410", Required = true };
        var code = new Option<string>("--code") { Description = "The join code", Required = true };
        var name = new Option<string?>("--name") { Description = "The name it would like [the host name]" };
        var install = new Command("install", "Enrols this machine, where it is not yet, and makes the agent a service of it") { address, code, name };
        install.SetAction((parsed, cancellation) => AgentProgram.Guarded(async () =>
        {
            var home = options.HomeOf(parsed);
            var joined = home.Identity() is null
                ? await Agent.Commands.Join(
                    this, home, parsed.GetValue(address)!, parsed.GetValue(code)!, parsed.GetValue(name), isPlain: false, options.TimeOf(parsed),
                    isStarted: true, cancellation)
                : 0;
            if (joined == 0)
            {
                await AgentInstall.Register(parsed.GetValue(options.State) is null ? null : home.Folder);
                Console.WriteLine($"The agent runs as the service {AgentService.Name}.");
            }

            return joined;
        }));
        return install;
    }

    private Command Remove(AgentOptions options)
    {
        var remove = new Command("remove", "Takes the service, and all that the agent keeps, off this machine; what it has installed stays");
        remove.SetAction((parsed, _) => AgentProgram.Guarded(async () =>
        {
            await AgentInstall.Remove(parsed.GetValue(options.State) ?? OwnFolderOf(UsualRoot));
            Console.WriteLine("The agent is off this machine. The service knows the device until somebody says there: bandejo device remove NAME");
            return 0;
        }));
        return remove;
    }

    public IEnumerable<Command> Commands(AgentOptions options)
    {
        var service = new Command("service", "Runs as a service; the service manager of Windows calls it");
        service.SetAction((parsed, cancellation) => AgentProgram.Guarded(() => AgentService.Run(
            this, options.HomeOf(parsed), options.TimeOf(parsed), cancellation)));
        var folder = new Argument<string>("folder") { Description = "The folder of the run" };
        var step = new Command("step", "Runs one step of an attempt; the agent calls it") { folder };
        step.Hidden = true;
        step.SetAction((parsed, cancellation) => StepShell.Run(parsed.GetValue(folder)!, cancellation));
        return [Install(options), Remove(options), service, step];
    }
}
