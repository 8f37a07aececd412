namespace Bandejo.Core.Installers;

/// <summary>What kind of file an installer is.</summary>
public enum InstallerKind
{
    /// <summary>None that is known here.</summary>
    Unknown,

    /// <summary>A Windows Installer database.</summary>
    WindowsInstaller,

    /// <summary>Changes to a Windows Installer database, kept beside it.</summary>
    WindowsTransform,

    /// <summary>A Windows program that carries an installer.</summary>
    WindowsSetup,

    /// <summary>A Windows program that shows no sign of carrying one.</summary>
    WindowsProgram,

    /// <summary>An MSIX or APPX package.</summary>
    AppPackage,

    /// <summary>Several MSIX or APPX packages in one file.</summary>
    AppBundle,

    /// <summary>A patch for a Windows Installer database.</summary>
    WindowsPatch,

    /// <summary>A Debian package.</summary>
    Debian,

    Rpm,

    Cabinet,

    /// <summary>An image of a disk, or an archive that is not listed here.</summary>
    Image,

    /// <summary>An image of a disc that programs come on.</summary>
    Disc,

    SevenZip,

    Zip,

    /// <summary>A tar archive, packed or not.</summary>
    Tar,

    /// <summary>One program with all it needs, as an image that is mounted when it runs.</summary>
    AppImage,

    /// <summary>A shell script with an archive behind it.</summary>
    ShellArchive,

    /// <summary>A macOS installer package.</summary>
    MacInstaller,
}

/// <summary>How sure a statement is.</summary>
public enum Certainty
{
    /// <summary>A guess: from the file's name, or a custom that many follow.</summary>
    Guess,

    /// <summary>A mark was found that nearly always means this.</summary>
    Likely,

    /// <summary>The file itself declares it.</summary>
    Certain,
}

/// <summary>One statement about an installer.</summary>
/// <param name="What">Which: one of <see cref="Facts"/>.</param>
/// <param name="Source">Where it stands.</param>
public sealed record Told(string What, string Value, Certainty Certainty, string Source);

/// <summary>What can be told of an installer.</summary>
public static class Facts
{
    public const string Name = "name";
    public const string Version = "version";
    public const string Publisher = "publisher";
    public const string Summary = "summary";
    public const string Language = "language";

    /// <summary>x64, x86, arm64, or several joined by commas.</summary>
    public const string Architecture = "architecture";

    /// <summary>windows, linux or macos.</summary>
    public const string System = "system";

    /// <summary>The oldest version of the system it runs on.</summary>
    public const string MinimumSystem = "minimum system";

    public const string ProductCode = "product code";
    public const string UpgradeCode = "upgrade code";
    public const string Identity = "identity";

    /// <summary>Whom the signature names. It is read, not verified.</summary>
    public const string Signer = "signer";

    /// <summary>What it wants of the account that runs it.</summary>
    public const string Rights = "rights";
    public const string Restart = "restart";
    public const string InstalledSize = "installed size";

    /// <summary>What sort of setup a hint recognised.</summary>
    public const string Setup = "setup";
}

/// <summary>A command that an installer should understand.</summary>
/// <param name="Verb"><c>install</c>, <c>remove</c>, <c>repair</c>; <c>log</c> for words that are added to the install command to have it keep a log.</param>
/// <param name="Run">The command; the installer's file by its name.</param>
public sealed record SuggestedCommand(string Verb, IReadOnlyList<string> Run, Certainty Certainty, string Source);

/// <summary>A value that an installer takes.</summary>
/// <param name="Default">What holds where nothing is given; empty for nothing.</param>
/// <param name="IsSecret">The installer keeps it out of its own log.</param>
/// <param name="Switch">How it is given on the command line, with <c>{value}</c> for the value.</param>
public sealed record InstallerSetting(string Name, string Default, bool IsSecret, string Switch);

/// <summary>A part of the software that can be chosen.</summary>
public sealed record InstallerFeature(string Name, string Title, bool IsDefault);

/// <summary>Another installer that this one carries or asks for; it becomes a package of its own.</summary>
/// <param name="Path">Where it stands inside, or the name under which it is asked for.</param>
/// <param name="Size">Bytes; 0 where it is not inside.</param>
/// <param name="What">What it is, in words.</param>
public sealed record NestedInstaller(string Path, long Size, string What);

/// <summary>A way to prove that it is there.</summary>
/// <param name="Key">The key of a presence check in a manifest.</param>
public sealed record SuggestedProof(string Key, string Subject, Certainty Certainty, string Source);

/// <summary>Something that the file does not tell.</summary>
/// <param name="Try">What a packager can do to find out.</param>
/// <param name="Verb">The command that is not known for want of it: <c>install</c> or <c>remove</c>; null for none.</param>
public sealed record OpenQuestion(string What, string Try, string? Verb = null);

/// <summary>A file inside.</summary>
public sealed record ContainedFile(string Path, long Size);

/// <summary>What is inside.</summary>
/// <param name="Files">How many.</param>
/// <param name="Size">Bytes, unpacked.</param>
/// <param name="First">The first of them, at most <see cref="MaxListed"/>.</param>
/// <param name="IsWhole">False where not all was looked at, because it is too much.</param>
public sealed record InstallerContents(long Files, long Size, IReadOnlyList<ContainedFile> First, bool IsWhole)
{
    /// <summary>How many files are listed at most.</summary>
    public const int MaxListed = 200;
}

/// <summary>A picture that the file carries.</summary>
/// <param name="Png">A PNG file.</param>
public sealed record InstallerIcon(byte[] Png, int Width);

/// <summary>What was read out of an installer file.</summary>
public sealed record Inspection
{
    /// <summary>The name of the file, without folders.</summary>
    public required string File { get; init; }

    /// <summary>Bytes.</summary>
    public required long Size { get; init; }

    public InstallerKind Kind { get; init; }

    /// <summary>The kind in words.</summary>
    public string KindInWords { get; init; } = "unknown file";

    public IReadOnlyList<Told> Told { get; init; } = [];

    public IReadOnlyList<SuggestedCommand> Commands { get; init; } = [];

    public IReadOnlyList<InstallerSetting> Settings { get; init; } = [];

    public IReadOnlyList<InstallerFeature> Features { get; init; } = [];

    /// <summary>What the file itself asks of a device before it installs, in its own words.</summary>
    public IReadOnlyList<string> Conditions { get; init; } = [];

    public IReadOnlyList<NestedInstaller> Nested { get; init; } = [];

    public IReadOnlyList<SuggestedProof> Proofs { get; init; } = [];

    /// <summary>Names of files that must lie beside it, because its own are not inside.</summary>
    public IReadOnlyList<string> Beside { get; init; } = [];

    public InstallerContents? Contents { get; init; }

    public InstallerIcon? Icon { get; init; }

    public IReadOnlyList<OpenQuestion> Open { get; init; } = [];

    /// <summary>What is wrong with the file: damage, names that climb out, sizes that cannot be.</summary>
    public IReadOnlyList<Finding> Findings { get; init; } = [];

    /// <summary>What is told of something, the surest first; null where nothing is.</summary>
    public Told? Of(string what) => Told.Where(each => each.What == what).MaxBy(each => each.Certainty);

    /// <summary>The surest command for a verb; null where there is none.</summary>
    public SuggestedCommand? CommandFor(string verb) => Commands.Where(command => command.Verb == verb).MaxBy(command => command.Certainty);
}
