using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.Packages;
using Bandejo.Core.World;

namespace Bandejo.Store;

/// <summary>Which events to read.</summary>
/// <param name="What">Only these kinds of event; null for all.</param>
/// <param name="After">Only numbers above this one, ascending; null reads the newest first.</param>
/// <param name="Before">Only numbers below this one, when reading the newest first.</param>
public sealed record EventQuery(string? Topic, string? Deployment, string? Device, long? After, long? Before, int Limit, IReadOnlyList<string>? What = null);

/// <summary>Everything that the service keeps in memory.</summary>
/// <param name="DeviceCount">How many devices there are.</param>
/// <param name="Devices">To be taken once; they are still being read.</param>
/// <param name="Members">Still being read.</param>
/// <param name="Targets">To be taken once, after the devices; they are still being read.</param>
/// <param name="GiveUp">Whoever does not take all says so: nothing more is read then.</param>
public sealed record StoredWorld(
    IReadOnlyDictionary<string, string> SiteSettings, IReadOnlyList<AccountRecord> Accounts, IReadOnlyList<TokenRecord> Tokens,
    IReadOnlyList<JoinCodeRecord> JoinCodes,
    WordBook WordBook, int DeviceCount, IEnumerable<DeviceRecord> Devices, IReadOnlyList<GroupRecord> Groups,
    Task<IReadOnlyList<(string Group, string Device)>> Members,
    IReadOnlyList<PackageRecord> Packages, IReadOnlyList<DeploymentRecord> Deployments, IEnumerable<(string Deployment, Target Target)> Targets,
    Action GiveUp,
    IReadOnlyList<AttemptRecord> OpenAttempts, IReadOnlyList<WavePlanRecord> WavePlans, IReadOnlyList<HandlingRecord> Handlings,
    IReadOnlyList<DeviceTrialRecord> DeviceTrials, long LastEvent)
{
    /// <summary>
    /// All of it as the changes that make the world what it was, in an order in which each finds what it is about. To be taken once.
    /// </summary>
    public IEnumerable<Change> Changes()
    {
        try
        {
            foreach (var change in InOrder())
            {
                yield return change;
            }
        }
        finally
        {
            GiveUp();
        }
    }

    private IEnumerable<Change> InOrder()
    {
        var (devices, groups) = (new HashSet<string>(StringComparer.Ordinal), Groups.Select(group => group.Slug).ToHashSet(StringComparer.Ordinal));
        foreach (
            var change in SiteSettings.Select(pair => (Change)new PutSetting(pair.Key, pair.Value)).Concat(Accounts.Select(account => new PutAccount(account)))
                .Concat(Tokens.Select(token => new PutToken(token))).Concat(JoinCodes.Select(code => new PutJoinCode(code))))
        {
            yield return change;
        }

        foreach (var device in Devices)
        {
            devices.Add(device.Id);
            yield return new PutDevice(device);
        }

        foreach (var group in Groups)
        {
            yield return new PutGroup(group);
        }

        foreach (var (group, device) in Members.GetAwaiter().GetResult().Where(member => groups.Contains(member.Group) && devices.Contains(member.Device)))
        {
            yield return new PutMember(group, device);
        }

        foreach (var change in Packages.Select(package => (Change)new PutPackage(package)).Concat(Deployments.Select(
            deployment => new PutDeployment(deployment))))
        {
            yield return change;
        }

        foreach (var (deployment, target) in Targets)
        {
            yield return new PutTarget(deployment, target);
        }

        foreach (var change in WavePlans.Select(plan => (Change)new PutWavePlan(plan)).Concat(Handlings.Select(handling => new PutHandling(handling)))
            .Concat(DeviceTrials.Where(trial => devices.Contains(trial.Device)).Select(trial => new PutDeviceTrial(trial)))
                .Concat(OpenAttempts.Select(attempt => new PutAttempt(attempt))))
        {
            yield return change;
        }
    }
}

/// <summary>Keeps the service's state. All changes of one call become durable together or not at all.</summary>
public interface IStore : IAsyncDisposable
{
    /// <summary>Everything that is kept in memory; read once at start, and again after a failed write.</summary>
    StoredWorld Load();

    /// <summary>Writes changes in their order and returns when they would survive a power cut. Calls are grouped into few commits.</summary>
    /// <exception cref="StoreException">Nothing of this call was written, nor will anything be before <see cref="Load"/> is called again.</exception>
    Task Commit(IReadOnlyList<Change> changes);

    /// <summary>
    /// Writes targets down ahead of their deployment's beginning, in pieces between which others commit. They count once <see cref="PutTargetsAhead"/> gives
    /// them to a deployment, and are gone at the next start where nothing did.
    /// </summary>
    /// <returns>The number that <see cref="PutTargetsAhead"/> tells them by.</returns>
    /// <inheritdoc cref="Commit" path="/exception"/>
    Task<long> PutAhead(IEnumerable<Target> targets);

    /// <summary>Takes away what was written down ahead of a deployment that did not begin.</summary>
    /// <inheritdoc cref="Commit" path="/exception"/>
    Task DropAhead(long ahead);

    IReadOnlyList<EventRecord> Events(EventQuery query);

    /// <summary>Whether a word of a device's user was taken before.</summary>
    bool HasUserWord(string device, string word);

    AttemptRecord? Attempt(string id);

    /// <summary>The attempts of a target, or of a device where <paramref name="deployment"/> is null; newest first, at most <paramref name="limit"/>.</summary>
    IReadOnlyList<AttemptRecord> Attempts(string? deployment, string? device, int limit);
}

/// <summary>The state could not be written or read.</summary>
public sealed class StoreException(string message, Exception? inner = null) : Exception(message, inner);
