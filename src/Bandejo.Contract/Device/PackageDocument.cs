namespace Bandejo.Contract.Device;

/// <summary><c>package.json</c>: all that a device needs to know of a package. Its bytes are what is signed; their SHA-256 names the package.</summary>
/// <param name="Format">The version of this form, 1.</param>
/// <param name="Icon">A picture for the catalogue; devices do not fetch it.</param>
/// <param name="Settings">The values that a deployment may choose.</param>
/// <param name="Presets">Named sets of values.</param>
public sealed record PackageDocument(int Format, string App, string Name, string Version, string Publisher, string Category, string Summary, IReadOnlyList<string> Replaces, IReadOnlyList<DocumentVariant> Variants, DocumentFile? Icon = null,
    IReadOnlyList<DocumentSetting>? Settings = null, IReadOnlyDictionary<string, IReadOnlyDictionary<string, string>>? Presets = null);

/// <summary>A named value. Where it is used stands in the steps and checks, as <c>@{name}</c>.</summary>
/// <param name="Type">text, number, yes-no, choice or secret.</param>
/// <param name="Default">The value where nobody says another; null for none.</param>
/// <param name="Writes">What is written in the place of a value, by value.</param>
public sealed record DocumentSetting(string Name, string Type, string Says, string? Default, IReadOnlyList<string>? Choices = null, IReadOnlyDictionary<string, string>? Writes = null);

/// <summary>The part for one kind of device.</summary>
/// <param name="Launch">How a trial starts the software; devices do not use it.</param>
/// <param name="Change">How settings of what is installed are changed.</param>
public sealed record DocumentVariant(
    string Name, string Fits, string Requires, IReadOnlyList<DocumentFile> Files, IReadOnlyList<string> Close, DocumentStep Install, DocumentStep? Remove, IReadOnlyList<DocumentCheck> Present, bool PutBack, DocumentLaunch? Launch = null,
    DocumentStep? Change = null);

/// <summary>A command that starts the software, and how many seconds it must stay up.</summary>
public sealed record DocumentLaunch(IReadOnlyList<string> Run, int StaysSeconds);

/// <summary>A payload file.</summary>
public sealed record DocumentFile(string Path, long Size, string Sha256, bool IsExecutable);

/// <summary>A step; times in seconds, meanings of codes by the words of the manifest.</summary>
/// <param name="Environment">What it finds in its environment besides the usual.</param>
/// <param name="Answers">Files that are written beside the payload before it runs, path to text.</param>
public sealed record DocumentStep(IReadOnlyList<string> Run, int LimitSeconds, int ExpectedSeconds, bool EndAtLimit, IReadOnlyDictionary<string, string> ExitCodes,
    IReadOnlyDictionary<string, string>? Environment = null, IReadOnlyDictionary<string, string>? Answers = null);

/// <summary>A presence check: file, version-in, setting, command, receipt or program.</summary>
public sealed record DocumentCheck(string Kind, string Subject, IReadOnlyList<string> Arguments, string? Key, string? Expected, string? Pattern);
