using Bandejo.Core.Rollouts;
using Bandejo.Core.Rules;
using Bandejo.Core.World;

namespace Bandejo.Core.Site;

/// <summary>Keeps lists of waves for reuse. A deployment copies its waves; changing a plan changes no deployment.</summary>
public static class WavePlans
{
    private const int LongestSlug = 64;

    /// <param name="name">For people; null keeps the one it has.</param>
    /// <param name="written">The waves as they are kept.</param>
    public static Outcome<WavePlanRecord> Keep(Decision decision, RevisionCheck seen, string slug, string? name, IReadOnlyList<WaveAsk> waves, string written)
    {
        if (slug.Length is 0 or > LongestSlug || FactCatalog.Slug(slug) != slug)
        {
            return new Failure(ErrorKind.Invalid, $"A wave plan's short name is lower-case letters, digits and hyphens, such as '{FactCatalog.Slug(slug)}'.");
        }

        var known = decision.World.WavePlans.GetValueOrDefault(slug);
        if (known is not null && seen(known.Revision, must: true) is { } unseen)
        {
            return unseen;
        }

        var findings = new List<Finding>();
        Planning.ReadWaves(waves, findings);
        if (findings.Count > 0)
        {
            return new Failure(ErrorKind.Invalid, findings.Count == 1 ? findings[0].Message : $"The wave plan has {findings.Count} errors.", findings);
        }

        var plan = new WavePlanRecord(slug, string.IsNullOrWhiteSpace(name) ? known?.Name ?? slug : name.Trim(), written, (known?.Revision ?? 0) + 1);
        decision.Do(new PutWavePlan(plan));
        decision.Audit(
            "wave-plan-kept", $"The wave plan '{slug}' was {(known is null ? "made" : "changed")}: {string.Join(" / ", waves.Select(wave => wave.Name))}.");
        return plan;
    }

    public static Outcome<bool> Remove(Decision decision, RevisionCheck seen, string slug)
    {
        var found = Named.WavePlan(decision.World, slug, isWhole: true);
        if (!found.Ok)
        {
            return found.Failure!;
        }

        slug = found.Value.Slug;
        if (seen(found.Value.Revision, must: true) is { } unseen)
        {
            return unseen;
        }

        decision.Do(new DeleteWavePlan(slug));
        decision.Audit("wave-plan-removed", $"The wave plan '{slug}' was forgotten.");
        return true;
    }
}
