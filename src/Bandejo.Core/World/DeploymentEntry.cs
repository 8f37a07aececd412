using Bandejo.Core.Deployments;

namespace Bandejo.Core.World;

/// <summary>A deployment in the world with its targets.</summary>
public sealed class DeploymentEntry
{
    private DeploymentEntry? _still;

    internal DeploymentEntry(DeploymentRecord record, PackageEntry package, Func<int, string> deviceOf)
    {
        (Record, Package) = (record, package);
        Plan = record.Plan ?? throw new ArgumentException($"The deployment {record.Id} has no plan.", nameof(record));
        Targets = new TargetBook(Plan, deviceOf);
    }

    private DeploymentEntry(DeploymentEntry moving, Func<int, string> deviceOf) =>
        (Record, Package, Plan, Targets, _still) = (moving.Record, moving.Package, moving.Plan, moving.Targets.Still(deviceOf), this);

    public DeploymentRecord Record { get; private set; }

    public DeploymentPlan Plan { get; }

    public PackageEntry Package { get; private set; }

    public TargetBook Targets { get; }

    public string Id => Plan.Id;

    public DeploymentState State => Record.State;

    /// <summary>Why this version of the program cannot read what was started; null where it can.</summary>
    public string? Unreadable => Record.Unreadable;

    public bool IsActive => State.Status != DeploymentStatus.Ended;

    /// <summary>When it must be looked at again even if nothing happens.</summary>
    internal DateTimeOffset? LookAt { get; set; }

    /// <summary>Something changed that its next look should see.</summary>
    internal bool IsDirty { get; set; } = true;

    internal DeploymentEntry Still(Func<int, string> deviceOf) => _still ??= new DeploymentEntry(this, deviceOf);

    /// <summary>Takes over where it stands.</summary>
    internal void Become(DeploymentRecord record)
    {
        Record = record;
        Touch();
    }

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
}
