using System.Collections.Immutable;
using Bandejo.Core.Calendars;
using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.Rules;

namespace Bandejo.Core.World;

/// <summary>
/// Everything that anything is decided by. <see cref="Apply(Change)"/> is the only thing that alters it: at work, at the start, in a simulation. One thread at
/// a time
/// alters it or looks at it; what <see cref="Still"/> gives may be read by any number, however long they take.
/// </summary>
public sealed partial class FleetWorld
{
    private readonly Func<PackageRecord, PackageContents> _contentsOf;
    private readonly SilenceKnown _silence;
    private readonly bool _isStill;
    private WordMeanings? _meanings;
    private readonly System.Runtime.CompilerServices.ConditionalWeakTable<PackageContents, AskedByRow> _answers = [];
    private DeploymentEntry[]? _active;
    private Dictionary<string, DeploymentEntry[]>? _activeOfApp;
    private Dictionary<string, GroupEntry>? _groupOf;
    private (SortedList<string, GroupEntry> Groups, SortedList<string, DeploymentEntry> Deployments)? _stillParts;

    /// <summary>A world in which nothing has happened yet.</summary>
    /// <param name="words">The words of the devices' sheets.</param>
    /// <param name="interval">The time between two check-ins of a device.</param>
    /// <param name="contentsOf">Reads what a package's document says.</param>
    public FleetWorld(WordBook words, TimeSpan interval, Func<PackageRecord, PackageContents> contentsOf)
    {
        (WordBook, CheckInInterval, _contentsOf, _silence) = (words, interval, contentsOf, new SilenceKnown());
        (Columns, Texts, Devices, OpenAttempts) = (new FleetColumns(), new RowTexts(), new DeviceBook(), []);
        _groups = new(StringComparer.Ordinal);
        _deployments = new(StringComparer.Ordinal);
    }

    private FleetWorld(FleetWorld moving, SortedList<string, GroupEntry> groups, SortedList<string, DeploymentEntry> deployments, DateTimeOffset now)
    {
        _isStill = true;
        (WordBook, CheckInInterval, _contentsOf, _silence, Now, LastEvent) = (
            moving.WordBook, moving.CheckInInterval, moving._contentsOf, moving._silence, now, moving.LastEvent);
        (Columns, Texts, Devices, OpenAttempts) = (moving.Columns.Still(), moving.Texts.Still(), moving.Devices.Still(), []);
        (SiteSettings, Accounts, Tokens, JoinCodes, Onces) = (moving.SiteSettings, moving.Accounts, moving.Tokens, moving.JoinCodes, moving.Onces);
        (Packages, WavePlans, Calendars, Handlings, DeviceTrials, SlowAttempts, Timetables) = (
            moving.Packages, moving.WavePlans, moving.Calendars, moving.Handlings, moving.DeviceTrials, moving.SlowAttempts, moving.Timetables);
        (_groups, _deployments, Unsorted) = (groups, deployments, moving.Unsorted.Still());
    }

    /// <summary>The moment at which it is looked at.</summary>
    public DateTimeOffset Now { get; set; }

    /// <summary>The time between two check-ins of a device.</summary>
    public TimeSpan CheckInInterval { get; }

    /// <summary>For how many devices something is done in one go. What is to be done for more is done in slices, so that nobody waits for long.</summary>
    public int Slice { get; init; } = 250;

    /// <summary>How long nothing of a deployment that is over must have changed before its targets leave memory.</summary>
    public TimeSpan ShelveAfter { get; init; } = Rollouts.Shelving.After;

    /// <summary>The words of the devices' sheets.</summary>
    public WordBook WordBook { get; }

    public FleetColumns Columns { get; }

    /// <summary>What people may look for a device by.</summary>
    public RowTexts Texts { get; }

    public DeviceBook Devices { get; }

    public ImmutableDictionary<string, string> SiteSettings { get; private set; } = ImmutableDictionary.Create<string, string>(StringComparer.Ordinal);

    public ImmutableDictionary<string, AccountRecord> Accounts { get; private set; } = ImmutableDictionary.Create<string, AccountRecord>(
        StringComparer.Ordinal);

    /// <summary>Personal tokens by the hash of their secret.</summary>
    public ImmutableDictionary<string, TokenRecord> Tokens { get; private set; } = ImmutableDictionary.Create<string, TokenRecord>(StringComparer.Ordinal);

    /// <summary>Join codes by their hash.</summary>
    public ImmutableDictionary<string, JoinCodeRecord> JoinCodes { get; private set; } = ImmutableDictionary.Create<string, JoinCodeRecord>(
        StringComparer.Ordinal);

    /// <summary>Changes that were asked for with a key, by who asked and the key.</summary>
    public ImmutableDictionary<(string Account, string Key), OnceRecord> Onces { get; private set; } =
        ImmutableDictionary<(string Account, string Key), OnceRecord>.Empty;

    private readonly SortedList<string, GroupEntry> _groups;

    /// <summary>Groups by slug.</summary>
    public IReadOnlyDictionary<string, GroupEntry> Groups => _groups;

    /// <summary>Packages by digest.</summary>
    public ImmutableSortedDictionary<string, PackageEntry> Packages { get; private set; } = ImmutableSortedDictionary.Create<string, PackageEntry>(
        StringComparer.Ordinal);

    private readonly SortedList<string, DeploymentEntry> _deployments;

    /// <summary>Deployments by identity.</summary>
    public IReadOnlyDictionary<string, DeploymentEntry> Deployments => _deployments;

    /// <summary>Those that have not ended, by identity.</summary>
    public IReadOnlyList<DeploymentEntry> Active => _active ??= [.. _deployments.Values.Where(deployment => deployment.IsActive)];

    /// <summary>Those that have not ended and are about one app.</summary>
    public IReadOnlyList<DeploymentEntry> ActiveOfApp(string app) =>
        (_activeOfApp ??= Active.GroupBy(deployment => deployment.Plan.App, StringComparer.Ordinal).ToDictionary(
            group => group.Key, group => group.ToArray(), StringComparer.Ordinal))
            .GetValueOrDefault(app)
            ?? [];

    /// <summary>The group of a slug; null for none.</summary>
    public GroupEntry? Group(string slug) => (_groupOf ??= _groups.ToDictionary(StringComparer.Ordinal)).GetValueOrDefault(slug);

    /// <summary>What is to be looked at when.</summary>
    public Agenda Agenda { get; } = new();

    /// <summary>Wave plans by slug.</summary>
    public ImmutableSortedDictionary<string, WavePlanRecord> WavePlans { get; private set; } = ImmutableSortedDictionary.Create<string, WavePlanRecord>(
        StringComparer.Ordinal);

    /// <summary>When devices may be changed, as it was worked out so far.</summary>
    private Timetables Timetables { get; } = new();

    /// <summary>Calendars by their short names.</summary>
    public ImmutableSortedDictionary<string, CalendarEntry> Calendars { get; private set; } = ImmutableSortedDictionary.Create<string, CalendarEntry>(
        StringComparer.Ordinal);

    /// <summary>Kept handlings by their short names.</summary>
    public ImmutableSortedDictionary<string, HandlingRecord> Handlings { get; private set; } = ImmutableSortedDictionary.Create<string, HandlingRecord>(
        StringComparer.Ordinal);

    /// <summary>The last trial that each device was asked for, by device.</summary>
    public ImmutableDictionary<string, DeviceTrialRecord> DeviceTrials { get; private set; } = ImmutableDictionary.Create<string, DeviceTrialRecord>(
        StringComparer.Ordinal);

    /// <summary>Attempts that have begun and not ended, by identity. Decided by, and not read: what stands still has none.</summary>
    public Dictionary<string, AttemptRecord> OpenAttempts { get; }

    /// <summary>Those of them that take longer than expected, as their devices say.</summary>
    public ImmutableDictionary<string, AttemptRecord> SlowAttempts { get; private set; } = ImmutableDictionary.Create<string, AttemptRecord>(
        StringComparer.Ordinal);

    /// <summary>The number of the last event; 0 for none.</summary>
    public long LastEvent { get; private set; }

    /// <summary>The devices whose orders may be others since they were last taken off.</summary>
    private Bitmap _inDoubt = new();

    /// <summary>The devices whose tag of orders still holds.</summary>
    private readonly Bitmap _tagHolds = new();

    /// <summary>A deployment's next moment may be another.</summary>
    internal void SetMoment(DeploymentEntry deployment) => Agenda.Set(deployment.Id, deployment.Moment(ShelveAfter));

    /// <summary>What had been decided and was not done yet for all devices when the world was kept is to be done.</summary>
    public void GoOn()
    {
        foreach (var deployment in Deployments.Values.Where(deployment => deployment.State.IsUnfinished))
        {
            deployment.Pending.ToWeigh.Or(Columns.Live);
            if (deployment.State is { Status: DeploymentStatus.RollingBack, RollsBackSome: false })
            {
                deployment.Pending.ToBring.Or(deployment.Targets.AllRows());
            }

            SetMoment(deployment);
        }
    }

    /// <summary>Goes on counting events where it stood when what is in the world was kept.</summary>
    public void Resume(long lastEvent) => LastEvent = lastEvent;

    /// <summary>Lets the words go that no device says any more; right after the world was read, before anybody else has looked at it.</summary>
    public void ForgetWords() => WordBook.KeepOnly(Devices.Values.Select(device => device.Record.Sheet));

    /// <summary>What is to be kept of the book of words since this was last asked.</summary>
    public IEnumerable<Change> TakeWords()
    {
        var (gone, added) = WordBook.TakeChanges();
        return [.. gone.Select(number => new DeleteWord(number)), .. added.Select(word => new AddWord(word.Number, word.Text))];
    }

    /// <summary>What stands here now, for readers on any thread, whatever becomes of this. It cannot be altered.</summary>
    public FleetWorld Still()
    {
        if (_isStill)
        {
            return this;
        }

        if (_stillParts is not { } parts)
        {
            var devices = Devices.Still();
            string DeviceOf(int row) => devices.At(row).Id;
            _stillParts = parts = (StillOf(_groups, group => group.Still()), StillOf(_deployments, deployment => deployment.Still(DeviceOf)));
        }

        return new FleetWorld(this, parts.Groups, parts.Deployments, Now);
    }

    /// <summary>The deployments that a device is a target of, ended ones too, but for those whose targets are only kept.</summary>
    public IEnumerable<DeploymentEntry> DeploymentsOf(DeviceEntry device) =>
        _deployments.Values.Where(deployment => !deployment.IsShelved && deployment.Targets.Has(device));

    /// <summary>The deployments whose targets are only kept.</summary>
    public IEnumerable<DeploymentEntry> Shelved => _deployments.Values.Where(deployment => deployment.IsShelved);

    /// <summary>Lends whoever looks the targets of a deployment that are only kept. They can be read then, and not written.</summary>
    /// <param name="targets">As they are kept; null takes back what was lent.</param>
    public void Lend(string deployment, IEnumerable<Target>? targets)
    {
        var entry = _deployments[deployment];
        entry.Targets.Lend(targets is null ? null : entry.Fetched(targets, device => Devices.Get(device)?.Row));
    }

    /// <summary>Whether single targets of a deployment can be read.</summary>
    public bool CanRead(string deployment) => _deployments[deployment].Targets.CanBeRead;

    /// <summary>What was lent is not lent to those that come; those that have it go on reading.</summary>
    public void ForgetLent(string deployment)
    {
        _deployments.GetValueOrDefault(deployment)?.ForgetStill();
        _stillParts = null;
    }

    /// <summary>Those of them that have not ended.</summary>
    public IEnumerable<DeploymentEntry> ActiveOf(DeviceEntry device) => Active.Where(deployment => deployment.Targets.Has(device));

    /// <summary>What a device last said of a fact, for people; null where it is not known.</summary>
    public string? Fact(DeviceEntry device, string name) => Columns.Get(device.Row, new FactRef(name, false)).Value?.ToString();

    /// <summary>Whether a package can be there on a device.</summary>
    public Fit FitOf(PackageEntry package, int row)
    {
        // What keeps its last answer is for one thread; what stands still is read by many.
        if (_isStill)
        {
            return Targeting.Weigh(package.Variants, Columns.Row(row));
        }

        if (!_answers.TryGetValue(package.Contents, out var answers))
        {
            _answers.Add(package.Contents, answers = new AskedByRow(package.Variants, Columns));
        }

        answers.Row = row;
        return Targeting.Weigh(package.Variants, answers, () => Columns.Row(row));
    }

    /// <summary>The version of an app that a device has.</summary>
    public FactLookup App(DeviceEntry device, string app) => Columns.Get(device.Row, new FactRef(app, true));

    /// <summary>When a device was last heard from; null for never, or for a device that is no longer there.</summary>
    public DateTimeOffset? LastHeard(string device) => Devices.Get(device)?.LastHeard;

    /// <summary>The latest moment at which a device may have been heard; null for never, or for a device that is no longer there.</summary>
    public DateTimeOffset? HeardAtMost(string device) => Devices.Get(device)?.HeardAtMost(CheckInInterval);

    /// <summary>The counts of each wave of a deployment.</summary>
    /// <remarks>Of one that ended nobody is waited for, and nobody is left out for silence.</remarks>
    public IReadOnlyList<Tally> Tallies(DeploymentEntry deployment) => deployment.Targets.Tallies(deployment.IsActive ? LastHeard : _ => Now, Now);

    /// <summary>What a deployment goes by: the handling that it names, else the one that its app has; null for as the package has it.</summary>
    public HandlingRecord? HandlingOf(string app, string? named) =>
        named == DeploymentPlan.NoHandling ? null
            : named is not null ? Handlings.GetValueOrDefault(named)
            : Handlings.Values.FirstOrDefault(each => each.Apps.Contains(app));

    /// <summary>When a device may be changed by a deployment; see <see cref="World.Timetables"/>.</summary>
    public Timetable? TimetableOf(DeviceEntry device, DeploymentPlan? plan) => Timetables.Of(this, device, plan?.Calendars ?? []);

    /// <summary>Whether a device is certainly in a group.</summary>
    public bool IsIn(string group, DeviceEntry device) => _groups.TryGetValue(group, out var entry) && entry.In[device.Row];

    /// <summary>The tag of a device's orders as last noted; null where something changed since. Decides nothing.</summary>
    public string? OrdersTag(DeviceEntry device) => _tagHolds[device.Row] ? device.Presence.OrdersTag : null;

    /// <summary>Notes the tag of a device's orders as they are now.</summary>
    public void NoteOrdersTag(DeviceEntry device, string tag)
    {
        device.Presence.OrdersTag = tag;
        _tagHolds[device.Row] = true;
    }

    /// <summary>The devices that nobody has put into a listed group yet, by row. To be read only.</summary>
    public Bitmap Unsorted { get; } = new();

    /// <summary>Takes off the list the devices whose orders may be others since this was last asked, by row.</summary>
    public Bitmap TakeInDoubt()
    {
        var taken = _inDoubt;
        _inDoubt = new Bitmap();
        return taken;
    }

    private static SortedList<string, T> StillOf<T>(SortedList<string, T> moving, Func<T, T> still)
    {
        var parts = new SortedList<string, T>(moving.Count, StringComparer.Ordinal);
        foreach (var (key, value) in moving)
        {
            parts.Add(key, still(value));
        }

        return parts;
    }
}
