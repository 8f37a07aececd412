using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.Packages;

namespace Bandejo.Core.World;

/// <summary>An account as it is kept.</summary>
public sealed record AccountRecord(
    string Account, string Name, string PasswordHash, IReadOnlyList<string> Roles, bool IsDisabled, IReadOnlyList<KeyRecord> SigningKeys, int Revision);

/// <summary>A P-256 public key; <paramref name="KeyId"/> is its RFC 7638 thumbprint.</summary>
public sealed record KeyRecord(string KeyId, string X, string Y);

/// <summary>A personal token; only the hash of its secret is kept.</summary>
public sealed record TokenRecord(
    string Id, string Account, string Hash, string Label, DateTimeOffset Created, DateTimeOffset Expires, IReadOnlyList<string>? Roles = null,
    bool IsSession = false);

/// <summary>A join code; only its hash is kept.</summary>
public sealed record JoinCodeRecord(string Id, string Hash, string? Group, int UsesLeft, DateTimeOffset Expires, string MadeBy);

/// <summary>
/// A change that was asked for with a key, so that it is made once however often it is asked for (<c>Idempotency-Key</c>,
/// draft-ietf-httpapi-idempotency-key-header).
/// </summary>
/// <param name="Account">Who asked; each has keys of their own.</param>
/// <param name="Asked">The digest of what was asked for, in hexadecimal.</param>
/// <param name="At">When it was made.</param>
/// <param name="Status">The HTTP status of the answer; null while only the change is kept, and where the answer is not to be kept.</param>
/// <param name="Answer">The body of the answer in UTF-8, empty for none.</param>
public sealed record OnceRecord(string Account, string Key, string Asked, DateTimeOffset At, int? Status = null, string Answer = "");

/// <summary>A device with what it last reported.</summary>
/// <param name="JoinCode">The hash of the code it joined with, so that a repeated join is recognised.</param>
/// <param name="Sheet">Its facts and programs; the words are those of the world's <see cref="WordBook"/>.</param>
/// <param name="Heard">The identities of the last words of its user, so that none counts twice.</param>
/// <param name="IsSorted">Somebody has put it into a listed group; until then it gets nothing.</param>
public sealed record DeviceRecord(
    string Id, string Name, KeyRecord Key, string JoinCode, DateTimeOffset Joined, DateTimeOffset? LastHeard, long Sequence, string FactsDigest,
    FactSheet Sheet, bool IsSorted, IReadOnlyList<string>? Heard = null);

/// <summary>A group; listed where <paramref name="Rule"/> is null.</summary>
public sealed record GroupRecord(string Slug, string Name, string? Rule, bool IsForTesting, int Revision)
{
    /// <summary>The calendars that rule its devices, by their short names with spaces in between; empty for none.</summary>
    public string Calendars { get; init; } = "";

    /// <summary>How its devices fetch files, as <see cref="Deployments.FetchRule"/> is written; null for nothing said.</summary>
    public string? Fetch { get; init; }
}

/// <summary>A calendar.</summary>
/// <param name="IsFreeze">Nothing starts in its times; otherwise devices may be changed in them, and only in them.</param>
/// <param name="Text">The file in which its times stand (RFC 5545).</param>
public sealed record CalendarRecord(string Slug, string Name, bool IsFreeze, string Text, int Revision);

/// <summary>A kept list of waves; <paramref name="Waves"/> is JSON of the request's waves.</summary>
public sealed record WavePlanRecord(string Slug, string Name, string Waves, int Revision);

/// <summary>A handling that is kept by name.</summary>
/// <param name="Apps">The apps that are handled so unless a deployment says otherwise.</param>
public sealed record HandlingRecord(string Slug, string Name, KeptHandling Values, IReadOnlyList<string> Apps, int Revision);

/// <summary>A package.</summary>
/// <param name="Document">The text of <c>package.json</c>, exactly as signed.</param>
/// <param name="Signature">The builder's JWS.</param>
/// <param name="Seal">The service's JWS for devices.</param>
public sealed record PackageRecord(
    string Digest, string App, string Version, string Document, string Signature, string Seal, string BuiltBy, DateTimeOffset BuiltAt, PackageState State,
    IReadOnlyList<LifeRecord> History)
{
    /// <summary>How long installing it took, by variant; null where none took longer than was expected.</summary>
    public IReadOnlyDictionary<string, TookRecord>? Took { get; init; }

    /// <summary>The variants that asked a device for a restart; null for none.</summary>
    public IReadOnlyList<string>? Restarted { get; init; }
}

/// <summary>
/// The two longest times in which something succeeded, in seconds. One alone may be a device that was put to sleep; of two, the shorter is believed.
/// </summary>
public sealed record TookRecord(int Longest, int Second);

/// <summary>A step in the life of a package.</summary>
public sealed record LifeRecord(string State, string By, DateTimeOffset At, string Reason, string? Trial = null);

/// <summary>A deployment: what was asked for, in the words of the request, and where it stands.</summary>
/// <param name="Request">JSON of the request.</param>
/// <param name="Plan">What came of the request when it was started, so that no later meaning of its words or of what it left open changes it; null only on its
/// way from the store, where it was started before that was kept.</param>
public sealed record DeploymentRecord(string Id, string Name, string Package, string Request, DeploymentState State, DeploymentPlan? Plan = null)
{
    /// <summary>Why this version of the program cannot read what was started; null where it can.</summary>
    public string? Unreadable { get; init; }
}

/// <summary>One try.</summary>
public sealed record AttemptRecord(
    string Id, string Deployment, string Device, string Kind, string Version, DateTimeOffset StartedAt, DateTimeOffset? EndedAt, string? Outcome, string Phase,
    int? ExitCode, string Message, bool HasLog);

/// <summary>A line of the journal, the audit trail or a target's history.</summary>
/// <param name="Number">Rises by one; 1 is the first.</param>
public sealed record EventRecord(
    long Number, DateTimeOffset At, string Topic, string What, string? By, string? Deployment, string? Device, string Text, string? Reason);

/// <summary>The last trial that a device was asked for.</summary>
/// <param name="Package">The package's digest.</param>
/// <param name="Earlier">The digest of the version to upgrade from; null for none.</param>
/// <param name="Says">How it ended, for people; empty while it has not.</param>
/// <param name="Kept">The name under which its steps are kept; null while there are none.</param>
public sealed record DeviceTrialRecord(
    string Id, string Device, string Package, string Variant, string? Earlier, IReadOnlyDictionary<string, string>? Settings, string By, DateTimeOffset AskedAt,
    DateTimeOffset? BeganAt, DateTimeOffset? EndedAt, bool HasPassed, string Says, string? Kept);
