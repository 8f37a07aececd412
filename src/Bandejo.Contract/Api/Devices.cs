using System.Text.Json.Serialization;

namespace Bandejo.Contract.Api;

/// <summary>Devices were asked to check in.</summary>
/// <param name="Asked">How many.</param>
/// <param name="Listening">How many of them listen and come at once; the others come at their usual times.</param>
public sealed record CalledInfo(int Asked, int Listening);

/// <summary>A device in a list.</summary>
/// <param name="Id">Its identity.</param>
/// <param name="Name">Its name.</param>
/// <param name="LastHeard">When it last checked in; null for never since it joined.</param>
/// <param name="Columns">The facts that were asked for by name, in that order; null where none were.</param>
public sealed record DeviceInfo(
    string Id, string Name, string? Kind, string? Site, string? Model, string? Os, DateTimeOffset Joined, DateTimeOffset? LastHeard, int Met, int Unmet,
    bool IsUnsorted, IReadOnlyList<string?>? Columns = null);

/// <summary>A device with all that is known of it.</summary>
public sealed record DeviceDetails(
    DeviceInfo Device, IReadOnlyList<FactInfo> Facts, IReadOnlyList<ProgramInfo> Programs, bool IsInventoryComplete, IReadOnlyList<string> Groups,
    IReadOnlyList<TargetInfo> Targets);

/// <summary>A fact with when it was last reported changed.</summary>
public sealed record FactInfo(string Name, string Value, DateTimeOffset At);

/// <summary>A program on a device.</summary>
/// <param name="Source">Who says so: <c>system</c> for the operating system, <c>receipt</c> for a receipt of ours.</param>
public sealed record ProgramInfo(string Name, string Version, string Source);

/// <summary>Why a device stands where it stands under a deployment.</summary>
/// <param name="Answer">One sentence.</param>
/// <param name="Conditions">Each step of the reasoning, in order, with what the device has.</param>
public sealed record WhyInfo(
    string Device, string Deployment, string Answer, IReadOnlyList<string> Conditions, TargetInfo? Target, IReadOnlyList<AttemptInfo> Attempts);

/// <summary>Asks for a join code.</summary>
/// <param name="Group">The slug of a listed group in which the device lands; null leaves it unsorted.</param>
/// <param name="Uses">How many devices may join with it, 1 to 10,000.</param>
/// <param name="Hours">How long it is good, 1 to 720.</param>
[JsonUnmappedMemberHandling(JsonUnmappedMemberHandling.Disallow)]
public sealed record JoinCodeRequest(string? Group = null, int Uses = 1, int Hours = 24);

/// <summary>A join code. Its text is given once, when it is made.</summary>
public sealed record JoinCodeInfo(string Id, string? Code, string? Group, int UsesLeft, DateTimeOffset Expires, string By);

/// <summary>A new group, or the whole of a changed one.</summary>
/// <param name="Slug">Lower-case letters, digits and hyphens.</param>
/// <param name="Name">For people.</param>
/// <param name="Rule">The rule of a rule group; null for a listed group.</param>
/// <param name="IsForTesting">Packages that are not released may reach it.</param>
[JsonUnmappedMemberHandling(JsonUnmappedMemberHandling.Disallow)]
public sealed record GroupRequest(
    [property: Limits(Text = 64)] string Slug, [property: Limits(Text = ApiLimits.MaxName)] string Name, string? Rule = null, bool IsForTesting = false);

/// <summary>Asks what a mark for testing opens, or what taking it away leaves.</summary>
/// <param name="Group">The group; null for one that is not made yet.</param>
/// <param name="Rule">The rule that it is to have; null for as it is.</param>
/// <param name="IsForTesting">Whether it is to be marked.</param>
[JsonUnmappedMemberHandling(JsonUnmappedMemberHandling.Disallow)]
public sealed record TestingRequest([property: Limits(Text = 64)] string? Group, string? Rule = null, bool IsForTesting = true);

/// <summary>What comes of a mark for testing.</summary>
/// <param name="Devices">How many devices are in the group.</param>
public sealed record TestingPreview(int Devices, string Says);

/// <summary>A group.</summary>
/// <param name="Kind">listed or rule.</param>
/// <param name="Devices">How many are certainly in it.</param>
/// <param name="NotKnown">For how many the rule is not known yet.</param>
/// <param name="Unreadable">Why this version of the service cannot read the rule, which an earlier one took; null where it can.</param>
/// <param name="Calendars">The calendars that rule its devices, by their short names; null for none.</param>
/// <param name="Fetch">How its devices fetch files, as a sentence; null for nothing said.</param>
public sealed record GroupInfo(
    string Slug, string Name, string Kind, string? Rule, bool IsForTesting, int Devices, int NotKnown, int Revision, string? Unreadable = null,
    IReadOnlyList<string>? Calendars = null, string? Fetch = null);

/// <summary>Who was asked to wake a device.</summary>
/// <param name="By">The names of its neighbours.</param>
public sealed record WokenInfo(IReadOnlyList<string> By);

/// <summary>How the devices of a group fetch files.</summary>
/// <param name="Fetch">Such as <c>at most 500 kB/s Mon-Fri 08:00-18:00; not Sat</c>, by the clocks of each device; null for nothing said.</param>
[JsonUnmappedMemberHandling(JsonUnmappedMemberHandling.Disallow)]
public sealed record GroupFetchRequest([property: Limits(Text = 400)] string? Fetch = null);

/// <summary>Puts several devices into a listed group at once, or takes them out.</summary>
/// <param name="Devices">Names or identities, 1 to 1,000. One that is not there refuses them all.</param>
/// <param name="IsIn">Whether they come in; false takes them out.</param>
[JsonUnmappedMemberHandling(JsonUnmappedMemberHandling.Disallow)]
public sealed record MembersRequest([property: Limits(Items = 200_000)] IReadOnlyList<string> Devices, bool IsIn = true);

/// <summary>Devices that are to be put into a group, or taken out of it.</summary>
/// <param name="Devices">Names or identities.</param>
/// <param name="IsIn">Whether they are put in.</param>
[JsonUnmappedMemberHandling(JsonUnmappedMemberHandling.Disallow)]
public sealed record MembersPreviewRequest([property: Limits(Items = 200_000)] IReadOnlyList<string> Devices, bool IsIn = true);

/// <summary>What putting devices into a group, or taking them out, starts and stops.</summary>
/// <param name="Devices">How many come in or go out.</param>
/// <param name="Deployments">How many deployments under way it concerns.</param>
/// <param name="Says">It in words.</param>
public sealed record MembersPreview(int Devices, int Deployments, string Says);

/// <summary>Asks which devices a rule holds for.</summary>
[JsonUnmappedMemberHandling(JsonUnmappedMemberHandling.Disallow)]
public sealed record RuleRequest(string Rule);

/// <summary>Which devices a rule holds for.</summary>
/// <param name="Rule">The rule in its normal form.</param>
/// <param name="Sample">Up to 20 devices it holds for, with why.</param>
/// <param name="NotKnownSample">Up to 20 for which it is not known, with why.</param>
public sealed record RulePreview(string Rule, int Devices, int NotKnown, int All, IReadOnlyList<SampleInfo> Sample, IReadOnlyList<SampleInfo> NotKnownSample);

/// <summary>What is wrong with a rule, for whoever is just writing it.</summary>
/// <param name="Rule">The rule in its normal form; null where there are errors.</param>
/// <param name="Findings">Each error with its place.</param>
public sealed record RuleCheck(string? Rule, IReadOnlyList<FindingInfo> Findings);

/// <summary>A device and the reason.</summary>
public sealed record SampleInfo(string Device, string Why);
