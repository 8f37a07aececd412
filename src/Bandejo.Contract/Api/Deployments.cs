using System.Text.Json.Serialization;

namespace Bandejo.Contract.Api;

/// <summary>Asks for a deployment, or for its preview.</summary>
/// <param name="Name">For people; null makes one from package and wish.</param>
/// <param name="Package">A digest (or its first 8 or more characters), or <c>app version</c>, or an app's slug for its newest released package.</param>
/// <param name="Wish">have, gone or choice.</param>
/// <param name="Groups">Slugs of the groups that it reaches.</param>
/// <param name="Except">Slugs of the groups left out.</param>
/// <param name="Waves">At least one; the last has no gate.</param>
/// <param name="Halt">A halt rule such as <c>10 % failed of at least 5</c>; null for the default.</param>
/// <param name="RollBackOnHalt">Whether a halt rolls everything back by itself.</param>
/// <param name="Deadline">The moment after which unmet devices are late.</param>
/// <param name="Tries">Tries in all, 1 to 20.</param>
/// <param name="RetryPause">The time before the second try, such as <c>15m</c>.</param>
/// <param name="Lease">How long a device may start it unheard, such as <c>1d</c>.</param>
/// <param name="Priority">The stronger of several for one app.</param>
/// <param name="AllowDowngrade">May replace a newer version.</param>
/// <param name="Settings">Values of the package's settings, over its defaults and the preset.</param>
/// <param name="Preset">A preset of the package; null for none.</param>
/// <param name="Handling">A kept handling, in the place of the one that the app has; <c>none</c> for as the package has it, null for the app's.</param>
/// <param name="Salt">What waves draw their devices by, where they pick a count or a share; null takes it of what is asked for, so that the start takes the
/// devices that its preview named. Another word draws others.</param>
/// <param name="EndWhenReplaced">Ends by itself once another deployment of the same app and groups has wholly taken its place.</param>
/// <param name="Calendars">Calendars of its own, by name: their windows narrow those of its devices, never widen them; their freezes hold besides.</param>
/// <param name="AfterDeadline">What the deadline does to devices that are unmet: <c>late</c> counts them as late and nothing else, <c>start</c> lets them start
/// outside their windows too, <c>close</c> closes programs in the way as well. Whoever is signed in is told before; a freeze holds even then.</param>
/// <param name="Restart">When devices that need a restart for it are restarted, such as
/// <c>in the next window, left to people while somebody is signed in, at the latest after 3 d</c>, or
/// <c>with the install</c>; null leaves it to people.</param>
/// <param name="StartWhen">What must be so on a device when it is started there: <c>at any time</c>, <c>with nobody signed in</c>,
/// <c>with somebody signed in</c> or <c>at system start before anybody signs in</c>, each also <c>, on mains power</c>; null for at any time.</param>
/// <param name="Fetch">How its files are fetched, such as <c>at most 500 kB/s Mon-Fri 08:00-18:00; 5 of a site at once; over metered links too</c>; what the
/// groups of a device say holds besides. Null for as fast as it goes, but not over a metered link.</param>
/// <param name="Wake">Whether devices that sleep are woken when their window opens, by neighbours at their site.</param>
/// <param name="AtOnce">How many devices of a site are changed at once, such as <c>3 of a site</c>; null for any number.</param>
/// <param name="Notice">So long before something starts for its deadline alone, or programs are closed, whoever is signed in is told: between <c>1 min</c> and
/// <c>24 h</c>; null for <c>15 min</c>. A device that was off tells it when it comes on, and starts so much later.</param>
[JsonUnmappedMemberHandling(JsonUnmappedMemberHandling.Disallow)]
public sealed record DeploymentRequest(
    string Package,
    [property: Limits(Items = 200, Text = ApiLimits.MaxName)] IReadOnlyList<string> Groups,
    [property: Limits(Items = 100)] IReadOnlyList<WaveRequest> Waves,
    [property: Limits(Text = ApiLimits.MaxName)] string? Name = null,
    string Wish = "have",
    [property: Limits(Items = 200, Text = ApiLimits.MaxName)] IReadOnlyList<string>? Except = null,
    string? Halt = null,
    bool RollBackOnHalt = false,
    DateTimeOffset? Deadline = null,
    int Tries = 3,
    string? RetryPause = null,
    string? Lease = null,
    int Priority = 0,
    bool AllowDowngrade = false,
    IReadOnlyDictionary<string, string>? Settings = null,
    string? Preset = null,
    [property: Limits(Text = 64)] string? Handling = null,
    [property: Limits(Text = 64)] string? Salt = null,
    bool EndWhenReplaced = false,
    [property: Limits(Items = 64, Text = ApiLimits.MaxName)] IReadOnlyList<string>? Calendars = null,
    [property: Limits(Text = 20)] string AfterDeadline = "late",
    [property: Limits(Text = 200)] string? Restart = null,
    [property: Limits(Text = 200)] string? StartWhen = null,
    [property: Limits(Text = 400)] string? Fetch = null,
    [property: Limits(Text = 40)] string? AtOnce = null,
    bool Wake = false,
    [property: Limits(Text = 20)] string? Notice = null);

/// <summary>A wave.</summary>
/// <param name="Name">For people.</param>
/// <param name="Pick"><c>group NAME</c>, <c>12 devices</c>, <c>20 %</c> or <c>everyone else</c>.</param>
/// <param name="Gate">Such as <c>95 % met for 2 d, then approval</c>; none for the last wave.</param>
/// <param name="OpensAt">The earliest moment at which it opens.</param>
/// <param name="Hours">The hours in which it opens, such as <c>Mon-Thu 08:00-16:00 in Europe/Lisbon</c>, by UTC where no zone is named; null for any.</param>
/// <param name="Deadline">When its devices are late, in the place of the deployment's deadline: <c>3 d after it opens</c>,
/// <c>2026-12-20 18:00 in Europe/Lisbon</c>, or <c>2026-12-20 18:00</c> by each device's own clocks; null for as the deployment says.</param>
[JsonUnmappedMemberHandling(JsonUnmappedMemberHandling.Disallow)]
public sealed record WaveRequest(
    [property: Limits(Text = ApiLimits.MaxName)] string Name, string Pick, [property: Limits(Text = 500)] string? Gate = null, DateTimeOffset? OpensAt = null,
    [property: Limits(Text = 400)] string? Hours = null, [property: Limits(Text = 100)] string? Deadline = null);

/// <summary>Who would be reached, who not and why, before anything is saved.</summary>
/// <param name="CanStart">False where a finding stands against it.</param>
/// <param name="Findings">What stands against it, and what a person should read.</param>
/// <param name="Reached">Devices that would get an order, or have already what it asks for.</param>
/// <param name="Effects">How many by effect.</param>
/// <param name="Wish"><c>have</c>, <c>gone</c> or <c>choice</c>.</param>
/// <param name="Out">Devices of the groups that are not reached, by reason.</param>
/// <param name="Spread">Reached devices by kind and model.</param>
/// <param name="Chosen">All that was chosen, or stands as it is unless chosen.</param>
/// <param name="Hours">When the devices that it would change may start, those that wait for the same together; null where no calendar rules them.</param>
public sealed record DeploymentPreview(
    string Name, string Package, bool CanStart, IReadOnlyList<FindingInfo> Findings, int Reached, IReadOnlyList<WavePreview> Waves,
    IReadOnlyList<EffectInfo> Effects, IReadOnlyList<OutInfo> Out, IReadOnlyList<CountInfo> Spread, IReadOnlyList<ChosenInfo> Chosen, string Wish,
    IReadOnlyList<HoursInfo>? Hours = null);

/// <summary>When devices may start, by their calendars.</summary>
/// <param name="Devices">How many wait for the same.</param>
/// <param name="Says">For what they wait, or why they may start, in words.</param>
/// <param name="Why">The same as data.</param>
/// <param name="IsOpen">They may start at once.</param>
/// <param name="Next">When they may start; where they may, when they may not any more; null where that is not known, or never.</param>
public sealed record HoursInfo(int Devices, string Says, ReasonInfo Why, bool IsOpen, DateTimeOffset? Next, IReadOnlyList<string> Sample);

/// <summary>How many devices a deployment would have one effect on.</summary>
/// <param name="Code"><c>enter</c>, <c>upgrade</c>, <c>downgrade</c>, <c>leave</c>, <c>offered</c>, <c>has-it</c>, <c>has-newer</c>, <c>has-none</c> or
/// <c>not-known</c>.</param>
/// <param name="Name">The same for people.</param>
public sealed record EffectInfo(string Code, string Name, int Count);

/// <summary>A wave before the start.</summary>
/// <param name="Devices">How many it picks.</param>
/// <param name="Counted">How many of them its gate would count.</param>
/// <param name="Arithmetic">What the gate comes to, in words.</param>
/// <param name="OpensAt">The earliest moment at which it opens.</param>
/// <param name="Hours">The hours in which it opens; null for any.</param>
/// <param name="Deadline">When its devices are late, as it was asked for; null for as the deployment says.</param>
public sealed record WavePreview(
    string Name, string Pick, int Devices, int Counted, string? Gate, string? Arithmetic, IReadOnlyList<string> Sample, DateTimeOffset? OpensAt,
    string? Hours = null, string? Deadline = null);

/// <summary>One thing that a deployment was asked for.</summary>
/// <param name="Name">wish, priority, deadline, halt, on-halt, tries, lease, downgrade, preset or settings.</param>
/// <param name="Value">In words; instants in UTC.</param>
/// <param name="IsUsual">It is as it stands unless chosen.</param>
public sealed record ChosenInfo(string Name, string Value, bool IsUsual);

/// <summary>A reason for being out, with how many and a few of them.</summary>
public sealed record OutInfo(string Reason, int Count, IReadOnlyList<string> Sample);

/// <summary>A deployment in a list.</summary>
/// <param name="Status">running, paused, halted, rolling-back, standing or ended.</param>
/// <param name="Sentence">Where it stands and what happens next.</param>
/// <param name="Lead">The beginning of the sentence, to be seen first.</param>
/// <param name="States">How many targets are in each state.</param>
public sealed record DeploymentInfo(
    string Id, string Name, string App, string Version, string Package, string Wish, string Status, string Sentence, string Lead, string StartedBy,
    DateTimeOffset StartedAt, DateTimeOffset? Deadline, ComplianceInfo Compliance, IReadOnlyList<CountInfo> States, IReadOnlyList<WaveInfo> Waves,
    int Revision);

/// <summary>A wave of a running deployment.</summary>
/// <param name="Needed">How many its gate needs of <paramref name="Bottom"/>.</param>
/// <param name="Met">How many of them are met.</param>
/// <param name="SoakUntil">When the soak ends if the count holds.</param>
/// <param name="Harms">Harm reports.</param>
/// <param name="ReachedAt">Since when the gate's count holds.</param>
/// <param name="NeedsApproval">The gate asks for somebody's approval.</param>
/// <param name="OpensAt">While it is closed: when it may open at the earliest, as its time and its hours have it; null where it may at once.</param>
/// <param name="Hours">The hours in which it opens; null for any.</param>
/// <param name="State">closed, open, soaking, wants-approval or passed.</param>
/// <param name="Deadline">When its devices are late, as it was asked for; null for as the deployment says.</param>
/// <param name="Due">The moment of its deadline, by each device's own clocks the last; null where it has none, or counts from an opening that is ahead.</param>
public sealed record WaveInfo(
    string Name, string Pick, string? Gate, string State, int Devices, int Bottom, int Met, int? Needed, int Failures, int Trials, DateTimeOffset? OpenedAt,
    DateTimeOffset? SoakUntil, DateTimeOffset? PassedAt, DateTimeOffset? OpensAt, int Harms, IReadOnlyList<CountInfo> States, DateTimeOffset? ReachedAt,
    bool NeedsApproval, string? Hours = null, string? Deadline = null, DateTimeOffset? Due = null);

/// <summary>A value that a deployment chose for a setting.</summary>
/// <param name="Value">The value; null where it is secret.</param>
public sealed record SettingValueInfo(string Name, string? Value);

/// <summary>A deployment with what was started and what its failures share.</summary>
/// <param name="Settings">The settings that are not the package's defaults.</param>
/// <param name="Chosen">All that it was started with.</param>
/// <param name="Calendars">The calendars of its own, by their short names.</param>
/// <param name="AfterDeadline"><c>late</c>, <c>start</c> or <c>close</c>.</param>
/// <param name="Restart">When devices that need a restart are restarted, as a sentence.</param>
/// <param name="Hours">For what hours its devices wait now, and for what restarts; empty where none does, and as of a past moment.</param>
/// <param name="Files">How many of the devices that may start wait for something and have its files already; null where none waits with files to fetch.</param>
public sealed record DeploymentDetails(
    DeploymentInfo Deployment, IReadOnlyList<string> Groups, IReadOnlyList<string> Except, string Halt, int Tries, string RetryPause, string Lease,
    int MayStillStart, DateTimeOffset? LeasesEnd, IReadOnlyList<CauseInfo> Causes, IReadOnlyList<HarmInfo> Harms, IReadOnlyList<SettingValueInfo> Settings,
    IReadOnlyList<ChosenInfo> Chosen, IReadOnlyList<string> Calendars, string AfterDeadline, string Restart, IReadOnlyList<HoursInfo> Hours,
    FilesInfo? Files = null);

/// <summary>How many devices have the files of a deployment before they start.</summary>
/// <param name="There">How many have them.</param>
/// <param name="Of">How many hold an order that waits.</param>
/// <param name="Says">It in words.</param>
public sealed record FilesInfo(int There, int Of, string Says);

/// <summary>What an act on a deployment would do.</summary>
/// <param name="Act">pause, resume, approve, advance, halt, roll-back, end or retry.</param>
/// <param name="Devices">How many devices it would concern.</param>
/// <param name="Says">What it would do, with its numbers.</param>
/// <param name="NotPossible">Why it cannot be done now, or not by who asks; null where it can. Roles are not looked at.</param>
public sealed record ActPreview(string Act, int Devices, string Says, string? NotPossible);

/// <summary>A device whose user said that something broke.</summary>
/// <param name="Reports">How many reports came from it.</param>
/// <param name="Text">What the last one said.</param>
public sealed record HarmInfo(string Device, int Reports, string Text);

/// <summary>Failures with the same fingerprint.</summary>
/// <param name="What">Phase, code and message.</param>
/// <param name="SetApart">The facts in which these devices differ from those that did not fail.</param>
public sealed record CauseInfo(string What, int Devices, IReadOnlyList<string> Sample, IReadOnlyList<string> SetApart);

/// <summary>One device under one deployment.</summary>
public sealed record TargetInfo(
    string Deployment, string DeploymentName, string Device, string DeviceName, string App, string Version, string Wish, string State, string Reason,
    string? Wave, int Tries, int MaxTries, DateTimeOffset Since, DateTimeOffset? Next, bool IsLate, string? Before, DateTimeOffset? ProvenAt)
{
    /// <summary>The reason as data: what it is, and what it was said of.</summary>
    public required ReasonInfo Why { get; init; }
}

/// <summary>What became of a target.</summary>
/// <param name="From">The state before; null where it came in.</param>
/// <param name="State">The state from then on; null where it was taken away.</param>
public sealed record TargetStepInfo(
    DateTimeOffset At, string Deployment, string DeploymentName, string? From, string? State, string Reason, string? Wave);

/// <summary>A reason as data; its sentence stands beside it.</summary>
/// <param name="Code">Which: one of a fixed list of names, such as <c>wave-opens-after</c>.</param>
/// <param name="Arguments">What it was said of, in the order that belongs to the code.</param>
/// <param name="Because">The reason behind it; null for none.</param>
public sealed record ReasonInfo(string Code, IReadOnlyList<string> Arguments, ReasonInfo? Because = null);

/// <summary>One try of one target.</summary>
/// <param name="Kind">install, remove or restore.</param>
/// <param name="Outcome">Null while it runs.</param>
public sealed record AttemptInfo(
    string Id, string Deployment, string Device, string DeviceName, string Kind, string Version, DateTimeOffset StartedAt, DateTimeOffset? EndedAt,
    string? Outcome, string Phase, int? ExitCode, string Message, bool HasLog);

/// <summary>Asks for another try.</summary>
/// <param name="Devices">Names or identities; null for all that failed or are lost.</param>
[JsonUnmappedMemberHandling(JsonUnmappedMemberHandling.Disallow)]
public sealed record RetryRequest(
    [property: Limits(Items = 200_000)] IReadOnlyList<string>? Devices = null, [property: Limits(Text = ApiLimits.MaxReason)] string? Reason = null);

/// <summary>Asks for a roll back, or for what it would come to.</summary>
/// <param name="Devices">Names or identities; null for all that the deployment changed.</param>
/// <param name="Wave">Only this wave, instead of devices.</param>
/// <param name="PauseOthers">Pauses the deployments that would put there again what is taken back.</param>
[JsonUnmappedMemberHandling(JsonUnmappedMemberHandling.Disallow)]
public sealed record RollBackRequest(
    [property: Limits(Text = ApiLimits.MaxReason)] string? Reason = null,
    [property: Limits(Items = 200_000)] IReadOnlyList<string>? Devices = null,
    [property: Limits(Text = ApiLimits.MaxName)] string? Wave = null,
    bool PauseOthers = false);

/// <summary>What a roll back would come to.</summary>
/// <param name="Devices">How many go back.</param>
/// <param name="Says">All of it, with its numbers.</param>
/// <param name="NotPossible">Why it cannot be done; null where it can. Roles are not looked at.</param>
/// <param name="Parts">Who goes back to what, and who cannot and why.</param>
/// <param name="Again">Deployments that would put there again what is taken back.</param>
/// <param name="Revision">The deployment's revision of which this is true.</param>
public sealed record RollBackPreview(
    int Devices, string Says, string? NotPossible, IReadOnlyList<RollBackPart> Parts, IReadOnlyList<RollBackRival> Again, int Revision);

/// <summary>What happens to some of the devices of a roll back.</summary>
/// <param name="Kind">goes, after-work, on-its-way, back, impossible or untouched.</param>
/// <param name="Says">With their number.</param>
/// <param name="Sample">A few of their names.</param>
public sealed record RollBackPart(string Kind, int Devices, string Says, IReadOnlyList<string> Sample);

/// <summary>A deployment that would undo a roll back.</summary>
/// <param name="Devices">On how many of the devices that go back.</param>
public sealed record RollBackRival(string Deployment, string Name, int Devices, string Says);

/// <summary>How many it concerned.</summary>
/// <param name="Devices">How many.</param>
/// <param name="Deployment">How it stands then.</param>
public sealed record ActAnswer(int Devices, DeploymentInfo Deployment)
{
    /// <summary>Of a retry: whom it was not set for, by reason; null or empty where it was for all.</summary>
    public IReadOnlyList<OutInfo>? Not { get; init; }
}

/// <summary>A line of the journal or the audit trail.</summary>
/// <param name="Number">Rises by one; readers go on from the last they saw.</param>
/// <param name="Topic">journal, target, audit, device, package or group.</param>
/// <param name="By">A person's account, a device's name, or null for the service itself.</param>
public sealed record EventInfo(
    long Number, DateTimeOffset At, string Topic, string What, string? By, string? Deployment, string? Device, string Text, string? Reason);

/// <summary>Counts of compliance; late is part of unmet and unknown.</summary>
public sealed record ComplianceInfo(int Met, int Unmet, int Late, int NotNeeded, int Unknown, int LateUnknown, int LeftOut, int Bottom);

/// <summary>Compliance of one thing.</summary>
/// <param name="By">fleet, app, group or deployment.</param>
public sealed record ComplianceRow(string By, string Id, string Name, ComplianceInfo Counts);
