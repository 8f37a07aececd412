namespace Bandejo.Contract.Device;

/// <summary>The device protocol: its version, paths and limits. See docs/design/protocol.md.</summary>
public static class DeviceProtocol
{
    /// <summary>The version that this code speaks.</summary>
    public const int Version = 1;

    /// <summary>What all paths begin with.</summary>
    public const string Prefix = "/device/v1";

    /// <summary>The largest check-in or join, in bytes.</summary>
    public const int MaxMessage = 4 * 1024 * 1024;

    /// <summary>The most facts and programs that a message may list; fewer of them are taken.</summary>
    public const int MaxListed = 250_000;

    /// <summary>The most things that a device waits for, as it tells them.</summary>
    public const int MaxWaits = 500;

    /// <summary>The most calendars that rule a device, its own and those of its orders.</summary>
    public const int MaxCalendars = 64;

    /// <summary>The most times of all of them.</summary>
    public const int MaxTimes = 50_000;

    /// <summary>An agent that says so holds calendars, and starts nothing outside of what they allow or without room before they close.</summary>
    public const string CanHoldCalendars = "calendars";

    /// <summary>An agent that says so fetches ahead, within what limits that, and wakes its neighbours.</summary>
    public const string CanFetchAhead = "fetching";

    /// <summary>An agent that says so tells whoever is signed in before it starts something for its deadline alone, and closes programs after that.</summary>
    public const string CanGiveNotice = "notice";

    /// <summary>The longest that whoever is signed in is told before, in seconds.</summary>
    public const int MaxNotice = 24 * 3600;

    /// <summary>The largest answer to a device that is not content, in bytes.</summary>
    public const int MaxAnswer = 8 * 1024 * 1024;

    /// <summary>The largest log of one attempt, in bytes.</summary>
    public const int MaxLog = 4 * 1024 * 1024;

    /// <summary>The longest an assertion may be good, in seconds.</summary>
    public const int MaxAssertionAge = 300;

    /// <summary>The audience of assertions.</summary>
    public const string Audience = "bandejo-device";
}

/// <summary>A P-256 public key (RFC 7517) with its RFC 7638 thumbprint as identity.</summary>
public sealed record PublicKeyInfo(string KeyId, string X, string Y);

/// <summary>A device asks to enrol.</summary>
/// <param name="Protocol">The version it speaks.</param>
/// <param name="Code">The join code.</param>
/// <param name="Key">Its own public key; the private one never leaves the device.</param>
/// <param name="Name">The name it would like; the service may add to it.</param>
/// <param name="Facts">Its first facts.</param>
public sealed record JoinRequest(int Protocol, string Code, PublicKeyInfo Key, string Name, FactReport Facts);

/// <summary>A device is enrolled. The same request sent again gets the same answer.</summary>
/// <param name="CheckInSeconds">The interval between check-ins.</param>
public sealed record JoinAnswer(string DeviceId, string Name, IReadOnlyList<PublicKeyInfo> TrustedKeys, int CheckInSeconds);

/// <summary>Asks for a token with a signed assertion (RFC 7523).</summary>
public sealed record DeviceTokenRequest(string Assertion);

/// <summary>A short-lived token.</summary>
/// <param name="ExpiresIn">Seconds.</param>
public sealed record DeviceTokenAnswer(string AccessToken, int ExpiresIn);

/// <summary>Facts in the form of <c>FactValue.Read</c>, and the programs the operating system and the agent know of.</summary>
/// <param name="Facts">Name to value.</param>
/// <param name="Programs">The complete list, or null where it could not be taken.</param>
public sealed record FactReport(
    [property: Limits(Items = DeviceProtocol.MaxListed)] IReadOnlyDictionary<string, string> Facts,
    [property: Limits(Items = DeviceProtocol.MaxListed)] IReadOnlyList<ProgramReport>? Programs);

/// <summary>A program on the device.</summary>
/// <param name="Source"><c>system</c> or <c>receipt</c>.</param>
public sealed record ProgramReport(string Name, string Version, string Source);

/// <summary>One check-in.</summary>
/// <param name="Sequence">Rises with every new check-in; one that was answered already is answered again, an older one is refused.</param>
/// <param name="FactsDigest">SHA-256 of the facts in their canonical form; tells the service whether it has them.</param>
/// <param name="Facts">The facts, where they changed since the last answer.</param>
/// <param name="OrdersTag">The tag of the orders the device holds.</param>
/// <param name="Proofs">Presence proofs that are new or due again.</param>
/// <param name="Attempts">What became of attempts and is not acknowledged yet.</param>
/// <param name="Said">What the device's user said and is not acknowledged yet.</param>
/// <param name="TrustTag">The tag of the authorities that the device believes; null where it speaks without TLS.</param>
/// <param name="Waits">What keeps it from starting orders that may start; told as long as it does, null where nothing does.</param>
/// <param name="Can">What its agent can do beyond the first of this version (<see cref="DeviceProtocol.CanHoldCalendars"/> …); null for nothing.</param>
/// <param name="CalendarsTag">The tag of the calendars that it holds; null for none.</param>
/// <param name="Fetched">The deployments whose orders wait to be started and whose files it has; null for none.</param>
public sealed record CheckInRequest(
    long Sequence, string FactsDigest, FactReport? Facts, string OrdersTag, IReadOnlyList<ProofReport> Proofs, IReadOnlyList<AttemptReport> Attempts,
    IReadOnlyList<UserReport>? Said = null, string? TrustTag = null,
    [property: Limits(Items = DeviceProtocol.MaxWaits)] IReadOnlyList<WaitReport>? Waits = null,
    [property: Limits(Items = 50, Text = 50)] IReadOnlyList<string>? Can = null, [property: Limits(Text = 100)] string? CalendarsTag = null,
    [property: Limits(Items = DeviceProtocol.MaxWaits, Text = 100)] IReadOnlyList<string>? Fetched = null);

/// <summary>An order that could start and waits on the device.</summary>
/// <param name="Why">For what, for people.</param>
/// <param name="Until">Until when a calendar keeps it from starting; null for anything else.</param>
public sealed record WaitReport(string Deployment, [property: Limits(Text = 200)] string Why, DateTimeOffset? Until = null);

/// <summary>Word of the device's user: something is taken from the shelf, or something broke.</summary>
/// <param name="Id">Its identity, made by the device; acknowledged as <c>id/said</c>.</param>
/// <param name="Kind"><c>take</c> or <c>harm</c>.</param>
/// <param name="App">The app it is about.</param>
/// <param name="Text">What the user wrote; empty for taking.</param>
public sealed record UserReport(string Id, string Kind, string App, string Text, DateTimeOffset At);

/// <summary>What the presence checks of an order said.</summary>
/// <param name="Answer">not-known, absent, older, different (there, with other settings), present or newer.</param>
public sealed record ProofReport(string Deployment, int Order, string Answer, string? Version, string Why, DateTimeOffset At);

/// <summary>The beginning or the end of an attempt. <paramref name="Id"/> and <paramref name="HasEnded"/> together name the report.</summary>
/// <param name="Id">The attempt's identity, made by the device.</param>
/// <param name="Outcome">done, restart, busy, prerequisites, refused, failed, no-proof, timed-out, stuck, not-fetched, bad-signature, withdrawn, interrupted;
/// null at the beginning.</param>
/// <param name="Phase">Where it ended: fetch, verify, check, close, replace, run, prove, restart, put-back.</param>
/// <param name="Before">The version that was there before; empty for none, null for not known.</param>
/// <param name="BeforePackage">The package that was there before, where it was ours.</param>
/// <param name="Proof">What was proven at the end.</param>
/// <param name="Steps">Of a trial that ended, its steps; null otherwise.</param>
public sealed record AttemptReport(
    string Id, string Deployment, int Order, bool HasEnded, string Kind, DateTimeOffset StartedAt, DateTimeOffset? EndedAt, string? Outcome, string Phase,
    int? ExitCode, string Message, string? Before, string? BeforePackage, ProofReport? Proof, bool HasLog, IReadOnlyList<Api.TrialStepInfo>? Steps = null);

/// <summary>The answer to a check-in.</summary>
/// <param name="Acknowledged">Reports that are safely kept (<c>id/began</c>, <c>id/ended</c>, <c>id/said</c>).</param>
/// <param name="WantsFacts">The service lacks the facts behind the digest.</param>
/// <param name="Orders">The whole of the orders, where the tag differed; their leases run from this answer.</param>
/// <param name="OrdersTag">The tag of the orders that are in force.</param>
/// <param name="NextSeconds">When to check in again, if nothing happens before.</param>
/// <param name="Withdrawn">A JWS over the list of withdrawn packages, where it changed with the tag.</param>
/// <param name="Trust">Whom the device shall believe from now on to be this service, where it said another tag.</param>
/// <param name="LeftOut">Facts of this check-in that were not taken, and why; null where all were.</param>
/// <param name="Calendars">A JWS over the calendars that rule the device (<see cref="CalendarsContent"/>), where it said another tag.</param>
/// <param name="Wake">Network addresses of neighbours that sleep: it sends each a packet that wakes, once; with the orders.</param>
public sealed record CheckInAnswer(
    IReadOnlyList<string> Acknowledged, bool WantsFacts, IReadOnlyList<Order>? Orders, string OrdersTag, int NextSeconds,
    [property: Limits(Text = DeviceProtocol.MaxAnswer)] string? Withdrawn, TrustInfo? Trust = null, IReadOnlyList<string>? LeftOut = null,
    [property: Limits(Text = DeviceProtocol.MaxAnswer)] string? Calendars = null,
    [property: Limits(Items = 50, Text = 17)] IReadOnlyList<string>? Wake = null);

/// <summary>The authorities that stand for a service.</summary>
/// <param name="Tag">Names them all.</param>
/// <param name="Authorities">Each; at least one.</param>
public sealed record TrustInfo(string Tag, [property: Limits(Items = 20)] IReadOnlyList<AuthorityInfo> Authorities);

/// <summary>An authority that stands for a service.</summary>
/// <param name="Name">How it is told from any other; see docs/design/protocol.md.</param>
/// <param name="Certificate">Its certificate (PEM, RFC 7468).</param>
public sealed record AuthorityInfo(string Name, [property: Limits(Text = 16 * 1024)] string Certificate);

/// <summary>What a device is to bring about or keep an eye on.</summary>
/// <param name="Deployment">The deployment's identity.</param>
/// <param name="Number">Rises when another try or another thing is asked for.</param>
/// <param name="Kind"><c>install</c>, <c>remove</c>, <c>restore</c>, <c>offer</c> for what the user may take, or <c>trial</c>.</param>
/// <param name="MayStart">False: only look whether it is there.</param>
/// <param name="Package">The package it is about.</param>
/// <param name="Variant">Which variant.</param>
/// <param name="Previous">For <c>restore</c>: the package to put back; for <c>trial</c>: the version to upgrade from; null for nothing.</param>
/// <param name="LeaseSeconds">How long it may be started without hearing from the service again.</param>
/// <param name="Deadline">When unmet is late.</param>
/// <param name="AllowDowngrade">May replace a newer version.</param>
/// <param name="Tries">Tries in all for this number.</param>
/// <param name="RetryPauseSeconds">The pause before the second try; it doubles each time.</param>
/// <param name="RetryLongestSeconds">The longest pause.</param>
/// <param name="Settings">Values of the package's settings that are not its defaults; null for none.</param>
/// <param name="Handling">How it is handled in the place of what the package says; null for as it says.</param>
/// <param name="Calendars">The calendars that it must hold to start this: those of the device and those of the deployment; null for none.</param>
/// <param name="AtDeadline">Once the deadline has passed it starts outside the windows too; a freeze holds even then.</param>
/// <param name="AtOnce">It waits for no window: the device's user wants it. A freeze holds even then.</param>
/// <param name="TakesSeconds">How long it is expected to take: so long it must still be open when it is started.</param>
/// <param name="Restart">When the device is restarted, where it needs that; null for never by the agent.</param>
/// <param name="Start">What must be so when it is started; null for nothing.</param>
/// <param name="ResetsAt">When in each day the device is reset, <c>HH:mm</c> by its own clocks: it starts only after that within a window. Null for
/// never.</param>
/// <param name="Fetch">How its files are fetched, each as a sentence (docs/design/protocol.md); null for as fast as it goes, but over no metered link.</param>
/// <param name="FetchesLater">Others of its site fetch first: it fetches none of its files, and starts only where they are there.</param>
/// <param name="NoticeSeconds">Where it starts for its deadline alone, or closes programs after it: so long before whoever is signed in is told. 0 for not at
/// all.</param>
/// <param name="ClosesPrograms">Before the deadline it waits for programs that it would have to close. Once it has passed they are closed, and what does not
/// close is ended.</param>
public sealed record Order(
    string Deployment, int Number, string Kind, bool MayStart, PackageLink Package, string Variant, PackageLink? Previous, int LeaseSeconds,
    DateTimeOffset? Deadline, bool AllowDowngrade, int Tries, int RetryPauseSeconds, int RetryLongestSeconds, IReadOnlyDictionary<string,
    string>? Settings = null, OrderHandling? Handling = null,
    [property: Limits(Items = DeviceProtocol.MaxCalendars, Text = 100)] IReadOnlyList<string>? Calendars = null, bool AtDeadline = false, bool AtOnce = false,
    int TakesSeconds = 0, OrderRestart? Restart = null,
    OrderStart? Start = null, [property: Limits(Text = 5)] string? ResetsAt = null,
    [property: Limits(Items = DeviceProtocol.MaxCalendars, Text = 400)] IReadOnlyList<string>? Fetch = null, bool FetchesLater = false,
    int NoticeSeconds = 0, bool ClosesPrograms = false);

/// <summary>What must be so on the device when an order is started; until it is, the device waits, which is no try.</summary>
/// <param name="With"><c>anybody</c>, <c>nobody</c>, <c>somebody</c> or <c>system-start</c>.</param>
/// <param name="OnMains">It runs on mains power.</param>
public sealed record OrderStart([property: Limits(Text = 20)] string With, bool OnMains);

/// <summary>When the device is restarted, where this order needs it.</summary>
/// <param name="When">Where nobody is signed in: <c>never</c> (by the agent), <c>in-window</c> or <c>with-install</c>.</param>
/// <param name="WhileSignedIn">The same where somebody is.</param>
/// <param name="AfterSeconds">So long after it was first needed it comes all the same; null for never.</param>
public sealed record OrderRestart([property: Limits(Text = 20)] string When, [property: Limits(Text = 20)] string WhileSignedIn, int? AfterSeconds);

/// <summary>How an attempt behaves in the place of what its package says. It names nothing that is deleted or read: that only a sealed package may.</summary>
/// <param name="NobodySignedIn">Whether it waits until nobody is signed in; null as the package has it.</param>
/// <param name="LowPriority">Whether it yields; null as the package has it.</param>
/// <param name="Restart">as-told, always or never; null as the package has it.</param>
/// <param name="KeepsAll">Nothing is deleted after it was taken away.</param>
/// <param name="Close">Programs that are closed as well.</param>
public sealed record OrderHandling(
    bool? NobodySignedIn, bool? LowPriority, string? Restart, bool KeepsAll, [property: Limits(Items = 50, Text = 200)] IReadOnlyList<string>? Close);

/// <summary>A package as an order names it.</summary>
/// <param name="Digest">SHA-256 of its document.</param>
/// <param name="Seal">The service's JWS over digest, app and version.</param>
public sealed record PackageLink(string Digest, string App, string Version, string Seal);

/// <summary>What the seal of a package says.</summary>
public sealed record SealContent(string Use, string Digest, string App, string Version);

/// <summary>What the list of withdrawn packages says.</summary>
/// <param name="Serial">Rises with each change; a device keeps the highest.</param>
public sealed record WithdrawnContent(string Use, long Serial, [property: Limits(Items = 100_000)] IReadOnlyList<string> Digests);

/// <summary>What is signed of the calendars that rule a device. It holds them for as long as they are good, whether it hears from the service or not.</summary>
/// <param name="Tag">Names this very set; empty for none.</param>
/// <param name="At">When it was made; a device never goes back to an earlier one.</param>
/// <param name="GoodUntil">Nothing is known of them from then on, and nothing starts.</param>
public sealed record CalendarsContent(
    string Use, string Tag, DateTimeOffset At, DateTimeOffset GoodUntil,
    [property: Limits(Items = DeviceProtocol.MaxCalendars)] IReadOnlyList<DeviceCalendar> Calendars);

/// <summary>A calendar as a device holds it, its times laid out ahead.</summary>
/// <param name="Id">Its short name.</param>
/// <param name="IsFreeze">Nothing starts in its times; otherwise starts are in its times alone.</param>
/// <param name="RulesAll">It rules whatever the device is to do; otherwise only orders that name it.</param>
/// <param name="Own">
/// Times by the device's own clocks, as intervals of ISO 8601 without a zone: <c>2026-12-04T20:00:00/2026-12-04T23:00:00</c>, or with how long it lasts,
/// <c>2026-12-04T22:00:00/PT21600S</c>.
/// </param>
/// <param name="Fixed">Times as intervals of instants: <c>2026-12-04T20:00:00Z/2026-12-04T23:00:00Z</c>.</param>
public sealed record DeviceCalendar(
    [property: Limits(Text = 100)] string Id, [property: Limits(Text = 200)] string Name, bool IsFreeze, bool RulesAll,
    [property: Limits(Items = DeviceProtocol.MaxTimes, Text = 60)] IReadOnlyList<string> Own,
    [property: Limits(Items = DeviceProtocol.MaxTimes, Text = 60)] IReadOnlyList<string> Fixed);
