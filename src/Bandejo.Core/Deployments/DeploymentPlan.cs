using Bandejo.Core.Calendars;
using Bandejo.Core.Versions;

namespace Bandejo.Core.Deployments;

/// <summary>What a deployment wants of its devices.</summary>
public enum Wish
{
    /// <summary>The app must be there, in this version or a newer one.</summary>
    Have,

    /// <summary>The app must not be there, in any version.</summary>
    Gone,

    /// <summary>The app may be taken from the shelf by the device's user; taken, it must be there.</summary>
    Choice,
}

/// <summary>What a deadline does, once it has passed, to devices that are unmet.</summary>
public enum AfterDeadline
{
    /// <summary>They are late, and nothing else.</summary>
    Late,

    /// <summary>They start outside their windows too, once whoever is signed in was told. A freeze holds even then.</summary>
    Start,

    /// <summary>The same, and programs in the way, which are waited for until then, are closed.</summary>
    Close,
}

/// <summary>One stage of a deployment.</summary>
/// <param name="Name">For people.</param>
/// <param name="Pick">Which devices it takes.</param>
/// <param name="Gate">What must hold here before the next wave opens; null for the last wave.</param>
/// <param name="OpensAt">The earliest moment at which it opens.</param>
public sealed record Wave(string Name, Pick Pick, Gate? Gate, DateTimeOffset? OpensAt)
{
    /// <summary>The gate's sentence, worked out once: it is in the reason of every target that waits behind it. Empty for none.</summary>
    public string GateInWords { get; } = Gate?.ToString() ?? "";

    /// <summary>The hours in which it opens; null for any.</summary>
    public OpenHours? Hours { get; init; }

    /// <summary>When its devices are late, in the place of what the deployment says; null for as that does.</summary>
    public WaveDeadline? Deadline { get; init; }

    /// <summary>When it may open, where that is later than now; null where it may, and the end of time where it never may.</summary>
    public DateTimeOffset? NotBefore(DateTimeOffset now)
    {
        var from = OpensAt > now ? OpensAt.Value : now;
        var at = Hours is null ? from : Hours.Next(from) ?? DateTimeOffset.MaxValue;
        return at > now ? at : null;
    }
}

/// <summary>What was asked for. Never changes after the start.</summary>
public sealed record DeploymentPlan
{
    public required string Id { get; init; }

    public required string Name { get; init; }

    /// <summary>What counts and shares are drawn by: with the same salt the same devices come out, before the start and at it.</summary>
    public string Salt { get => field ?? Id; init; }

    public required string App { get; init; }

    /// <summary>The app's name as people know it.</summary>
    public required string AppName { get; init; }

    /// <summary>The digest of the package. For <see cref="Wish.Gone"/> the package whose removal step is used.</summary>
    public required string Package { get; init; }

    public required AppVersion Version { get; init; }

    public Wish Wish { get; init; }

    /// <summary>Slugs of the groups that it reaches.</summary>
    public required IReadOnlyList<string> Groups { get; init; }

    /// <summary>Slugs of the groups left out; leaving out always wins.</summary>
    public IReadOnlyList<string> Except { get; init; } = [];

    public required IReadOnlyList<Wave> Waves { get; init; }

    public HaltRule Halt { get; init; } = HaltRule.Default;

    /// <summary>Whether a halt rolls the whole deployment back by itself.</summary>
    public bool RollBackOnHalt { get; init; }

    public RetryRule Retry { get; init; } = RetryRule.Default;

    /// <summary>The moment after which unmet devices are late; null for none.</summary>
    public DateTimeOffset? Deadline { get; init; }

    /// <summary>What the deadline does beyond counting what is unmet as late.</summary>
    public AfterDeadline AfterDeadline { get; init; }

    /// <summary>Whether the deadline lets devices start outside their windows.</summary>
    public bool StartsAfterDeadline => AfterDeadline != AfterDeadline.Late;

    /// <summary>
    /// So long before something starts for its deadline alone, or programs are closed, whoever is signed in is told; null for <see cref="UserNotice.Usual"/>.
    /// </summary>
    public TimeSpan? Notice { get; init; }

    /// <summary>The calendars of its own: their windows narrow those of its devices, their freezes hold besides.</summary>
    public IReadOnlyList<string> Calendars { get; init; } = [];

    /// <summary>How files are fetched for it; what groups say holds besides.</summary>
    public FetchRule Fetch { get; init; } = FetchRule.Usual;

    /// <summary>Whether devices that sleep are woken when their window opens.</summary>
    public bool Wakes { get; init; }

    /// <summary>How many devices of a site are changed at once; null for any number.</summary>
    public AtOnce? AtOnce { get; init; }

    /// <summary>What must be so on a device when it is started there.</summary>
    public StartWhen StartWhen { get; init; } = StartWhen.Any;

    /// <summary>When devices that need a restart for it are restarted.</summary>
    public RestartChoice Restart { get; init; } = RestartChoice.LeftToPeople;

    /// <summary>How long a device may still start the order without hearing from the service.</summary>
    public TimeSpan Lease { get; init; } = TimeSpan.FromDays(1);

    /// <summary>How long a proof keeps its worth.</summary>
    public TimeSpan ProofAge { get; init; } = TimeSpan.FromDays(7);

    /// <summary>How long a device may be silent after it began before it is lost.</summary>
    public TimeSpan LostAfter { get; init; } = TimeSpan.FromHours(4);

    /// <summary>How often a lost proof is repaired before the target counts as failed.</summary>
    public int Repairs { get; init; } = 3;

    /// <summary>Values of the package's settings that are not its defaults.</summary>
    public IReadOnlyDictionary<string, string> Settings { get; init; } = new Dictionary<string, string>();

    /// <summary>The kept handling that it names; null for its app's, <see cref="NoHandling"/> for as the package has it.</summary>
    public string? Handling { get; init; }

    /// <summary>Stands in <see cref="Handling"/> for none.</summary>
    public const string NoHandling = "none";

    /// <summary>The stronger of several deployments for one app; 0 unless set.</summary>
    public int Priority { get; init; }

    /// <summary>May a newer version be replaced by this one.</summary>
    public bool AllowsDowngrade { get; init; }

    /// <summary>Whether it ends by itself once another deployment has wholly taken its place (<see cref="Rollouts.Replacing"/>).</summary>
    public bool EndsWhenReplaced { get; init; }
}

/// <summary>Where a deployment stands.</summary>
public enum DeploymentStatus
{
    Running,
    Paused,

    /// <summary>Stopped by its halt rule or by hand: no new order goes out.</summary>
    Halted,

    /// <summary>Devices are being brought to what each had before.</summary>
    RollingBack,

    /// <summary>Every wave is open and every gate has passed; stays on guard for lost proofs and new devices.</summary>
    Standing,

    /// <summary>Over: no orders, no watching.</summary>
    Ended,
}

/// <summary>Where one wave stands.</summary>
/// <param name="OpenedAt">When it opened; null while it is closed.</param>
/// <param name="ReachedAt">Since when its gate's count holds; the soak runs from here.</param>
/// <param name="IsSoaked">The count held through the soak; approval may follow.</param>
/// <param name="PassedAt">When its gate passed.</param>
/// <param name="Expected">How many devices it held when it opened.</param>
/// <param name="AcceptedFailures">Failures that somebody accepted by resuming after a halt; the halt rule judges only what came after them.</param>
/// <param name="AcceptedTrials">The trials at that moment.</param>
/// <param name="AcceptedHarms">The harm reports at that moment.</param>
public sealed record WaveState(
    DateTimeOffset? OpenedAt, DateTimeOffset? ReachedAt, bool IsSoaked, DateTimeOffset? PassedAt, int Expected, int AcceptedFailures = 0,
    int AcceptedTrials = 0, int AcceptedHarms = 0)
{
    public static WaveState Closed { get; } = new(null, null, false, null, 0);
}

/// <summary>The counts on which a wave halted its deployment.</summary>
/// <param name="Wave">The wave, from 0.</param>
public sealed record HaltedBy(int Wave, int Failures, int Trials);

/// <summary>The state of a deployment as a whole.</summary>
public sealed record DeploymentState
{
    public required DeploymentStatus Status { get; init; }

    public required IReadOnlyList<WaveState> Waves { get; init; }

    public required string StartedBy { get; init; }

    public required DateTimeOffset StartedAt { get; init; }

    /// <summary>Why it is paused, halted, rolling back or ended.</summary>
    public string Reason { get; init; } = "";

    /// <summary>Which wave halted it by rule, and on what counts; null where a person did, or nothing has.</summary>
    public HaltedBy? HaltedBy { get; init; }

    /// <summary>Rolling back after its end, and only what was asked for.</summary>
    public bool RollsBackSome { get; init; }

    /// <summary>Something that was decided is not done yet for all of its devices: what a start finds so is weighed again.</summary>
    public bool IsUnfinished { get; init; }

    /// <summary>When it came into this status.</summary>
    public DateTimeOffset Since { get; init; }

    /// <summary>What is counted of its targets while they are only kept and not in memory; null while they are.</summary>
    public ShelvedCounts? Shelved { get; init; }

    /// <summary>Raised by every change, so that two people do not overwrite each other.</summary>
    public int Revision { get; init; }

    /// <summary>A deployment at its start, all waves closed.</summary>
    public static DeploymentState Start(DeploymentPlan plan, string by, DateTimeOffset now) => new()
    {
        Status = DeploymentStatus.Running,
        Waves = [.. plan.Waves.Select(_ => WaveState.Closed)],
        StartedBy = by,
        StartedAt = now,
        Since = now,
    };

    /// <summary>Whether devices may come in, and what stands open may start.</summary>
    public bool TakesIn => Status is DeploymentStatus.Running or DeploymentStatus.Standing;

    /// <summary>Whether devices of a wave may start now.</summary>
    public bool MayStart(int wave) =>
        TakesIn && wave >= 0 && wave < Waves.Count && Waves[wave].OpenedAt is not null;
}
