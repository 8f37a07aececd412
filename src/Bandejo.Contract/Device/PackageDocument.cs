namespace Bandejo.Contract.Device;

/// <summary><c>package.json</c>: all that a device needs to know of a package. Its bytes are what is signed; their SHA-256 names the package.</summary>
/// <param name="Format">The version of this form, 1.</param>
/// <param name="Icon">A picture for the catalogue; devices do not fetch it.</param>
/// <param name="Settings">The values that a deployment may choose.</param>
/// <param name="Presets">Named sets of values.</param>
/// <param name="Needs">Other apps that must be there first; the service sees to it.</param>
public sealed record PackageDocument(
    int Format, string App, string Name, string Version, string Publisher, string Category, string Summary, IReadOnlyList<string> Replaces,
    IReadOnlyList<DocumentVariant> Variants, DocumentFile? Icon = null,
    IReadOnlyList<DocumentSetting>? Settings = null, IReadOnlyDictionary<string, IReadOnlyDictionary<string, string>>? Presets = null,
    IReadOnlyList<DocumentNeed>? Needs = null);

/// <summary>Another app, and the earliest version of it that will do; null for any.</summary>
public sealed record DocumentNeed(string App, string? AtLeast);

/// <summary>A named value. Where it is used stands in the steps and checks, as <c>@{name}</c>.</summary>
/// <param name="Type">text, number, yes-no, choice or secret.</param>
/// <param name="Default">The value where nobody says another; null for none.</param>
/// <param name="Writes">What is written in the place of a value, by value.</param>
public sealed record DocumentSetting(
    string Name, string Type, string Says, string? Default, IReadOnlyList<string>? Choices = null, IReadOnlyDictionary<string, string>? Writes = null);

/// <summary>The part for one kind of device.</summary>
/// <param name="Launch">How a trial starts the software; devices do not use it.</param>
/// <param name="Change">How settings of what is installed are changed.</param>
/// <param name="Repair">How what is broken is mended.</param>
/// <param name="Handling">How an attempt behaves around its steps; null for the usual.</param>
/// <param name="Companions">What is put in place with it, proven with it and taken away with it.</param>
/// <param name="Removals">How builds go that <paramref name="Remove"/> is not for.</param>
public sealed record DocumentVariant(
    string Name, string Fits, string Requires, [property: Limits(Items = 100_000)] IReadOnlyList<DocumentFile> Files, IReadOnlyList<string> Close,
    DocumentStep Install, DocumentStep? Remove, IReadOnlyList<DocumentCheck> Present, bool PutBack, DocumentLaunch? Launch = null,
    DocumentStep? Change = null, DocumentStep? Repair = null, DocumentHandling? Handling = null, IReadOnlyList<DocumentCompanion>? Companions = null,
    IReadOnlyList<DocumentRemoval>? Removals = null);

/// <summary>How an attempt behaves around its steps.</summary>
/// <param name="NobodySignedIn">It waits until nobody is signed in.</param>
/// <param name="LowPriority">It yields to everything else on the device.</param>
/// <param name="Log">A log that the installer writes by itself.</param>
/// <param name="Restart">as-told, always or never.</param>
/// <param name="Reset">What is deleted after it was taken away.</param>
public sealed record DocumentHandling(bool NobodySignedIn, bool LowPriority, string? Log, string Restart, IReadOnlyList<string>? Reset);

/// <summary>A companion: certificate, file, opens or setting.</summary>
/// <param name="Subject">A payload file's path, the ending of files, or the path of a settings file on the device.</param>
/// <param name="To">Where a file belongs on the device.</param>
/// <param name="With">The command that opens files with that ending.</param>
/// <param name="Says">What such a file is, for people.</param>
/// <param name="Key">Which setting of a settings file.</param>
/// <param name="Value">What it is set to.</param>
public sealed record DocumentCompanion(
    string Kind, string Subject, string? To, IReadOnlyList<string>? With, string? Says, string? Key = null, string? Value = null);

/// <summary>How another build is taken away.</summary>
/// <param name="When">A rule about the device; false again once it is gone.</param>
/// <param name="At">remove, with the app; install, before this package is installed; or both.</param>
public sealed record DocumentRemoval(string What, string When, string At, DocumentStep Step);

/// <summary>A command that starts the software, and how many seconds it must stay up.</summary>
/// <param name="Environment">What it finds in its environment besides the usual; null for nothing.</param>
public sealed record DocumentLaunch(IReadOnlyList<string> Run, int StaysSeconds, IReadOnlyDictionary<string, string>? Environment = null);

/// <summary>A payload file.</summary>
public sealed record DocumentFile(string Path, long Size, string Sha256, bool IsExecutable);

/// <summary>A step; times in seconds, meanings of codes by the words of the manifest.</summary>
/// <param name="Environment">What it finds in its environment besides the usual.</param>
/// <param name="Answers">Files that are written beside the payload before it runs, path to text.</param>
public sealed record DocumentStep(
    [property: Limits(Text = 8192)] IReadOnlyList<string> Run, int LimitSeconds, int ExpectedSeconds, bool EndAtLimit, IReadOnlyDictionary<string,
    string> ExitCodes,
    [property: Limits(Text = 8192)] IReadOnlyDictionary<string, string>? Environment = null,
    [property: Limits(Text = 256 * 1024)] IReadOnlyDictionary<string, string>? Answers = null);

/// <summary>A presence check: file, version-in, setting, command, receipt, program, product, service, registry or version-of.</summary>
public sealed record DocumentCheck(
    string Kind, string Subject, [property: Limits(Text = 8192)] IReadOnlyList<string> Arguments, string? Key, string? Expected, string? Pattern);
