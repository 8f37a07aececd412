using Bandejo.Contract.Api;
using Bandejo.Contract.Device;
using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.Rules;
using Bandejo.Core.Versions;
using Bandejo.Store;

namespace Bandejo.Server.World;

/// <summary>A device in memory.</summary>
internal sealed class DeviceEntry(StoredDevice stored, int row)
{
    private StoredDevice _stored = stored;
    private string? _words;

    public StoredDevice Stored
    {
        get => _stored;
        set
        {
            _words = ReferenceEquals(value.Facts, _stored.Facts) ? _words : null;
            _stored = value;
        }
    }

    /// <summary>What people may look for it by, in lower case.</summary>
    public string Words => _words ??= string.Join(' ', new[] { Name, Fact("model"), Fact("site"), Fact("kind"), Fact("host") }.OfType<string>()).ToLowerInvariant();

    /// <summary>Its row in the fleet's columns.</summary>
    public int Row { get; } = row;

    public string Id => Stored.Id;

    public string Name => Stored.Name;

    private string? Fact(string name) => _stored.Facts.GetValueOrDefault(name);

    /// <summary>When it last checked in. May be ahead of what is stored.</summary>
    public DateTimeOffset? LastHeard { get; set; } = stored.LastHeard;

    /// <summary>The number of its last check-in. May be ahead of what is stored.</summary>
    public long Sequence { get; set; } = stored.Sequence;

    /// <summary>The deployments it is a target of.</summary>
    public List<DeploymentEntry> Deployments { get; } = [];

    /// <summary>Attempts that ended lately, so that a report sent twice at once is taken once; older ones are known to the store.</summary>
    public HashSet<string> EndedAttempts { get; } = [];

    /// <summary>Its orders as last worked out; null when something changed since.</summary>
    public (IReadOnlyList<Order> Orders, string Tag)? Orders { get; set; }

    /// <summary>It waits to be looked at for whether its orders are new.</summary>
    public bool IsInDoubt { get; set; }
}

/// <summary>A group in memory with the devices that are in it.</summary>
internal sealed class GroupEntry(StoredGroup stored, Rule? rule)
{
    public StoredGroup Stored { get; set; } = stored;

    private Rule? _rule = rule;
    private RowRule? _compiled;

    /// <summary>Null for a listed group.</summary>
    public Rule? Rule
    {
        get => _rule;
        set => (_rule, _compiled) = (value, null);
    }

    /// <summary>What its rule says of one device.</summary>
    public Truth Test(FleetColumns columns, int row) => (_compiled ??= columns.Compile(_rule!)).At(row);

    /// <summary>The rows that are certainly in it.</summary>
    public Bitmap In { get; set; } = new();

    /// <summary>The rows for which its rule is not known yet.</summary>
    public Bitmap NotKnown { get; set; } = new();

    /// <summary>The group as it is answered.</summary>
    public GroupInfo Info() => new(Stored.Slug, Stored.Name, Rule is null ? "listed" : "rule", Stored.Rule, Stored.IsForTesting, In.Count(), NotKnown.Count(), Stored.Revision);
}

/// <summary>A package in memory.</summary>
internal sealed class PackageEntry(StoredPackage stored, PackageDocument document)
{
    public StoredPackage Stored { get; set; } = stored;

    public PackageDocument Document { get; } = document;

    public AppVersion Version { get; } = AppVersion.Parse(stored.Version);

    public IReadOnlyList<VariantRules> Variants { get; } =
        [.. document.Variants.Select(variant => new VariantRules(variant.Name, Rule.Parse(variant.Fits).Value, Rule.Parse(variant.Requires).Value))];

    public PackageLink Link => new(Stored.Digest, Stored.App, Stored.Version, Stored.Seal);
}

/// <summary>A deployment in memory with its targets.</summary>
internal sealed class DeploymentEntry(StoredDeployment stored, DeploymentPlan plan, PackageEntry package)
{
    private Tally[]? _tallies;
    private DateTimeOffset _talliedAt;

    public StoredDeployment Stored { get; set; } = stored;

    public DeploymentPlan Plan { get; } = plan;

    public PackageEntry Package { get; } = package;

    public string Id => Plan.Id;

    public DeploymentState State => Stored.State;

    public Dictionary<string, Target> Targets { get; } = new(StringComparer.Ordinal);

    public bool IsActive => State.Status != DeploymentStatus.Ended;

    /// <summary>When it must be looked at again even if nothing happens.</summary>
    public DateTimeOffset? LookAt { get; set; }

    /// <summary>Something changed that its next look should see.</summary>
    public bool IsDirty { get; set; }

    /// <summary>Forgets the counts, which are taken anew when they are next asked for.</summary>
    public void Changed()
    {
        _tallies = null;
        IsDirty = true;
    }

    /// <summary>The counts of each wave.</summary>
    public IReadOnlyList<Tally> Tallies(Func<string, DateTimeOffset?> lastHeard, DateTimeOffset now)
    {
        // Proofs and silence age: counts are never kept for longer than a few seconds.
        if (_tallies is null || now - _talliedAt > TimeSpan.FromSeconds(5))
        {
            var byWave = new List<Target>[Plan.Waves.Count];
            for (var i = 0; i < byWave.Length; i++)
            {
                byWave[i] = [];
            }

            foreach (var target in Targets.Values)
            {
                if (target.Wave >= 0)
                {
                    byWave[target.Wave].Add(target);
                }
            }

            _tallies = [.. byWave.Select((targets, wave) => Counting.Count(targets, Plan.Waves[wave].Gate, Plan.ProofAge, lastHeard, now))];
            _talliedAt = now;
        }

        return _tallies;
    }
}
