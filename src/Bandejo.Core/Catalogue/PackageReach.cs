using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.Packages;
using Bandejo.Core.Rollouts;
using Bandejo.Core.World;

namespace Bandejo.Core.Catalogue;

/// <summary>Which devices of the fleet could get a package now.</summary>
/// <param name="Devices">How many could.</param>
/// <param name="Not">Those for which it is not, or not now: each reason with how many and a few of them, the largest first.</param>
public sealed record PackageReach(int Devices, IReadOnlyList<Outsiders> Not)
{
    private const int SampleSize = 3;

    /// <summary>Looks at all devices.</summary>
    /// <param name="mostWeighed">Of those that do not get it, so many are asked why.</param>
    /// <param name="mostReasons">So many reasons are told.</param>
    public static PackageReach Of(FleetWorld world, IReadOnlyList<VariantRules> variants, int mostWeighed, int mostReasons)
    {
        var gets = variants.Aggregate(new Bitmap(), (sum, variant) => sum.Or(world.Columns.Evaluate(variant.Fits).True.And(
            world.Columns.Evaluate(variant.Requires).True)));
        var reasons = new Dictionary<Reason, (int Count, List<string> Sample)>();
        var count = gets.Count();
        foreach (var row in world.Columns.Live.Copy().Except(gets).Rows().Take(mostWeighed))
        {
            var fit = Targeting.Weigh(variants, world.Columns.Row(row));
            if (fit.Event == TargetEvent.Due)
            {
                count++;
                continue;
            }

            var why = fit.Reason.WithoutWhatItHas();
            var (others, sample) = reasons.GetValueOrDefault(why, (0, []));
            if (sample.Count < SampleSize)
            {
                sample.Add(world.Devices.At(row).Name);
            }

            reasons[why] = (others + 1, sample);
        }

        var not = reasons.Select(pair => new Outsiders(pair.Key.ToString(), pair.Value.Count, pair.Value.Sample));
        return new PackageReach(count, [.. not.OrderByDescending(each => each.Count).ThenBy(each => each.Reason, StringComparer.Ordinal).Take(mostReasons)]);
    }
}
