using Bandejo.Core.Rules;
using Bandejo.Core.Versions;

namespace Bandejo.Core.Packages;

/// <summary>Another app that must be there before this one is installed.</summary>
/// <param name="App">Its slug.</param>
/// <param name="AtLeast">The earliest version that will do; null for any.</param>
public sealed record Need(string App, AppVersion? AtLeast)
{
    /// <summary>The need in words, such as <c>spark-runtime 3.1 or newer</c>.</summary>
    public override string ToString() => AtLeast is null ? App : $"{App} {AtLeast} or newer";

    /// <summary>Whether it is met by what a device says of the app; not known where the device has not said, or has a version that cannot be read.</summary>
    public Truth IsMet(FactLookup installed) =>
        installed.IsAbsent ? Truth.False : installed.Value is not { } value ? Truth.NotKnown
        : AtLeast is null || (AppVersion.TryParse(value.ToString(), out var version) && version >= AtLeast) ? Truth.True : Truth.False;
}

/// <summary>How an attempt behaves around its steps.</summary>
public sealed record Handling
{
    /// <summary>What happens where the manifest says nothing.</summary>
    public static Handling Usual { get; } = new();

    /// <summary>The words for when a device restarts, as manifests, documents, orders and kept handlings have them.</summary>
    public static IReadOnlyDictionary<string, RestartRule> Restarts { get; } = new Dictionary<string, RestartRule>(
        StringComparer.Ordinal) { ["as-told"] = RestartRule.AsTold, ["always"] = RestartRule.Always, ["never"] = RestartRule.Never };

    /// <summary>Whether nothing but programs to close is asked for.</summary>
    public bool IsUsual => !NobodySignedIn && !LowPriority && Log is null && Restart == RestartRule.AsTold && Reset.Count == 0;

    /// <summary>Before: names of programs that are closed.</summary>
    public IReadOnlyList<string> Close { get; init; } = [];

    /// <summary>Before: it waits until nobody is signed in.</summary>
    public bool NobodySignedIn { get; init; }

    /// <summary>During: it yields to everything else that runs on the device.</summary>
    public bool LowPriority { get; init; }

    /// <summary>During: the log that the installer writes by itself, below the machine's root; its end is kept with the attempt's.</summary>
    public string? Log { get; init; }

    /// <summary>After: whether a restart is asked for.</summary>
    public RestartRule Restart { get; init; }

    /// <summary>After it was taken away: folders and files that are deleted; what is not named is kept.</summary>
    public IReadOnlyList<string> Reset { get; init; } = [];
}

/// <summary>When a device is asked to restart.</summary>
public enum RestartRule
{
    /// <summary>Where the exit code says so.</summary>
    AsTold,

    /// <summary>After each install.</summary>
    Always,

    /// <summary>Not at all: codes that ask for a restart are taken as done.</summary>
    Never,
}

/// <summary>What kind of thing a companion is.</summary>
public enum CompanionKind
{
    /// <summary>An X.509 certificate that the device trusts.</summary>
    Certificate,

    /// <summary>A file at a place of its own.</summary>
    File,

    /// <summary>Files with an ending are opened with a program.</summary>
    Opens,

    /// <summary>A line of a settings file, <c>key = value</c>; what stood there before comes back when it goes.</summary>
    Setting,
}

/// <summary>A thing that is put in place with a package, proven with it, and taken away with it.</summary>
/// <param name="Kind">What it is.</param>
/// <param name="Subject">A path in the package folder; for <see cref="CompanionKind.Opens"/> the ending without its dot, for
/// <see cref="CompanionKind.Setting"/> the settings file below the machine's root.</param>
/// <param name="To">For a file, its place below the machine's root.</param>
/// <param name="With">For <see cref="CompanionKind.Opens"/>, the command that opens such a file; the file's path comes behind it.</param>
/// <param name="Says">For <see cref="CompanionKind.Opens"/>, what such a file is, for people.</param>
public sealed record Companion(CompanionKind Kind, string Subject, string? To, IReadOnlyList<string> With, string Says)
{
    /// <summary>For <see cref="CompanionKind.Setting"/>, which setting.</summary>
    public string? Key { get; init; }

    /// <summary>For <see cref="CompanionKind.Setting"/>, what it is set to.</summary>
    public string? Value { get; init; }

    /// <summary>Whether it is a file of the package folder.</summary>
    public bool IsFile => Kind is CompanionKind.Certificate or CompanionKind.File;
}

/// <summary>How something is taken away that no package of ours has put there, or an earlier version that goes in another way.</summary>
/// <param name="What">What it is, for people.</param>
/// <param name="When">The devices that have it; false again once it is gone, which is its proof.</param>
/// <param name="At">When it is taken away.</param>
/// <param name="Step">The command.</param>
public sealed record Removal(string What, Rule When, RemovalMoment At, Step Step);

/// <summary>When another build is taken away.</summary>
public enum RemovalMoment
{
    /// <summary>With the app: it is one of its builds.</summary>
    Remove,

    /// <summary>Before this package is installed: it cannot be beside it.</summary>
    Install,

    /// <summary>At both.</summary>
    Both,
}
