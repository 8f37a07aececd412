using Bandejo.Contract.Api;
using Bandejo.Contract.Device;
using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.Packages;
using Bandejo.Core.Rules;
using Bandejo.Core.Versions;
using Bandejo.Core.World;
using Bandejo.Store;

namespace Bandejo.Server.World;

/// <summary>A device in memory.</summary>
internal sealed class DeviceEntry(DeviceRecord stored, int row)
{
    private List<DeploymentEntry>? _deployments;

    public DeviceRecord Record { get; set; } = stored;

    /// <summary>Its row in the fleet's columns.</summary>
    public int Row { get; } = row;

    public string Id => Record.Id;

    public string Name => Record.Name;

    /// <summary>When it last checked in. May be ahead of what is stored.</summary>
    public DateTimeOffset? LastHeard { get; set; } = stored.LastHeard;

    /// <summary>The number of its last check-in. May be ahead of what is stored.</summary>
    public long Sequence { get; set; } = stored.Sequence;

    /// <summary>The deployments it is a target of.</summary>
    public IReadOnlyList<DeploymentEntry> Deployments => _deployments ?? (IReadOnlyList<DeploymentEntry>)[];

    /// <summary>When the newest attempt that it reported began, by its own clock; one that began later is new for certain. Null until the store was asked.</summary>
    public DateTimeOffset? NewestAttempt { get; set; }

    /// <summary>The ended attempts that its last check-in spoke of: what it sends again at once may not be in the store yet.</summary>
    public IReadOnlyList<string> LastReported { get; set; } = [];

    /// <summary>The tag of whom it believes to be this service, as of its last check-in over TLS; null where there was none since the start.</summary>
    public string? TrustTag { get; set; }

    /// <summary>How many words that no device had said before it brought on a day.</summary>
    public (DateOnly Day, int Count) NewWords { get; set; }

    /// <summary>What it last said it waits for; null for nothing, or not heard since the start.</summary>
    public IReadOnlyList<WaitReport>? Waits { get; set; }

    /// <summary>What of its last facts was left out, and why.</summary>
    public IReadOnlyList<string> LeftOut { get; set; } = [];

    /// <summary>How many words of its user were taken on a day.</summary>
    public (DateOnly Day, int Count) WordsToday { get; set; }

    /// <summary>The tag of its orders as last worked out; null when something changed since.</summary>
    public string? OrdersTag { get; set; }

    /// <summary>It became a target of a deployment.</summary>
    public void Joins(DeploymentEntry deployment) => (_deployments ??= new(1)).Add(deployment);

    /// <summary>It waits to be looked at for whether its orders are new.</summary>
    public bool IsInDoubt { get; set; }
}

/// <summary>A group in memory with the devices that are in it.</summary>
internal sealed class GroupEntry(GroupRecord stored, Rule? rule)
{
    public GroupRecord Record { get; set; } = stored;

    private Rule? _rule = rule;
    private RowRule? _compiled;
    private HashSet<string>? _apps;

    /// <summary>Null for a listed group.</summary>
    public Rule? Rule
    {
        get => _rule;
        set => (_rule, _compiled, _apps) = (value, null, null);
    }

    /// <summary>What its rule says of one device.</summary>
    public Truth Test(FleetColumns columns, int row) => (_compiled ??= columns.Compile(_rule!)).At(row);

    /// <summary>Whether its rule asks about an app.</summary>
    public bool AsksAbout(string app) => (_apps ??= [.. _rule?.Facts().Where(fact => fact.IsApp).Select(fact => fact.Name) ?? []]).Contains(app);

    /// <summary>The rows that are certainly in it.</summary>
    public Bitmap In { get; set; } = new();

    /// <summary>The rows for which its rule is not known yet.</summary>
    public Bitmap NotKnown { get; set; } = new();

    /// <summary>What an event is called by which a device comes into a group, or leaves it.</summary>
    public static string MoveWord(string slug, bool isIn) => $"{(isIn ? "into" : "out-of")} {slug}";

    /// <summary>The group as it is answered.</summary>
    public GroupInfo Info() => new(Record.Slug, Record.Name, Rule is null ? "listed" : "rule", Record.Rule, Record.IsForTesting, In.Count(), NotKnown.Count(), Record.Revision, Rule?.Unreadable);
}

/// <summary>A package in memory.</summary>
internal sealed class PackageEntry(PackageRecord stored, PackageDocument document)
{
    /// <summary>The word in the history of a package whose files were let go, and of one whose files came again.</summary>
    public const string Retired = "retired";

    public const string Restored = "restored";

    /// <summary>Whether its files were let go.</summary>
    public bool IsRetired => Record.History.LastOrDefault(step => step.State is Retired or Restored)?.State == Retired;

    public PackageRecord Record { get; set; } = stored;

    public PackageDocument Document { get; } = document;

    /// <summary>Its version; 0 where this version of the program cannot read it.</summary>
    public AppVersion Version { get; } = AppVersion.TryParse(stored.Version, out var version) ? version : AppVersion.Parse("0");

    private static readonly Rule NotKnown = Rule.NotKnown("", "the document of the package was kept by another version of Bandejo and cannot be read by this one");

    /// <summary>Whom it is meant for. What an earlier version of the program took and this one cannot read is not known, of every device.</summary>
    public IReadOnlyList<VariantRules> Variants { get; } = document.Variants.Count == 0
        ? [new VariantRules("unreadable", NotKnown, NotKnown)]
        : [.. document.Variants.Select(variant => new VariantRules(variant.Name, Rule.OfKept(variant.Fits), Rule.OfKept(variant.Requires)))];

    /// <summary>The digests of all that it is made of, but for its document.</summary>
    public IReadOnlySet<string> Content { get; } = Server.Packages.Documents.FilesOf(document).Select(file => file.Sha256).ToHashSet(StringComparer.Ordinal);

    /// <summary>Other apps that must be there first.</summary>
    public IReadOnlyList<Need> Needs { get; } = Server.Packages.Documents.NeedsOf(document);

    public PackageLink Link => new(Record.Digest, Record.App, Record.Version, Record.Seal);
}

/// <summary>A deployment in memory with its targets.</summary>
internal sealed class DeploymentEntry(DeploymentRecord stored, DeploymentPlan plan, PackageEntry package)
{
    public DeploymentRecord Record { get; set; } = stored;

    public DeploymentPlan Plan { get; } = plan;

    public PackageEntry Package { get; } = package;

    public string Id => Plan.Id;

    public DeploymentState State => Record.State;

    public TargetBook Targets { get; } = new(plan);

    /// <summary>Why this version of the program cannot read what was started; null where it can.</summary>
    public string? Unreadable { get; init; }

    public bool IsActive => State.Status != DeploymentStatus.Ended;

    /// <summary>When it must be looked at again even if nothing happens.</summary>
    public DateTimeOffset? LookAt { get; set; }

    /// <summary>Something changed that its next look should see.</summary>
    public bool IsDirty { get; set; } = true;

    /// <summary>Takes over a new or changed target.</summary>
    /// <param name="interval">The time between two check-ins.</param>
    public void Put(DeviceEntry device, Target target, TimeSpan interval)
    {
        Targets.Put(device, target, Core.Deployments.Targets.DueAt(Plan, target, device.LastHeard, interval));
        IsDirty = true;
    }
}
