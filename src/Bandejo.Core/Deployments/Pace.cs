namespace Bandejo.Core.Deployments;

/// <summary>How long waves take to reach what their gates ask for, from the fleet's own history.</summary>
/// <param name="Usual">The median.</param>
/// <param name="Waves">Of how many waves.</param>
public sealed record Pace(TimeSpan Usual, int Waves)
{
    /// <summary>Of fewer waves, no pace is claimed.</summary>
    public const int LeastWaves = 3;

    /// <summary>A wave overruns when it takes this many times as long as usual.</summary>
    private const int Overrun = 2;

    /// <summary>The pace of waves that opened and reached their gate's count; null where there are too few of them.</summary>
    public static Pace? Of(IEnumerable<WaveState> waves)
    {
        var times = waves.Where(wave => wave is { OpenedAt: not null, ReachedAt: not null }).Select(wave => wave.ReachedAt!.Value - wave.OpenedAt!.Value)
            .Order().ToList();
        return times.Count < LeastWaves ? null : new Pace(times[times.Count / 2], times.Count);
    }

    /// <summary>Whether an open wave that has not reached its count takes much longer than usual.</summary>
    /// <param name="interval">The time between two check-ins; a wave is never late by less.</param>
    public bool IsOverrun(WaveState wave, TimeSpan interval, DateTimeOffset now) =>
        wave is { OpenedAt: { } opened, ReachedAt: null, PassedAt: null } && now - opened > (Usual * Overrun) + interval;
}
