namespace Bandejo.Contract.Api;

/// <summary>What is to be captured, as the command line gives it to the agent's program.</summary>
/// <param name="Command">The command that somebody answers, and its arguments.</param>
/// <param name="Folder">The folder it is run in; it is only read.</param>
/// <param name="Into">An empty folder that takes the captured files, and <see cref="CaptureAnswer"/> as <c>captured.json</c>.</param>
/// <param name="Before">Packages that it needs first; what belongs to them is not captured.</param>
/// <param name="HasNetwork">Whether it may reach the network.</param>
/// <param name="Noise">Further patterns of files that are nobody's doing.</param>
public sealed record CapturePlan(IReadOnlyList<string> Command, string Folder, string Into, IReadOnlyList<TrialPackage> Before, bool HasNetwork, IReadOnlyList<string> Noise);

/// <summary>Something that was made, changed or taken away.</summary>
/// <param name="Path">Below the root, with <c>/</c> between parts.</param>
/// <param name="Kind">file, link, folder or gone.</param>
/// <param name="Size">Bytes of a file.</param>
/// <param name="Mode">The rights in octal, such as <c>755</c>; empty for what is gone, and for links.</param>
/// <param name="Target">Where a link leads.</param>
/// <param name="Sha256">Of a file.</param>
/// <param name="LeftOut">Why it is left out unless asked for: noise, needed (a package before it brought it), user (a person's own folder), changed (it was there before); null where it is taken.</param>
public sealed record CapturedInfo(string Path, string Kind, long Size, string Mode, string? Target, string? Sha256, string? LeftOut);

/// <summary>What was captured.</summary>
/// <param name="ExitCode">How the command ended.</param>
public sealed record CaptureAnswer(int ExitCode, IReadOnlyList<CapturedInfo> Found);
