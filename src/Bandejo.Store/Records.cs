using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.Packages;
using Bandejo.Core.World;

namespace Bandejo.Store;

/// <summary>Which events to read.</summary>
/// <param name="What">Only these kinds of event; null for all.</param>
/// <param name="After">Only numbers above this one, ascending; null reads the newest first.</param>
/// <param name="Before">Only numbers below this one, when reading the newest first.</param>
public sealed record EventQuery(string? Topic, string? Deployment, string? Device, long? After, long? Before, int Limit, IReadOnlyList<string>? What = null)
{
    /// <summary>Not before this moment.</summary>
    public DateTimeOffset? From { get; init; }

    /// <summary>Before this moment.</summary>
    public DateTimeOffset? To { get; init; }

    /// <summary>Only by this person or device; empty for what the service did by itself.</summary>
    public string? By { get; init; }

    /// <summary>Only those in whose text or reason all of these stand, in whatever case.</summary>
    public IReadOnlyList<string> Words { get; init; } = [];

    /// <summary>Only those of one of these deployments, or in whose text one of <see cref="Or"/> stands; null for all.</summary>
    public IReadOnlyList<string>? Deployments { get; init; }

    /// <summary>What else fits where <see cref="Deployments"/> or <see cref="What"/> are asked for.</summary>
    public IReadOnlyList<string> Or { get; init; } = [];
}

/// <summary>Everything that the service keeps in memory.</summary>
/// <param name="DeviceCount">How many devices there are.</param>
/// <param name="Devices">To be taken once; they are still being read.</param>
/// <param name="Members">Still being read.</param>
/// <param name="Targets">To be taken once, on any thread; they are read while they are taken. Those of a deployment come one after the other.</param>
/// <param name="GiveUp">Whoever does not take all says so: nothing more is read then.</param>
public sealed record StoredWorld(
    IReadOnlyDictionary<string, string> SiteSettings, IReadOnlyList<AccountRecord> Accounts, IReadOnlyList<TokenRecord> Tokens,
    IReadOnlyList<JoinCodeRecord> JoinCodes,
    WordBook WordBook, int DeviceCount, IEnumerable<DeviceRecord> Devices, IReadOnlyList<GroupRecord> Groups,
    Task<IReadOnlyList<(string Group, string Device)>> Members,
    IReadOnlyList<PackageRecord> Packages, IReadOnlyList<DeploymentRecord> Deployments, IEnumerable<KeptTarget> Targets,
    Action GiveUp,
    IReadOnlyList<AttemptRecord> OpenAttempts, IReadOnlyList<WavePlanRecord> WavePlans, IReadOnlyList<HandlingRecord> Handlings,
    IReadOnlyList<DeviceTrialRecord> DeviceTrials, long LastEvent)
{
    /// <summary>Who was last told to be in a rule group, by places of devices.</summary>
    public Func<string, Bitmap> WereIn { get; init; } = _ => new Bitmap();

    public IReadOnlyList<CalendarRecord> Calendars { get; init; } = [];

    /// <summary>Changes that were made with a key.</summary>
    public IReadOnlyList<OnceRecord> Onces { get; init; } = [];

    /// <summary>Makes a world in which nothing has happened yet what was kept. To be called once.</summary>
    /// <param name="withPlan">A deployment with its plan, which very old ones were kept without.</param>
    /// <exception cref="StoreException">It cannot be read.</exception>
    public void ApplyTo(FleetWorld world, Func<DeploymentRecord, PackageEntry, DeploymentRecord> withPlan)
    {
        using var end = new CancellationTokenSource();
        var token = end.Token;
        try
        {
            All(
                SiteSettings.Select(pair => new PutSetting(pair.Key, pair.Value)), Accounts.Select(account => new PutAccount(account)),
                Tokens.Select(token => new PutToken(token)), JoinCodes.Select(code => new PutJoinCode(code)), Onces.Select(once => new PutOnce(once)),
                Packages.Select(package => new PutPackage(package)));

            // What they come to is asked for as soon as there are devices.
            All(Calendars.Select(calendar => new PutCalendar(calendar)));

            // Targets are by far the most. They name devices by their places, and stand in books of their own: these are made beside the devices.
            var deployments = Deployments.ToDictionary(kept => kept.Id, kept => Made(kept), StringComparer.Ordinal);
            var books = Task.Factory.StartNew(
                () => Fill(deployments, world.CheckInInterval, token), CancellationToken.None, TaskCreationOptions.LongRunning, TaskScheduler.Default);
            var (devices, groups) = (new HashSet<string>(StringComparer.Ordinal), Groups.Select(group => group.Slug).ToHashSet(StringComparer.Ordinal));
            foreach (var device in Devices)
            {
                world.Apply(new PutDevice(device));
                if (world.Devices.At(devices.Count).Id != device.Id)
                {
                    throw new InvalidOperationException($"{device.Name} does not stand at its place.");
                }

                devices.Add(device.Id);
            }

            All(
                Groups.Select(group => new PutGroup(group)),
                Members.GetAwaiter().GetResult().Where(member => groups.Contains(member.Group) && devices.Contains(member.Device)).Select(
                    member => new PutMember(member.Group, member.Device)));
            books.GetAwaiter().GetResult();
            All(
                deployments.Values.Select(deployment => new TakeDeployment(deployment)), WavePlans.Select(plan => new PutWavePlan(plan)),
                Handlings.Select(handling => new PutHandling(handling)),
                DeviceTrials.Where(trial => devices.Contains(trial.Device)).Select(trial => new PutDeviceTrial(trial)),
                OpenAttempts.Select(attempt => new PutAttempt(attempt)));
            world.Resume(LastEvent);
        }
        finally
        {
            end.Cancel();
            GiveUp();
        }

        void All(params IEnumerable<Change>[] changes)
        {
            foreach (var change in changes.SelectMany(each => each))
            {
                world.Apply(change);
            }
        }

        DeploymentEntry Made(DeploymentRecord kept)
        {
            var package = world.Packages[kept.Package];
            return DeploymentEntry.Kept(withPlan(kept, package), package);
        }
    }

    private void Fill(IReadOnlyDictionary<string, DeploymentEntry> deployments, TimeSpan interval, CancellationToken end)
    {
        DeploymentEntry? last = null;
        foreach (var (deployment, place, target) in Targets)
        {
            if (last?.Id != deployment && !deployments.TryGetValue(deployment, out last))
            {
                throw new StoreException($"There are targets of a deployment {deployment}, which is not there.");
            }

            if (target.Wave >= last!.Plan.Waves.Count)
            {
                throw new StoreException($"A target of {deployment} is in wave {target.Wave + 1}, and there are {last.Plan.Waves.Count}.");
            }

            last.TakeKept(place, target, interval);
            end.ThrowIfCancellationRequested();
        }
    }
}

/// <summary>A target as it is kept.</summary>
/// <param name="Place">The place of its device among all devices, from 0.</param>
public readonly record struct KeptTarget(string Deployment, int Place, Target Target);

/// <summary>Keeps the service's state. All changes of one call become durable together or not at all.</summary>
public interface IStore : IAsyncDisposable
{
    /// <summary>Everything that is kept in memory; read once at start, and again after a failed write.</summary>
    StoredWorld Load();

    /// <summary>The targets of a deployment.</summary>
    IReadOnlyList<Target> Targets(string deployment);

    /// <summary>The targets of a device in some deployments.</summary>
    ShelvedTargets Targets(string device, IEnumerable<string> deployments);

    /// <summary>Writes changes in their order and returns when they would survive a power cut. Calls are grouped into few commits.</summary>
    /// <param name="at">When they were decided.</param>
    /// <exception cref="StoreException">Nothing of this call was written, nor will anything be before <see cref="Load"/> is called again.</exception>
    Task Commit(DateTimeOffset at, IReadOnlyList<Change> changes);

    /// <summary>
    /// Writes targets down ahead of their deployment's beginning, in pieces between which others commit. They count once <see cref="PutTargetsAhead"/> gives
    /// them to a deployment, and are gone at the next start where nothing did.
    /// </summary>
    /// <returns>The number that <see cref="PutTargetsAhead"/> tells them by.</returns>
    /// <inheritdoc cref="Commit" path="/exception"/>
    Task<long> PutAhead(DateTimeOffset at, IEnumerable<Target> targets);

    /// <summary>Takes away what was written down ahead of a deployment that did not begin.</summary>
    /// <inheritdoc cref="Commit" path="/exception"/>
    Task DropAhead(DateTimeOffset at, long ahead);

    IReadOnlyList<EventRecord> Events(EventQuery query);

    /// <summary>Whether a word of a device's user was taken before.</summary>
    bool HasUserWord(string device, string word);

    AttemptRecord? Attempt(string id);

    /// <summary>The attempts of a target, or of a device where <paramref name="deployment"/> is null; newest first, at most <paramref name="limit"/>.</summary>
    IReadOnlyList<AttemptRecord> Attempts(string? deployment, string? device, int limit);

    /// <summary>The entries of the audit trail as lines of JSON (UTF-8), in the order of their chain, read while they are taken, with their digests.</summary>
    IEnumerable<(long Entry, long Number, byte[] Line, string Digest)> AuditLines();

    /// <summary>Looks at the whole audit trail, and says where something is not as it was written.</summary>
    /// <param name="of">An entry and the digest that it had at some time; null for none.</param>
    AuditState VerifyAudit((long Entry, string Digest)? of);

    /// <summary>The attempts that began in a span of time, read while they are taken.</summary>
    IEnumerable<string> AttemptsBegun(DateTimeOffset from, DateTimeOffset to);

    /// <summary>What is kept of before a moment and not needed to know how it was from then on, in slices to be taken away, each with its rows.</summary>
    IReadOnlyList<(ForgetPast Slice, long Rows)> Forgettable(DateTimeOffset until);

    /// <summary>How everything was at a moment; null for one before what is kept begins.</summary>
    IPast? Past(DateTimeOffset at);

    /// <summary>From when on it is kept how everything was.</summary>
    DateTimeOffset PastFrom { get; }

    /// <summary>What became of the targets that a device has in some deployments, the latest first; at most <paramref name="limit"/>.</summary>
    IReadOnlyList<(string Deployment, TargetStep Step)> History(IReadOnlyCollection<string> deployments, string device, int limit);

    /// <summary>How many devices of each kind there were, at the end of each day on which that changed, and how many before the first.</summary>
    IReadOnlyList<DayCount> FleetByDay(DateOnly from, DateOnly to);

    /// <summary>How many devices had each version of a program, at the end of each day on which that changed, and how many before the first.</summary>
    IReadOnlyList<DayCount> VersionsByDay(string app, DateOnly from, DateOnly to);

    /// <summary>Where each deployment stood at the end of each day that was not over by then.</summary>
    IReadOnlyList<DayStates> StatesByDay(DateOnly from, DateOnly to);
}

/// <summary>The state could not be written or read.</summary>
public sealed class StoreException(string message, Exception? inner = null) : Exception(message, inner);
