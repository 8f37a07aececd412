using System.Text.Json.Serialization;

namespace Bandejo.Contract.Api;

/// <summary>A package in the making, on the bench of the service.</summary>
/// <param name="Name">App and version, as far as its manifest says.</param>
/// <param name="Size">Bytes of all its files.</param>
/// <param name="Package">The digest of the package that was built of it last; null for none.</param>
public sealed record BenchDraftInfo(string Id, string Name, string By, DateTimeOffset At, int Files, long Size, string? Package);

/// <summary>A file of a draft.</summary>
/// <param name="Path">Relative, with <c>/</c> between parts.</param>
/// <param name="Size">Bytes.</param>
/// <param name="Arrived">How many of them have arrived.</param>
/// <param name="Sha256">Lower-case hexadecimal; null until it is whole.</param>
/// <param name="Inspection">What was read out of it; null where it is no installer, or not whole.</param>
public sealed record BenchFileInfo(string Path, long Size, long Arrived, string? Sha256, InspectionInfo? Inspection);

/// <summary>A draft with all that is known of it.</summary>
/// <param name="Manifest">The text of <c>package.yaml</c>; empty before the first file.</param>
/// <param name="Check">What is wrong with it, and for whom it is; null before the first file.</param>
/// <param name="Trial">Its last trial; null for none.</param>
/// <param name="NoTrials">Why this service carries out no trials; null where it does.</param>
/// <param name="After">The version before whose choices it keeps; null for none.</param>
/// <param name="Earlier">Packages of the same app, newest first, whose choices it could keep.</param>
/// <param name="Capture">What was found on the machine that it was captured on; null where it was not captured.</param>
public sealed record BenchDraft(
    BenchDraftInfo Draft, string Manifest, IReadOnlyList<BenchFileInfo> Files, PackageCheckAnswer? Check, BenchTrialInfo? Trial, string? NoTrials,
    BenchAfterInfo? After, IReadOnlyList<PackageInfo> Earlier, BenchCaptureInfo? Capture = null)
{
    /// <summary>Tells this manifest from others; whoever writes it sends it as <c>If-Match</c>.</summary>
    public required string Revision { get; init; }
}

/// <summary>The version before, and what changed since.</summary>
/// <param name="Package">Its digest.</param>
/// <param name="Name">App and version.</param>
/// <param name="Changes">What is not as it was, of each installer.</param>
public sealed record BenchAfterInfo(string Package, string Name, IReadOnlyList<BenchChangeInfo> Changes);

/// <summary>Something that is not as it was in the version before.</summary>
/// <param name="File">The new installer.</param>
/// <param name="What">What changed: a statement, a command, a setting, the files.</param>
/// <param name="Before">How it was; empty for not at all.</param>
/// <param name="After">How it is; empty for not at all.</param>
/// <param name="Look">Why somebody must look at it again; empty where the draft has it right by itself.</param>
public sealed record BenchChangeInfo(string File, string What, string Before, string After, string Look);

/// <summary>What a capture holds.</summary>
/// <param name="Things">All that was found, in the order of its paths, at most 5,000.</param>
/// <param name="Count">How many there are in all.</param>
public sealed record BenchCaptureInfo(IReadOnlyList<CapturedThing> Things, int Count);

/// <summary>Something that was captured.</summary>
/// <param name="Says">What it is, in words.</param>
/// <param name="LeftOut">Why it is left out unless asked for; null where it belongs to the software.</param>
/// <param name="IsTaken">It is in the package.</param>
/// <param name="CanBeTaken">It was kept, and a package can carry it.</param>
public sealed record CapturedThing(string Path, string Kind, long Size, string Says, string? LeftOut, bool IsTaken, bool CanBeTaken);

/// <summary>Takes of a capture just these paths.</summary>
[JsonUnmappedMemberHandling(JsonUnmappedMemberHandling.Disallow)]
public sealed record BenchCaptureRequest([property: Limits(Items = 50_000, Text = 4096)] IReadOnlyList<string> Taken);

/// <summary>Takes an installer out of an archive.</summary>
/// <param name="File">The archive's path in its draft.</param>
/// <param name="Path">Where the installer stands inside.</param>
[JsonUnmappedMemberHandling(JsonUnmappedMemberHandling.Disallow)]
public sealed record BenchInsideRequest(string File, string Path);

/// <summary>Keeps the choices of an earlier package in a draft.</summary>
/// <param name="Package">A digest or its beginning, 'app version', or an app.</param>
[JsonUnmappedMemberHandling(JsonUnmappedMemberHandling.Disallow)]
public sealed record BenchAfterRequest(string Package);

/// <summary>A new text for a draft's manifest.</summary>
[JsonUnmappedMemberHandling(JsonUnmappedMemberHandling.Disallow)]
public sealed record BenchManifestRequest([property: Limits(Text = ApiLimits.MaxManifest)] string Manifest);

/// <summary>Builds a draft.</summary>
/// <param name="Document">The SHA-256 of the document that was signed, as the last check gave it.</param>
/// <param name="Signature">A compact JWS over digest, app and version.</param>
[JsonUnmappedMemberHandling(JsonUnmappedMemberHandling.Disallow)]
public sealed record BenchBuildRequest(string Document, string Signature);

/// <summary>A trial of a draft in a sandbox of the service's machine.</summary>
/// <param name="IsRunning">It has not ended.</param>
/// <param name="HasPassed">It has ended, and no step failed.</param>
/// <param name="IsOfThis">The draft is still as it was when it was tried.</param>
/// <param name="Steps">The steps so far.</param>
/// <param name="Problem">Why it could not be carried out; null where it could.</param>
public sealed record BenchTrialInfo(bool IsRunning, bool HasPassed, bool IsOfThis, DateTimeOffset At, IReadOnlyList<TrialStepInfo> Steps, string? Problem);
