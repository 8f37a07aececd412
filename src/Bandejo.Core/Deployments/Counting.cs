namespace Bandejo.Core.Deployments;

/// <summary>What a wave's targets come to for its gate and the halt rule.</summary>
/// <param name="Total">All targets of the wave.</param>
/// <param name="Bottom">The targets that the gate counts.</param>
/// <param name="Top">Those of them that are met.</param>
/// <param name="LeftOut">The targets that the gate leaves out.</param>
/// <param name="Trials">Outcomes of tries by this deployment.</param>
/// <param name="Failures">Those of them that failed.</param>
/// <param name="LastTrouble">When a failure or a lost proof was last seen.</param>
/// <param name="GoingBack">Targets that are to be brought back and are not there yet, and still may come there.</param>
/// <param name="Harms">Harm reports.</param>
/// <param name="States">How many targets are in each state, by the order of <see cref="TargetState"/>.</param>
public sealed record Tally(
    int Total, int Bottom, int Top, int LeftOut, int Trials, int Failures, DateTimeOffset? LastTrouble, int GoingBack, int Harms, IReadOnlyList<int> States)
{
    /// <summary>Targets that their gate counts and whose devices are to do something, and were not heard from for long; only where somebody looked.</summary>
    public int Silent { get; init; }

    /// <summary>Targets that are late; only where waves have deadlines of their own.</summary>
    public int Late { get; init; }

    /// <summary>Targets that were to be brought back and could not be.</summary>
    public int NotBack { get; init; }

    /// <summary>Targets that the deployment changed, or is changing, and that are not back at what was there before.</summary>
    public int Changed { get; init; }

    /// <summary>How many are in a state.</summary>
    public int In(TargetState state) => States[(int)state];
}

/// <summary>How compliance counts. Late is part of unmet, or of unknown where nobody heard from the device.</summary>
/// <param name="Met">Proven.</param>
/// <param name="Unmet">Not proven, late ones included.</param>
/// <param name="LateUnmet">Unmet past the deadline.</param>
/// <param name="NotNeeded">Not meant for the device.</param>
/// <param name="Unknown">Not heard from, late ones included.</param>
/// <param name="LateUnknown">Not heard from, past the deadline.</param>
/// <param name="LeftOut">Choice, yielded, left.</param>
public sealed record ComplianceCount(int Met, int Unmet, int LateUnmet, int NotNeeded, int Unknown, int LateUnknown, int LeftOut)
{
    public static ComplianceCount None { get; } = new(0, 0, 0, 0, 0, 0, 0);

    /// <summary>What the share met is taken of.</summary>
    public int Bottom => Met + Unmet + Unknown;

    /// <summary>The same for so many targets alike.</summary>
    public ComplianceCount Times(int count) =>
        new(Met * count, Unmet * count, LateUnmet * count, NotNeeded * count, Unknown * count, LateUnknown * count, LeftOut * count);

    public static ComplianceCount operator +(ComplianceCount a, ComplianceCount b) =>
        new(
            a.Met + b.Met, a.Unmet + b.Unmet, a.LateUnmet + b.LateUnmet, a.NotNeeded + b.NotNeeded, a.Unknown + b.Unknown, a.LateUnknown + b.LateUnknown,
            a.LeftOut + b.LeftOut);
}

/// <summary>Counts, for every figure that decides something or is shown.</summary>
public static class Counting
{
    /// <summary>Counts a wave.</summary>
    /// <param name="targets">The targets of the wave.</param>
    /// <param name="gate">The wave's gate; null counts as a gate without additions.</param>
    /// <param name="proofAge">How long a proof keeps its worth.</param>
    /// <param name="lastHeard">When a device was last heard from; null for never.</param>
    /// <param name="now">The moment of counting.</param>
    public static Tally Count(IEnumerable<Target> targets, Gate? gate, TimeSpan proofAge, Func<string, DateTimeOffset?> lastHeard, DateTimeOffset now)
    {
        var all = targets as IReadOnlyCollection<Target> ?? [.. targets];
        var counts = new WaveCounts(gate);
        foreach (var target in all)
        {
            counts.Add(target);
        }

        return counts.Tally(all, proofAge, lastHeard, now);
    }

    /// <summary>Whether the deadline has passed for a target that can be late.</summary>
    public static bool IsLate(TargetState state, DateTimeOffset? deadline, DateTimeOffset now) => deadline <= now && state.Has(TargetTrait.Late);

    /// <summary>How many targets of the waves are late.</summary>
    public static int Late(DeploymentPlan plan, IReadOnlyList<Tally> tallies, DateTimeOffset now) => Deadlines.AreOfWaves(plan)
        ? tallies.Sum(tally => tally.Late)
        : Enum.GetValues<TargetState>().Where(state => IsLate(state, plan.Deadline, now)).Sum(state => tallies.Sum(tally => tally.In(state)));

    /// <summary>How many of so many targets in each state are late where all have one deadline, by the order of <see cref="TargetState"/>.</summary>
    public static int[] Late(int[] states, DateTimeOffset? deadline, DateTimeOffset now) =>
        [.. states.Select((count, state) => IsLate((TargetState)state, deadline, now) ? count : 0)];

    /// <summary>What so many targets are for compliance.</summary>
    /// <param name="states">How many are in each state, by the order of <see cref="TargetState"/>.</param>
    /// <param name="late">How many of these are late.</param>
    public static ComplianceCount Compliance(int[] states, int[] late)
    {
        var sum = ComplianceCount.None;
        for (var state = 0; state < states.Length; state++)
        {
            if (states[state] > 0)
            {
                sum += Compliance((TargetState)state, false).Times(states[state] - late[state]) + Compliance((TargetState)state, true).Times(late[state]);
            }
        }

        return sum;
    }

    /// <summary>What one target is for compliance.</summary>
    public static ComplianceCount Compliance(TargetState state, DateTimeOffset? deadline, DateTimeOffset now) =>
        Compliance(state, IsLate(state, deadline, now));

    private static ComplianceCount Compliance(TargetState state, bool isLate)
    {
        var late = isLate ? 1 : 0;
        return state.CountsAs() switch
        {
            ComplianceKind.Met => ComplianceCount.None with { Met = 1 },
            ComplianceKind.NotNeeded => ComplianceCount.None with { NotNeeded = 1 },
            ComplianceKind.Unknown => ComplianceCount.None with { Unknown = 1, LateUnknown = late },
            ComplianceKind.LeftOut => ComplianceCount.None with { LeftOut = 1 },
            _ => ComplianceCount.None with { Unmet = 1, LateUnmet = late },
        };
    }

    /// <summary>Whether a gate counts a target in a state, silence left aside.</summary>
    public static bool IsCounted(TargetState state, Gate? gate) => state.CountsAs() switch
    {
        ComplianceKind.NotNeeded => gate?.NotNeededCounts ?? false,
        ComplianceKind.LeftOut => false,
        _ => true,
    };

    /// <summary>Whether a gate counts a target, and counts it as met.</summary>
    /// <param name="isFresh">Whether a proof of that moment keeps its worth.</param>
    /// <param name="isSilent">Whether nobody has heard from the device for so long.</param>
    internal static (bool Bottom, bool Top) ForGate(Target target, Gate? gate, Func<DateTimeOffset, bool> isFresh, Func<TimeSpan, bool> isSilent)
    {
        switch (target.State)
        {
            case TargetState.Met:
                return (true, target.ProvenAt is { } proven && isFresh(proven));
            case TargetState.NotNeeded:
                var counts = IsCounted(target.State, gate);
                return (counts, counts);
            case TargetState.Unknown when gate?.SilentAfter is { } silent && !target.HasBegun:
                return (!isSilent(silent), false);
            default:
                return (IsCounted(target.State, gate), false);
        }
    }
}
