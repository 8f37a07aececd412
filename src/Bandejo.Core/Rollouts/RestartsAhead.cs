using Bandejo.Core.Deployments;
using Bandejo.Core.Packages;
using Bandejo.Core.World;

namespace Bandejo.Core.Rollouts;

/// <summary>Which devices will need a restart before they are proven.</summary>
public static class RestartsAhead
{
    private const int SampleSize = 3;

    /// <summary>What a person should know before the start: that nobody but people restarts them, and which gate waits for that.</summary>
    internal static IEnumerable<Finding> Findings(DeploymentPlan plan, PackageEntry package, KeptHandling? handling, IReadOnlyList<Foreseen> foreseen)
    {
        if (plan.Restart != RestartChoice.LeftToPeople || plan.Wish == Wish.Gone)
        {
            yield break;
        }

        var needing = foreseen.Where(
            each => each.Effect is Effect.Enter or Effect.Upgrade or Effect.Downgrade && NeedsOne(package, handling, each.Stand.Variant)).ToList();
        if (needing.Count == 0)
        {
            yield break;
        }

        var is1 = needing.Count == 1;
        var which = string.Join(", ", needing.Take(SampleSize).Select(each => each.Device.Name)) + (needing.Count > SampleSize ? ", …" : "");
        var wave = Enumerable.Range(0, plan.Waves.Count).Cast<int?>().FirstOrDefault(at => WaitsForThem(plan.Waves[at!.Value].Gate, at.Value));
        yield return new Finding(
            $"{needing.Count} device{(is1 ? " needs" : "s need")} a restart before {(is1 ? "it is" : "they are")} proven ({which}), which is left to people"
                + (wave is { } first ? $": the gate behind '{plan.Waves[first].Name}' can pass only when people restart." : "."),
            "restart") { IsWarning = true };

        // Where enough others can be met, the gate passes without them.
        bool WaitsForThem(Gate? gate, int at)
        {
            var counted = foreseen.Where(each => each.Wave == at && each.IsCounted(gate)).ToList();
            return gate is not null && counted.Count(each => each.CanBeMet(gate) && !needing.Contains(each)) < gate.Needed(counted.Count);
        }
    }

    /// <summary>Takes note that a variant asked for a restart.</summary>
    internal static void Learn(Decision decision, PackageEntry package, string variant, AttemptOutcome outcome)
    {
        if (outcome == AttemptOutcome.Restart && package.Record.Restarted?.Contains(variant) != true)
        {
            decision.Do(new PutPackage(package.Record with { Restarted = [.. package.Record.Restarted ?? [], variant] }));
        }
    }

    /// <summary>Whether a variant says so itself, or asked for one before.</summary>
    private static bool NeedsOne(PackageEntry package, KeptHandling? handling, string? variant) =>
        (handling?.Restart ?? package.Variants.FirstOrDefault(each => each.Name == variant)?.Restart) switch
        {
            RestartRule.Always => true,
            RestartRule.AsTold => variant is not null && package.Record.Restarted?.Contains(variant) == true,
            _ => false,
        };
}
