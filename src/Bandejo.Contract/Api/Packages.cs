using System.Text.Json.Serialization;

namespace Bandejo.Contract.Api;

/// <summary>Asks what is wrong with a package folder, and for the document to sign.</summary>
/// <param name="Manifest">The text of <c>package.yaml</c>.</param>
/// <param name="Files">The files beside it.</param>
[JsonUnmappedMemberHandling(JsonUnmappedMemberHandling.Disallow)]
public sealed record PackageCheckRequest(
    [property: Limits(Text = ApiLimits.MaxManifest)] string Manifest, [property: Limits(Items = ApiLimits.MaxFiles)] IReadOnlyList<FileInfoDto> Files);

/// <summary>A file of a package folder.</summary>
/// <param name="Path">Relative, with <c>/</c> between parts.</param>
/// <param name="Size">Bytes.</param>
/// <param name="Sha256">Lower-case hexadecimal; empty when only checking.</param>
[JsonUnmappedMemberHandling(JsonUnmappedMemberHandling.Disallow)]
public sealed record FileInfoDto(string Path, long Size, string Sha256);

/// <summary>Everything found, and the document where nothing stands against building.</summary>
/// <param name="Findings">Errors and warnings.</param>
/// <param name="Document">The exact text of <c>package.json</c> to sign; null where there are errors.</param>
/// <param name="App">The app's slug.</param>
/// <param name="Version">The version.</param>
/// <param name="FitsDevices">How many enrolled devices could get it as they are now, or null where there are errors.</param>
/// <param name="AllDevices">How many devices are enrolled.</param>
/// <param name="NotFor">The devices that it is not meant for, or that lack what it requires, by reason; most first.</param>
/// <param name="Fetch">Files that the manifest has fetched from somewhere, and that are not among those that were listed.</param>
/// <param name="Missing">Digests in the document whose content the service does not have.</param>
public sealed record PackageCheckAnswer(
    IReadOnlyList<FindingInfo> Findings, string? Document, string? App, string? Version, int? FitsDevices, int AllDevices,
    IReadOnlyList<OutInfo>? NotFor = null,
    IReadOnlyList<FetchInfo>? Fetch = null, IReadOnlyList<string>? Missing = null);

/// <summary>A file that whoever builds the package fetches.</summary>
/// <param name="From">An http or https address, or a path.</param>
public sealed record FetchInfo(string Path, string From, long Size, string Sha256);

/// <summary>Begins or goes on with an upload.</summary>
/// <param name="Sha256">64 hexadecimal digits that are the same whenever the same file is sent again, such as its SHA-256.</param>
/// <param name="Size">Bytes of the whole file.</param>
[JsonUnmappedMemberHandling(JsonUnmappedMemberHandling.Disallow)]
public sealed record UploadRequest(string Sha256, long Size);

/// <summary>How far an upload is.</summary>
/// <param name="Id">Its identity.</param>
/// <param name="Offset">How many bytes have safely arrived.</param>
/// <param name="Size">How many there are.</param>
public sealed record UploadInfo(string Id, long Offset, long Size);

/// <summary>Takes a complete upload in as a package.</summary>
/// <param name="Signature">For a package that was carried here from another service: a compact JWS over digest, app and version by who vouches for it here;
/// null for one that was built here.</param>
/// <param name="Sent">Payload files that were sent by themselves and are not in the package file, by digest: their uploads.</param>
[JsonUnmappedMemberHandling(JsonUnmappedMemberHandling.Disallow)]
public sealed record PackageRequest(
    string Upload, string? Signature = null, [property: Limits(Items = ApiLimits.MaxFiles)] IReadOnlyDictionary<string, string>? Sent = null);

/// <summary>Where a carried package comes from: <c>origin.json</c> of the package file.</summary>
/// <param name="Key">The key of whoever built it.</param>
/// <param name="By">Their account there.</param>
/// <param name="Seal">The seal of the service it left.</param>
/// <param name="SealKey">The key of that seal.</param>
public sealed record PackageOrigin(Device.PublicKeyInfo Key, string? By, DateTimeOffset? BuiltAt, string? Seal, Device.PublicKeyInfo? SealKey);

/// <summary>A package.</summary>
/// <param name="Digest">SHA-256 of its document; its identity.</param>
/// <param name="App">The app's slug.</param>
/// <param name="Name">The app's name.</param>
/// <param name="Version">With its revision.</param>
/// <param name="State">built, tried, released or withdrawn.</param>
/// <param name="BuiltBy">Who built it.</param>
/// <param name="Size">Bytes of payload, each file once.</param>
/// <param name="IsNew">False when the same content was there already.</param>
/// <param name="IsLetGo">Its files were let go; it cannot be deployed.</param>
public sealed record PackageInfo(
    string Digest, string App, string Name, string Version, string State, string Publisher, string BuiltBy, DateTimeOffset BuiltAt, long Size, int Files,
    bool IsNew, bool IsLetGo);

/// <summary>A package with what is inside and what happened to it.</summary>
/// <param name="Needs">Other apps that must be there first.</param>
/// <param name="Settings">What a deployment may choose.</param>
/// <param name="Presets">Named sets of values.</param>
/// <param name="Earlier">The digest of the package of the version before; null for none.</param>
/// <param name="Room">What its files take.</param>
public sealed record PackageDetails(
    PackageInfo Package, string Summary, IReadOnlyList<string> Needs, IReadOnlyList<VariantInfo> Variants, IReadOnlyList<LifeInfo> History, int InstalledOn,
    IReadOnlyList<string> Deployments, IReadOnlyList<SettingInfo> Settings, IReadOnlyList<PresetInfo> Presets, string? Earlier, PackageRoom Room);

/// <summary>How much room a package takes.</summary>
/// <param name="Own">Bytes that only it needs, and that go when it is let go.</param>
/// <param name="Shared">Bytes that other packages need as well.</param>
/// <param name="KeptFor">Why it cannot be let go; null where it can.</param>
/// <param name="IsLetGo">Its files were let go; it cannot be deployed.</param>
public sealed record PackageRoom(long Own, long Shared, string? KeptFor, bool IsLetGo);

/// <summary>A package and the room it takes.</summary>
public sealed record PackageRoomInfo(PackageInfo Package, PackageRoom Room);

/// <summary>How much room all packages take.</summary>
/// <param name="Total">Bytes of payload, each file once.</param>
/// <param name="MayGo">Bytes that go when everything is let go that can be.</param>
/// <param name="Packages">Those that are not let go, that which takes most by itself first.</param>
public sealed record RoomInfo(long Total, long MayGo, IReadOnlyList<PackageRoomInfo> Packages);

/// <summary>Two packages side by side.</summary>
/// <param name="Differences">In the order of a manifest; none where both say the same.</param>
public sealed record PackageComparison(PackageInfo Before, PackageInfo After, IReadOnlyList<PackageDifference> Differences);

/// <summary>One difference.</summary>
/// <param name="What">package, setting, <c>variant NAME</c>, or <c>variant NAME, file</c>.</param>
/// <param name="Name">The key, setting or file.</param>
/// <param name="Before">What stood there; null where there was none. Of a file its size.</param>
/// <param name="After">What stands there now; null where there is none.</param>
public sealed record PackageDifference(string What, string Name, string? Before, string? After);

/// <summary>A named value that a deployment may choose.</summary>
/// <param name="Type">text, number, yes-no, choice or secret.</param>
/// <param name="Default">The value where nobody says another; null for none.</param>
public sealed record SettingInfo(string Name, string Type, string Says, string? Default, IReadOnlyList<string> Choices);

/// <summary>A named set of values, each as <c>setting value</c>.</summary>
public sealed record PresetInfo(string Name, IReadOnlyList<string> Values);

/// <summary>A variant in words.</summary>
public sealed record VariantInfo(
    string Name, string Fits, string Requires, IReadOnlyList<FileInfoDto> Files, string Install, string? Remove, IReadOnlyList<string> Present,
    IReadOnlyList<VariantLine> More);

/// <summary>What else a variant says: change, repair, close, handling, companion or removal.</summary>
public sealed record VariantLine(string Name, string Says);

/// <summary>A step in the life of a package.</summary>
/// <param name="Trial">Of a trial, the name under which all of its steps are kept; null otherwise.</param>
public sealed record LifeInfo(string State, string By, DateTimeOffset At, string Reason, string? Trial = null);

/// <summary>An app of the catalogue with its packages and the versions in the field, both with the newest first.</summary>
public sealed record AppInfo(
    string App, string Name, string Publisher, string Category, IReadOnlyList<PackageInfo> Packages, IReadOnlyList<FieldVersion> Versions);

/// <summary>A version of an app that devices have.</summary>
/// <param name="Count">On how many.</param>
/// <param name="Standing">newest (of what is released), behind it, ahead of it, or unknown.</param>
public sealed record FieldVersion(string Name, int Count, string Standing);

/// <summary>Something and how often it is there.</summary>
public sealed record CountInfo(string Name, int Count);
