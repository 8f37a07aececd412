using System.Text.Json.Serialization;
using Bandejo.Contract.Device;

namespace Bandejo.Contract.Api;

/// <summary>What a trial is to try, as the command line gives it to the agent's program.</summary>
/// <param name="Package">The package, as it would be signed.</param>
/// <param name="Earlier">The version that devices have now, to be upgraded from and fallen back to; null for none.</param>
/// <param name="Before">Packages that it needs first, in their order.</param>
/// <param name="Variants">The names of the variants to try; empty for all that fit this machine.</param>
/// <param name="LimitSeconds">No step may take longer than this, whatever its own limit; null for its own.</param>
/// <param name="HasNetwork">Whether it may reach the network; a package should not need to.</param>
/// <param name="Noise">Further patterns of files that are no leftovers.</param>
/// <param name="Settings">Values of the package's settings, over its defaults and the preset; null for none.</param>
/// <param name="Preset">A preset of the package; null for none.</param>
/// <param name="Root">The folder with the system to try it upon; null for this machine's own.</param>
public sealed record TrialPlan(
    TrialPackage Package, TrialPackage? Earlier, IReadOnlyList<TrialPackage> Before, IReadOnlyList<string> Variants, int? LimitSeconds, bool HasNetwork,
    IReadOnlyList<string> Noise, IReadOnlyDictionary<string, string>? Settings = null, string? Preset = null, string? Root = null);

/// <summary>A package and the folder that its files lie in.</summary>
public sealed record TrialPackage(PackageDocument Document, string Folder);

/// <summary>One step of a trial.</summary>
/// <param name="Variant">The variant it tried.</param>
/// <param name="Name">needs, requires, clean, install, in place, close, launch, again, change, remove, leftovers, earlier, upgrade, fall back.</param>
/// <param name="State">passed, failed, warned or left-out.</param>
/// <param name="Says">What happened, in words.</param>
/// <param name="Seconds">How long it took.</param>
/// <param name="ExitCode">The exit code of its command, where there was one.</param>
/// <param name="Log">The last lines of what the command printed.</param>
[JsonUnmappedMemberHandling(JsonUnmappedMemberHandling.Disallow)]
public sealed record TrialStepInfo(string Variant, string Name, string State, string Says, double Seconds, int? ExitCode, IReadOnlyList<string> Log);

/// <summary>A trial, to be kept with its package.</summary>
/// <param name="Machine">What it ran on.</param>
/// <param name="Steps">All steps, in their order.</param>
[JsonUnmappedMemberHandling(JsonUnmappedMemberHandling.Disallow)]
public sealed record TrialReport(string Machine, IReadOnlyList<TrialStepInfo> Steps);

/// <summary>Asks a device for testing to try a package.</summary>
/// <param name="Package">A digest or its beginning, <c>app version</c>, or an app.</param>
/// <param name="From">The earlier version to upgrade from and fall back to; null for none.</param>
/// <param name="Settings">Values of its settings; null for none.</param>
/// <param name="Preset">A preset of it; null for none.</param>
[JsonUnmappedMemberHandling(JsonUnmappedMemberHandling.Disallow)]
public sealed record DeviceTrialRequest(string Package, string? From = null, IReadOnlyDictionary<string, string>? Settings = null, string? Preset = null);

/// <summary>A trial on an enrolled device.</summary>
/// <param name="Package">The package's digest.</param>
/// <param name="State">waiting, running or ended.</param>
/// <param name="LastHeard">When the device was last heard; null for never.</param>
/// <param name="CheckInSeconds">The time between two of its check-ins.</param>
/// <param name="Says">How it ended; empty before.</param>
/// <param name="Kept">The name under which its steps are kept with the package; null while there are none.</param>
public sealed record DeviceTrialInfo(
    string Id, string Device, string Package, string State, string By, DateTimeOffset AskedAt, DateTimeOffset? BeganAt, DateTimeOffset? EndedAt,
    DateTimeOffset? LastHeard, int CheckInSeconds, bool HasPassed, string Says, string? Kept);
