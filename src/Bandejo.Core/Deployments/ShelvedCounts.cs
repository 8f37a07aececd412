namespace Bandejo.Core.Deployments;

/// <summary>
/// What is counted of the targets of a deployment that is over while they are only kept, and not in memory. It follows a device that is removed, as all
/// figures do.
/// </summary>
/// <param name="Count">How many targets there are.</param>
/// <param name="States">How many are in each state, by the names of states; those that are in none are not named.</param>
/// <param name="Waves">The counts of each wave.</param>
public sealed record ShelvedCounts(int Count, IReadOnlyDictionary<string, int> States, IReadOnlyList<WaveFigures> Waves)
{
    /// <summary>The counts once a target is gone.</summary>
    public ShelvedCounts Without(DeploymentPlan plan, Target target)
    {
        var states = ByState(States);
        states[(int)target.State]--;
        return new ShelvedCounts(Count - 1, Named(states), [.. Waves.Select((kept, wave) =>
        {
            if (wave != target.Wave)
            {
                return kept;
            }

            var counts = WaveCounts.Of(plan.Waves[wave].Gate, kept);
            counts.Remove(target);
            return counts.Figures;
        })]);
    }

    /// <summary>Counts by the order of <see cref="TargetState"/>, of those by name.</summary>
    internal static int[] ByState(IReadOnlyDictionary<string, int> named) =>
        [.. Enum.GetValues<TargetState>().Select(state => named.GetValueOrDefault(StateNames.Of(state)))];

    /// <summary>Counts by name, of those by the order of <see cref="TargetState"/>.</summary>
    internal static IReadOnlyDictionary<string, int> Named(int[] states) => Enum.GetValues<TargetState>().Where(state => states[(int)state] != 0)
        .ToDictionary(StateNames.Of, state => states[(int)state], StringComparer.Ordinal);
}

/// <summary>The counts of one wave as they are kept (<see cref="WaveCounts"/>).</summary>
public sealed record WaveFigures(
    int Total, int Bottom, int Top, int Trials, int Failures, int GoingBack, int NotBack, int Changed, int Harms, IReadOnlyDictionary<string, int> States,
    DateTimeOffset? Trouble);

/// <summary>The targets of a device that are not in memory.</summary>
/// <param name="LookedIn">The deployments in which they were looked for.</param>
/// <param name="Targets">Those that there are, each with its deployment.</param>
public sealed record ShelvedTargets(IReadOnlySet<string> LookedIn, IReadOnlyList<(string Deployment, Target Target)> Targets)
{
    /// <summary>Where everything is in memory.</summary>
    public static ShelvedTargets None { get; } = new(new HashSet<string>(), []);
}
