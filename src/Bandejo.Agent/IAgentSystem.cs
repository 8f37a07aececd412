using System.CommandLine;
using Bandejo.Contract.Device;
using Bandejo.Device;

namespace Bandejo.Agent;

/// <summary>
/// What the operating system brings to the agent: where things are, everything that the engine reaches the machine through, commands of its own.
/// </summary>
internal interface IAgentSystem
{
    /// <summary>The root of the machine itself.</summary>
    string UsualRoot { get; }

    /// <summary>Whether folders may stand for machines, so that several agents run side by side on one.</summary>
    bool HasRoots { get; }

    /// <summary>Where the agent's own files are, for a root, unless somebody names another place.</summary>
    string OwnFolderOf(string root);

    /// <summary>How people name that place.</summary>
    string OwnFolderInWords { get; }

    /// <summary>What the machine says of itself.</summary>
    FactReport Facts(Home home);

    /// <summary>Why what is installed cannot be kept within the root of an agent; null where it can, or need not.</summary>
    string? WhyUnguarded(Home home, bool isUnguarded);

    /// <summary>The machine and the service, as the engine sees them.</summary>
    /// <param name="says">Hears one line for people about what the device does.</param>
    DeviceParts Parts(Home home, bool isUnguarded, IServiceLink link, IServiceTrust trust, IDeviceJournal journal, TimeProvider time, Action<string> says);

    /// <summary>The commands that only this operating system has.</summary>
    IEnumerable<Command> Commands(AgentOptions options);
}
