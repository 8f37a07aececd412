using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.Packages;

namespace Bandejo.Store;

/// <summary>An account as it is kept.</summary>
public sealed record StoredAccount(string Account, string Name, string PasswordHash, IReadOnlyList<string> Roles, bool IsDisabled, IReadOnlyList<StoredKey> SigningKeys, int Revision);

/// <summary>A P-256 public key; <paramref name="KeyId"/> is its RFC 7638 thumbprint.</summary>
public sealed record StoredKey(string KeyId, string X, string Y);

/// <summary>A personal token; only the hash of its secret is kept.</summary>
public sealed record StoredToken(string Id, string Account, string Hash, string Label, DateTimeOffset Created, DateTimeOffset Expires, IReadOnlyList<string>? Roles = null, bool IsSession = false);

/// <summary>A join code; only its hash is kept.</summary>
public sealed record StoredJoinCode(string Id, string Hash, string? Group, int UsesLeft, DateTimeOffset Expires, string MadeBy);

/// <summary>A device with what it last reported.</summary>
/// <param name="JoinCode">The hash of the code it joined with, so that a repeated join is recognised.</param>
/// <param name="Sheet">Its facts and programs; the words are those of <see cref="StoredWorld.Words"/>.</param>
/// <param name="Heard">The identities of the last words of its user, so that none counts twice.</param>
/// <param name="IsSorted">Somebody has put it into a listed group; until then it gets nothing.</param>
public sealed record StoredDevice(
    string Id, string Name, StoredKey Key, string JoinCode, DateTimeOffset Joined, DateTimeOffset? LastHeard, long Sequence, string FactsDigest,
    FactSheet Sheet, bool IsSorted, IReadOnlyList<string>? Heard = null);

/// <summary>A group; listed where <paramref name="Rule"/> is null.</summary>
public sealed record StoredGroup(string Slug, string Name, string? Rule, bool IsForTesting, int Revision);

/// <summary>A kept list of waves; <paramref name="Waves"/> is JSON of the request's waves.</summary>
public sealed record StoredWavePlan(string Slug, string Name, string Waves, int Revision);

/// <summary>A handling that is kept by name.</summary>
/// <param name="Apps">The apps that are handled so unless a deployment says otherwise.</param>
public sealed record StoredHandling(string Slug, string Name, KeptHandling Values, IReadOnlyList<string> Apps, int Revision);

/// <summary>A package.</summary>
/// <param name="Document">The text of <c>package.json</c>, exactly as signed.</param>
/// <param name="Signature">The builder's JWS.</param>
/// <param name="Seal">The service's JWS for devices.</param>
public sealed record StoredPackage(string Digest, string App, string Version, string Document, string Signature, string Seal, string BuiltBy, DateTimeOffset BuiltAt, PackageState State, IReadOnlyList<StoredLife> History);

/// <summary>A step in the life of a package.</summary>
public sealed record StoredLife(string State, string By, DateTimeOffset At, string Reason, string? Trial = null);

/// <summary>A deployment: what was asked for, in the words of the request, and where it stands.</summary>
/// <param name="Request">JSON of the request.</param>
/// <param name="Plan">What came of the request when it was started, so that no later meaning of its words or of what it left open changes it; null where it was started before that was kept.</param>
public sealed record StoredDeployment(string Id, string Name, string Package, string Request, DeploymentState State, DeploymentPlan? Plan = null);

/// <summary>One try.</summary>
public sealed record StoredAttempt(
    string Id, string Deployment, string Device, string Kind, string Version, DateTimeOffset StartedAt, DateTimeOffset? EndedAt, string? Outcome, string Phase, int? ExitCode, string Message, bool HasLog);

/// <summary>A line of the journal, the audit trail or a target's history.</summary>
/// <param name="Number">Rises by one; 1 is the first.</param>
public sealed record StoredEvent(long Number, DateTimeOffset At, string Topic, string What, string? By, string? Deployment, string? Device, string Text, string? Reason);

/// <summary>Which events to read.</summary>
/// <param name="What">Only these kinds of event; null for all.</param>
/// <param name="After">Only numbers above this one, ascending; null reads the newest first.</param>
/// <param name="Before">Only numbers below this one, when reading the newest first.</param>
public sealed record EventQuery(string? Topic, string? Deployment, string? Device, long? After, long? Before, int Limit, IReadOnlyList<string>? What = null);

/// <summary>Everything that the service keeps in memory.</summary>
/// <param name="DeviceCount">How many devices there are.</param>
/// <param name="Devices">To be taken once; they are still being read.</param>
/// <param name="Members">Still being read.</param>
/// <param name="Targets">Still being read.</param>
public sealed record StoredWorld(
    IReadOnlyDictionary<string, string> Settings, IReadOnlyList<StoredAccount> Accounts, IReadOnlyList<StoredToken> Tokens, IReadOnlyList<StoredJoinCode> JoinCodes,
    WordBook Words, int DeviceCount, IEnumerable<StoredDevice> Devices, IReadOnlyList<StoredGroup> Groups, Task<IReadOnlyList<(string Group, string Device)>> Members,
    IReadOnlyList<StoredPackage> Packages, IReadOnlyList<StoredDeployment> Deployments, Task<IReadOnlyList<(string Deployment, Target Target)>> Targets,
    IReadOnlyList<StoredAttempt> OpenAttempts, IReadOnlyList<StoredWavePlan> WavePlans, IReadOnlyList<StoredHandling> Handlings, IReadOnlyList<StoredDeviceTrial> DeviceTrials, long LastEvent);

/// <summary>The last trial that a device was asked for.</summary>
/// <param name="Package">The package's digest.</param>
/// <param name="Earlier">The digest of the version to upgrade from; null for none.</param>
/// <param name="Says">How it ended, for people; empty while it has not.</param>
/// <param name="Kept">The name under which its steps are kept; null while there are none.</param>
public sealed record StoredDeviceTrial(
    string Id, string Device, string Package, string Variant, string? Earlier, IReadOnlyDictionary<string, string>? Settings, string By, DateTimeOffset AskedAt, DateTimeOffset? BeganAt, DateTimeOffset? EndedAt, bool HasPassed, string Says, string? Kept);

/// <summary>One change to what is kept.</summary>
public abstract record StoreChange;

public sealed record PutSetting(string Name, string Value) : StoreChange;

public sealed record PutAccount(StoredAccount Account) : StoreChange;

public sealed record PutToken(StoredToken Token) : StoreChange;

public sealed record DeleteToken(string Id) : StoreChange;

public sealed record PutJoinCode(StoredJoinCode Code) : StoreChange;

public sealed record DeleteJoinCode(string Id) : StoreChange;

/// <summary>A new word of the book; it must be kept before or with the first sheet that uses it.</summary>
public sealed record AddWord(int Number, string Text) : StoreChange;

/// <summary>A number of the book that means nothing any more; it may come again with another word.</summary>
public sealed record DeleteWord(int Number) : StoreChange;

public sealed record PutDevice(StoredDevice Device) : StoreChange;

/// <summary>A device was heard, and nothing else changed.</summary>
public sealed record PutHeard(string Device, DateTimeOffset At, long Sequence) : StoreChange;

/// <summary>A word of a device's user was taken.</summary>
public sealed record PutUserWord(string Device, string Word) : StoreChange;

public sealed record DeleteDevice(string Id) : StoreChange;

public sealed record PutGroup(StoredGroup Group) : StoreChange;

public sealed record DeleteGroup(string Slug) : StoreChange;

public sealed record PutMember(string Group, string Device) : StoreChange;

public sealed record DeleteMember(string Group, string Device) : StoreChange;

public sealed record PutWavePlan(StoredWavePlan Plan) : StoreChange;

public sealed record DeleteWavePlan(string Slug) : StoreChange;

public sealed record PutHandling(StoredHandling Handling) : StoreChange;

public sealed record DeleteHandling(string Slug) : StoreChange;

public sealed record PutDeviceTrial(StoredDeviceTrial Trial) : StoreChange;

public sealed record PutPackage(StoredPackage Package) : StoreChange;

public sealed record PutDeployment(StoredDeployment Deployment) : StoreChange;

public sealed record PutTarget(string Deployment, Target Target) : StoreChange;

public sealed record PutAttempt(StoredAttempt Attempt) : StoreChange;

public sealed record AddEvent(StoredEvent Event) : StoreChange;

/// <summary>Keeps the service's state. All changes of one call become durable together or not at all.</summary>
public interface IStore : IAsyncDisposable
{
    /// <summary>Everything that is kept in memory; read once at start, and again after a failed write.</summary>
    StoredWorld Load();

    /// <summary>Writes changes in their order and returns when they would survive a power cut. Calls are grouped into few commits.</summary>
    /// <exception cref="StoreException">Nothing of this call was written, nor will anything be before <see cref="Load"/> is called again.</exception>
    Task Commit(IReadOnlyList<StoreChange> changes);

    /// <summary>How many changes are durable and wait for their tables; reading finds them all the same.</summary>
    int Waiting { get; }

    IReadOnlyList<StoredEvent> Events(EventQuery query);

    /// <summary>Whether a word of a device's user was taken before.</summary>
    bool HasUserWord(string device, string word);

    StoredAttempt? Attempt(string id);

    /// <summary>The attempts of a target, or of a device where <paramref name="deployment"/> is null; newest first, at most <paramref name="limit"/>.</summary>
    IReadOnlyList<StoredAttempt> Attempts(string? deployment, string? device, int limit);
}

/// <summary>The state could not be written or read.</summary>
public sealed class StoreException(string message, Exception? inner = null) : Exception(message, inner);
