using Bandejo.Core.Deployments;

namespace Bandejo.Simulation.Tests;

/// <summary>
/// Counts a wave anew from its targets: slowly, and state by state as the page on counting has it, so that it shares nothing with what it is held against.
/// </summary>
internal sealed record Recount(int Total, int Bottom, int Top, int Trials, int Failures, int Harms, int GoingBack, int NotBack, int Changed)
{
    public static Recount Of(IEnumerable<Target> targets, Gate? gate, TimeSpan proofAge, Func<string, DateTimeOffset?> lastHeard, DateTimeOffset now)
    {
        var (total, bottom, top, trials, failures, harms, goingBack, notBack, changed) = (0, 0, 0, 0, 0, 0, 0, 0, 0);
        foreach (var target in targets)
        {
            total++;
            harms += target.Harms > 0 ? 1 : 0;
            switch (target.State)
            {
                case TargetState.Met:
                    bottom++;
                    top += target.ProvenAt is { } proven && proven + proofAge >= now ? 1 : 0;
                    trials += target.IsInstalledHere ? 1 : 0;
                    break;
                case TargetState.NotNeeded:
                    bottom += gate is { NotNeededCounts: true } ? 1 : 0;
                    top += gate is { NotNeededCounts: true } ? 1 : 0;
                    break;
                case TargetState.Choice or TargetState.Yielded or TargetState.Left:
                    break;
                case TargetState.Unknown:
                    var isSilent = gate?.SilentAfter is { } most && !target.HasBegun && !(lastHeard(target.Device) is { } heard && now < heard + most);
                    bottom += isSilent ? 0 : 1;
                    break;
                case TargetState.Failed or TargetState.Lost:
                    bottom++;
                    failures++;
                    trials++;
                    break;
                case TargetState.Undone:
                    bottom++;
                    failures += target.HasFailed ? 1 : 0;
                    trials += target.HasFailed ? 1 : 0;
                    break;
                default:
                    bottom++;
                    break;
            }

            var isBack = target.State == TargetState.Undone;
            goingBack += target.IsToGoBack || (target.IsGoingBack && !isBack && target.State != TargetState.Failed) ? 1 : 0;
            notBack += target.CannotGoBack || (target.IsGoingBack && target.State == TargetState.Failed) ? 1 : 0;
            changed += target.State == TargetState.Working || (target.HasBegun && target.Before is not null && !isBack) ? 1 : 0;
        }

        return new Recount(total, bottom, top, trials, failures, harms, goingBack, notBack, changed);
    }

    public static Recount None { get; } = new(0, 0, 0, 0, 0, 0, 0, 0, 0);

    public static Recount Of(Tally tally) =>
        new(tally.Total, tally.Bottom, tally.Top, tally.Trials, tally.Failures, tally.Harms, tally.GoingBack, tally.NotBack, tally.Changed);

    /// <summary>How many a gate needs.</summary>
    public int Needed(Gate gate) => gate.Count ?? (int)Math.Ceiling((gate.Share ?? 0) / 10_000m * Bottom);

    /// <summary>Whether a gate's count holds.</summary>
    public bool Holds(Gate gate) => Bottom > 0 && Top >= Needed(gate) && (gate.MostHarms is null || Harms <= gate.MostHarms);
}
