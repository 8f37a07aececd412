using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;

namespace Bandejo.Core.World;

/// <summary>A deployment in the world with its targets.</summary>
public sealed class DeploymentEntry
{
    private readonly Reason?[] _closed;
    private Func<int, string> _deviceOf;
    private Stop? _stopped;
    private DeploymentEntry? _still;

    internal DeploymentEntry(DeploymentRecord record, PackageEntry package, Func<int, string> deviceOf)
    {
        (Record, Package, _deviceOf) = (record, package, deviceOf);
        Plan = record.Plan ?? throw new ArgumentException($"The deployment {record.Id} has no plan.", nameof(record));
        Targets = BookOf(record);
        _closed = new Reason?[Plan.Waves.Count];
    }

    private DeploymentEntry(DeploymentEntry moving, Func<int, string> deviceOf) =>
        (Record, Package, Plan, Targets, _closed, _still, _deviceOf) = (
            moving.Record, moving.Package, moving.Plan, moving.Targets.Still(deviceOf), moving._closed, this, deviceOf);

    /// <summary>A deployment that comes back from where it was kept (<see cref="TakeDeployment"/>), without its targets so far.</summary>
    /// <exception cref="ArgumentException">It has no plan.</exception>
    public static DeploymentEntry Kept(DeploymentRecord record, PackageEntry package) => new(record, package, _ => "");

    /// <summary>Takes a target that comes back with it, before it comes into the world.</summary>
    /// <param name="row">The row in which its device will stand.</param>
    /// <param name="interval">The time between two check-ins.</param>
    public void TakeKept(int row, Target target, TimeSpan interval)
    {
        // Silence counts from when its device was last heard, which is not known here: it is looked at soon.
        var dueAt = target.State is TargetState.Working or TargetState.Restart ? target.Since : Deployments.Targets.DueAt(Plan, target, null, interval);
        Targets.Put(row, target, dueAt);
    }

    public DeploymentRecord Record { get; private set; }

    public DeploymentPlan Plan { get; }

    public PackageEntry Package { get; private set; }

    public TargetBook Targets { get; private set; }

    /// <summary>Whether it is over and its targets are only kept, and not in memory (<see cref="Rollouts.Shelving"/>).</summary>
    public bool IsShelved => State.Shelved is not null;

    public string Id => Plan.Id;

    public DeploymentState State => Record.State;

    /// <summary>Why this version of the program cannot read what was started; null where it can.</summary>
    public string? Unreadable => Record.Unreadable;

    public bool IsActive => State.Status != DeploymentStatus.Ended;

    /// <summary>When something of it last changed, or it came into memory.</summary>
    internal DateTimeOffset TouchedAt { get; set; }

    /// <summary>When its targets may leave memory; null where they may not, or have.</summary>
    /// <param name="after">How long nothing of it must have changed.</param>
    internal DateTimeOffset? ShelveAt(TimeSpan after) =>
        IsActive || IsPending || IsShelved ? null
            : Later(State.Since + Plan.Lease, TouchedAt) + after;

    /// <summary>When it must be looked at again even if nothing happens.</summary>
    internal DateTimeOffset? LookAt { get; set; }

    /// <summary>Something changed that its next look should see.</summary>
    internal bool IsDirty { get; set; } = true;

    /// <summary>What is to be done for many devices and is not done yet.</summary>
    internal Pending Pending { get; } = new();

    /// <summary>Whether something is to be done for many devices and is not done yet.</summary>
    public bool IsPending => !Pending.IsEmpty;

    /// <summary>When it must be looked at, or something done for it; null where it waits for nothing.</summary>
    /// <param name="shelveAfter">How long nothing of it must have changed before its targets leave memory.</param>
    internal DateTimeOffset? Moment(TimeSpan shelveAfter) =>
        IsPending || (IsDirty && IsActive) ? DateTimeOffset.MinValue : IsActive ? LookAt : ShelveAt(shelveAfter);

    /// <summary>Why its devices stand still where it is stopped itself; the same object as long as it is so.</summary>
    internal Reason Stopped =>
        _stopped is { } known && ReferenceEquals(known.State, State)
            ? known.Reason
            : (_stopped = new Stop(State, new Reason(ReasonCode.DeploymentStopped, DeploymentMachine.InWords(State.Status), State.Reason))).Reason;

    /// <summary>Why devices of a wave that is closed stand still; the same object each time.</summary>
    internal Reason Closed(int wave)
    {
        if (_closed[wave] is { } known)
        {
            return known;
        }

        var name = Plan.Waves[wave].Name;
        return _closed[wave] = wave == 0
            ? new Reason(ReasonCode.WaveAboutToOpen, name)
            : new Reason(ReasonCode.WaveOpensAfter, name, Plan.Waves[wave - 1].Name, Plan.Waves[wave - 1].GateInWords);
    }

    internal DeploymentEntry Still(Func<int, string> deviceOf) => _still ??= new DeploymentEntry(this, deviceOf);

    /// <summary>Takes over where it stands.</summary>
    /// <exception cref="InvalidOperationException">Its targets are to be in memory again, and were not brought (<see cref="Bring"/>).</exception>
    internal void Become(DeploymentRecord record)
    {
        if (!ReferenceEquals(record.State.Shelved, State.Shelved))
        {
            Targets = record.State.Shelved is not null ? BookOf(record)
                : !Targets.IsShelved ? Targets
                : throw new InvalidOperationException($"The targets of {Id} are not there.");
        }

        Record = record;
        Touch();
    }

    /// <summary>From now on the rows of its targets are those of another world.</summary>
    internal void BelongTo(Func<int, string> deviceOf)
    {
        _deviceOf = deviceOf;
        Targets.BelongTo(deviceOf);
    }

    /// <summary>Its targets are in memory again.</summary>
    internal void Bring(TargetBook targets)
    {
        Targets = targets;
        Touch();
    }

    /// <summary>Its targets, fetched from where they were kept, for whoever brings or lends them.</summary>
    /// <param name="rowOf">The row of a device; null for one that is not there.</param>
    internal TargetBook Fetched(IEnumerable<Target> targets, Func<string, int?> rowOf)
    {
        var book = new TargetBook(Plan, _deviceOf);
        foreach (var target in targets)
        {
            if (rowOf(target.Device) is { } row)
            {
                book.Put(row, target, null);
            }
        }

        return book;
    }

    /// <summary>What stands still is not kept for others any longer; those that have it go on reading.</summary>
    internal void ForgetStill() => _still = null;

    /// <summary>Takes over its package as it has become.</summary>
    internal void Become(PackageEntry package)
    {
        Package = package;
        Touch();
    }

    /// <summary>Something of it changed.</summary>
    internal void Touch()
    {
        IsDirty = true;
        _still = null;
    }

    private static DateTimeOffset Later(DateTimeOffset a, DateTimeOffset b) => a > b ? a : b;

    private TargetBook BookOf(DeploymentRecord record) =>
        record.State.Shelved is { } counts ? new TargetBook(Plan, _deviceOf, counts) : new TargetBook(Plan, _deviceOf);

    private sealed record Stop(DeploymentState State, Reason Reason);
}

/// <summary>
/// What is to be done for many devices of a deployment, by rows. Kept is only that there is something (<see cref="DeploymentState.IsUnfinished"/>).
/// </summary>
internal sealed class Pending
{
    /// <summary>The rows to be weighed.</summary>
    public Bitmap ToWeigh { get; } = new();

    /// <summary>The rows to be brought back to what was there before.</summary>
    public Bitmap ToBring { get; } = new();

    /// <summary>The rows that are to try again.</summary>
    public Bitmap ToRetry { get; } = new();

    /// <summary>Who asked for another try.</summary>
    public string RetryAskedBy { get; set; } = "";

    public bool IsEmpty => ToWeigh.IsEmpty() && ToBring.IsEmpty() && ToRetry.IsEmpty();
}
