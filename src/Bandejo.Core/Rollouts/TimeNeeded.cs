using Bandejo.Core.Deployments;
using Bandejo.Core.World;

namespace Bandejo.Core.Rollouts;

/// <summary>How long a device needs for what it is to do: as its package expects, or as it took on devices of the same variant where that was longer.</summary>
public static class TimeNeeded
{
    /// <summary>Times within this are what was expected.</summary>
    private const double Usual = 1.1;

    /// <summary>For what a deployment asks of a variant; nothing where none is known to fit.</summary>
    public static TimeSpan Of(FleetWorld world, DeploymentPlan plan, string? variant) =>
        !world.Packages.TryGetValue(plan.Package, out var package) ? TimeSpan.Zero
            : plan.Wish == Wish.Gone ? ToRemove(package, variant)
            : ToInstall(package, variant);

    /// <summary>For taking away what is there, and for what is put back in its place.</summary>
    public static TimeSpan ToPutBack(PackageEntry package, string variant, PackageEntry? previous) =>
        ToRemove(package, variant) + (previous?.Variants.Select(each => ToInstall(previous, each.Name)).DefaultIfEmpty().Max() ?? TimeSpan.Zero);

    /// <summary>For installing a variant of a package.</summary>
    public static TimeSpan ToInstall(PackageEntry package, string? variant)
    {
        var expected = Named(package, variant)?.Takes ?? TimeSpan.Zero;
        var took = variant is not null && package.Record.Took?.GetValueOrDefault(variant) is { } known ? TimeSpan.FromSeconds(known.Second) : TimeSpan.Zero;
        return took > expected ? took : expected;
    }

    /// <summary>For taking away a variant of a package.</summary>
    public static TimeSpan ToRemove(PackageEntry package, string? variant) => Named(package, variant)?.TakesAway ?? TimeSpan.Zero;

    /// <summary>Takes note of how long a device took for an install that succeeded.</summary>
    internal static void Learn(Decision decision, PackageEntry package, string variant, TimeSpan took)
    {
        // A device whose clock was set meanwhile, or that slept for a night, says nothing.
        if (Named(package, variant) is not { } named || took <= named.Takes * Usual || took > named.Longest)
        {
            return;
        }

        var seconds = (int)Math.Ceiling(took.TotalSeconds);
        var known = package.Record.Took?.GetValueOrDefault(variant) ?? new TookRecord(0, 0);
        if (seconds <= known.Second * Usual)
        {
            return;
        }

        var next = seconds > known.Longest ? new TookRecord(seconds, known.Longest) : known with { Second = seconds };
        decision.Do(new PutPackage(package.Record with
        {
            Took = new Dictionary<string, TookRecord>(package.Record.Took ?? new Dictionary<string, TookRecord>(), StringComparer.Ordinal) { [variant] = next },
        }));
    }

    private static VariantRules? Named(PackageEntry package, string? variant) => package.Variants.FirstOrDefault(each => each.Name == variant);
}
