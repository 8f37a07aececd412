namespace Bandejo.Contract.Api;

/// <summary>What is to be captured, as the command line gives it to the agent's program.</summary>
/// <param name="Command">The command that somebody answers, and its arguments.</param>
/// <param name="Folder">The folder it is run in; it is only read.</param>
/// <param name="Into">An empty folder that takes the captured files, and <see cref="CaptureAnswer"/> as <c>captured.json</c>.</param>
/// <param name="Before">Packages that it needs first; what belongs to them is not captured.</param>
/// <param name="HasNetwork">Whether it may reach the network.</param>
/// <param name="Noise">Further patterns of files that are nobody's doing.</param>
public sealed record CapturePlan(
    IReadOnlyList<string> Command, string Folder, string Into, IReadOnlyList<TrialPackage> Before, bool HasNetwork, IReadOnlyList<string> Noise);

/// <summary>Something that was made, changed or taken away.</summary>
/// <param name="Path">Below the root, with <c>/</c> between parts; of a user or group its name.</param>
/// <param name="Kind">file, link, folder, user, group, other (a pipe, socket or device) or gone.</param>
/// <param name="Size">Bytes of a file.</param>
/// <param name="Mode">The rights in octal, such as <c>755</c>; empty for what is gone, and for links.</param>
/// <param name="Target">Where a link leads; of a user its folder and its shell, with a colon between.</param>
/// <param name="Sha256">Of a file.</param>
/// <param name="LeftOut">Why it is left out unless asked for: noise, needed (a package before it brought it), user (a person's own folder), changed (it was
/// there before), accounts (what came into it is taken as users and groups), other (no package can carry it); null where it is taken.</param>
/// <param name="Owner">Owner and group by their names, as <c>name:name</c>; of a user its group; null for the system account's.</param>
public sealed record CapturedInfo(string Path, string Kind, long Size, string Mode, string? Target, string? Sha256, string? LeftOut, string? Owner = null);

/// <summary>What was captured.</summary>
/// <param name="ExitCode">How the command ended.</param>
/// <param name="Facts">What the machine says of itself, by the names of facts; null where an older program captured it.</param>
public sealed record CaptureAnswer(int ExitCode, IReadOnlyList<CapturedInfo> Found, IReadOnlyDictionary<string, string>? Facts = null);
