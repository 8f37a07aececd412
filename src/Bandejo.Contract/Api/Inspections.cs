namespace Bandejo.Contract.Api;

/// <summary>What was read out of an installer file. It was never run.</summary>
/// <param name="File">The name of the file.</param>
/// <param name="Size">Bytes.</param>
/// <param name="Kind">What it is, in words.</param>
/// <param name="Told">What it tells of itself.</param>
/// <param name="Commands">Commands that it should understand.</param>
/// <param name="Settings">Values that it takes.</param>
/// <param name="Features">Parts that can be chosen.</param>
/// <param name="Conditions">What it asks of a device before it installs, in its own words.</param>
/// <param name="Nested">Other installers that it carries or asks for.</param>
/// <param name="Proofs">Ways to prove that it is there.</param>
/// <param name="Contents">What is inside; null where it is none that holds files.</param>
/// <param name="Open">What it does not tell, and what to try.</param>
/// <param name="Findings">What is wrong with it.</param>
/// <param name="HasIcon">It carries a picture that can be used.</param>
public sealed record InspectionInfo(
    string File, long Size, string Kind, IReadOnlyList<ToldInfo> Told, IReadOnlyList<InstallerCommandInfo> Commands,
    IReadOnlyList<InstallerSettingInfo> Settings, IReadOnlyList<InstallerFeatureInfo> Features, IReadOnlyList<string> Conditions,
    IReadOnlyList<NestedInstallerInfo> Nested, IReadOnlyList<InstallerProofInfo> Proofs, InstallerContentsInfo? Contents, IReadOnlyList<OpenQuestionInfo> Open,
    IReadOnlyList<FindingInfo> Findings, bool HasIcon);

/// <summary>One statement.</summary>
/// <param name="What">Such as name, version, architecture, product code, signer.</param>
/// <param name="Sure">certain, likely or guess.</param>
/// <param name="Source">Where it stands.</param>
public sealed record ToldInfo(string What, string Value, string Sure, string Source);

/// <summary>A command.</summary>
/// <param name="Verb">install, remove, repair; log for words that are added to the install command.</param>
/// <param name="Run">The command and its arguments.</param>
/// <param name="Sure">certain, likely or guess.</param>
public sealed record InstallerCommandInfo(string Verb, IReadOnlyList<string> Run, string Sure, string Source);

/// <summary>A value that an installer takes.</summary>
/// <param name="Switch">How it is given, with <c>{value}</c> for the value.</param>
public sealed record InstallerSettingInfo(string Name, string Default, bool IsSecret, string Switch);

/// <summary>A part that can be chosen.</summary>
public sealed record InstallerFeatureInfo(string Name, string Title, bool IsDefault);

/// <summary>Another installer, carried or asked for.</summary>
/// <param name="Size">Bytes; 0 where it is not inside.</param>
/// <param name="CanBeTaken">It can be taken out and become a draft of its own.</param>
public sealed record NestedInstallerInfo(string Path, long Size, string What, bool CanBeTaken = false);

/// <summary>A way to prove that it is there.</summary>
/// <param name="Key">The key of a presence check in a manifest.</param>
public sealed record InstallerProofInfo(string Key, string Subject, string Sure, string Source);

/// <summary>What is inside.</summary>
/// <param name="Size">Bytes, unpacked.</param>
/// <param name="First">The first 200 of them.</param>
/// <param name="IsWhole">False where not all was looked at.</param>
public sealed record InstallerContentsInfo(long Files, long Size, IReadOnlyList<ContainedFileInfo> First, bool IsWhole);

/// <summary>A file inside.</summary>
public sealed record ContainedFileInfo(string Path, long Size);

/// <summary>Something that the file does not tell.</summary>
/// <param name="Try">What to do to find out.</param>
public sealed record OpenQuestionInfo(string What, string Try);
