using System.CommandLine;
using Bandejo.Clock;

namespace Bandejo.Agent;

/// <summary>The options that every command of the agent knows, and how a command runs.</summary>
internal sealed class AgentOptions(IAgentSystem system)
{
    public Option<string> Root { get; } = new("--root")
    {
        Description = "The folder that is the machine; several agents run side by side with one each", DefaultValueFactory = _ => system.UsualRoot,
    };

    public Option<string?> State { get; } = new("--state") { Description = $"Where the agent keeps its own files [{system.OwnFolderInWords}]" };

    public Option<string?> Clock { get; } = new("--demo-clock") { Description = "A demo clock's file to go by, for demonstrations and tests [the real time]" };

    /// <summary>Those that there are on this operating system.</summary>
    public IEnumerable<Option> All => system.HasRoots ? [Root, State, Clock] : [State, Clock];

    public Home HomeOf(ParseResult parsed)
    {
        var root = system.HasRoots ? Path.GetFullPath(parsed.GetValue(Root)!) : system.UsualRoot;
        return Home.Of(root, parsed.GetValue(State) ?? system.OwnFolderOf(root));
    }

    public TimeProvider TimeOf(ParseResult parsed) => parsed.GetValue(Clock) is { } file ? DemoClock.Follow(file) : TimeProvider.System;
}
