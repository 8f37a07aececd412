namespace Bandejo.Contract.Device;

/// <summary><c>package.json</c>: all that a device needs to know of a package. Its bytes are what is signed; their SHA-256 names the package.</summary>
/// <param name="Format">The version of this form, 1.</param>
/// <param name="Icon">A picture for the catalogue; devices do not fetch it.</param>
public sealed record PackageDocument(int Format, string App, string Name, string Version, string Publisher, string Category, string Summary, IReadOnlyList<string> Replaces, IReadOnlyList<DocumentVariant> Variants, DocumentFile? Icon = null);

/// <summary>The part for one kind of device.</summary>
/// <param name="Launch">How a trial starts the software; devices do not use it.</param>
public sealed record DocumentVariant(
    string Name, string Fits, string Requires, IReadOnlyList<DocumentFile> Files, IReadOnlyList<string> Close, DocumentStep Install, DocumentStep? Remove, IReadOnlyList<DocumentCheck> Present, bool PutBack, DocumentLaunch? Launch = null);

/// <summary>A command that starts the software, and how many seconds it must stay up.</summary>
public sealed record DocumentLaunch(IReadOnlyList<string> Run, int StaysSeconds);

/// <summary>A payload file.</summary>
public sealed record DocumentFile(string Path, long Size, string Sha256, bool IsExecutable);

/// <summary>A step; times in seconds, meanings of codes by the words of the manifest.</summary>
public sealed record DocumentStep(IReadOnlyList<string> Run, int LimitSeconds, int ExpectedSeconds, bool EndAtLimit, IReadOnlyDictionary<string, string> ExitCodes);

/// <summary>A presence check: file, version-in, setting, command, receipt or program.</summary>
public sealed record DocumentCheck(string Kind, string Subject, IReadOnlyList<string> Arguments, string? Key, string? Expected, string? Pattern);
