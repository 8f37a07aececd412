using System.Globalization;
using Bandejo.Core.Fleet;
using Bandejo.Core.Rules;

namespace Bandejo.Core.Deployments;

/// <summary>A fact in which some devices differ from others.</summary>
/// <param name="Text">For people: <c>model is Bindery 3: all 5 of these, 7 of 61 others</c>.</param>
/// <param name="Strength">How much more common it is here than there, 0 to 1.</param>
public sealed record Difference(string Text, double Strength);

/// <summary>
/// Finds the facts that set some devices apart from others, as a hint at a common cause. A fact counts where nearly all of the ones have it and few of the
/// others; it is a hint and no proof, and is always shown with its counts.
/// </summary>
public static class Differences
{
    /// <summary>The share of the ones that must have it.</summary>
    private const double MostHere = 0.8;

    /// <summary>How much more common it must be here than there.</summary>
    private const double LeastStrength = 0.5;

    /// <summary>Of fewer, what they share is more likely chance than cause.</summary>
    private const int LeastDevices = 3;

    private static readonly string[] Words = ["model", "kind", "site", "maker", "os.version", "architecture"];
    private static readonly string[] Amounts = ["disk.free", "memory", "disk.size"];

    /// <summary>What sets the rows apart from the others, strongest first, at most <paramref name="most"/>.</summary>
    public static IReadOnlyList<Difference> Find(FleetColumns columns, IReadOnlyCollection<int> rows, IReadOnlyCollection<int> others, int most = 3)
    {
        if (rows.Count < LeastDevices || others.Count == 0)
        {
            return [];
        }

        var found = new List<Difference>();
        foreach (var name in Words)
        {
            var fact = new FactRef(name, false);
            foreach (var (value, here) in Count(columns, fact, rows))
            {
                var there = Count(columns, fact, others).GetValueOrDefault(value);
                Add(found, $"{name} is {value}", here, rows.Count, there, others.Count);
            }
        }

        foreach (var name in Amounts)
        {
            var fact = new FactRef(name, false);
            var amounts = rows.Select(row => columns.Get(row, fact).Value).OfType<FactValue>().ToList();
            if (amounts.Count == rows.Count)
            {
                var limit = amounts.MaxBy(value => value.Number)!;
                var there = others.Count(row => columns.Get(row, fact).Value is { } value && value.Number <= limit.Number);
                Add(found, $"{name} is at most {limit}", rows.Count, rows.Count, there, others.Count);
            }
        }

        return [.. found.OrderByDescending(difference => difference.Strength).ThenBy(difference => difference.Text, StringComparer.Ordinal).Take(most)];
    }

    private static Dictionary<string, int> Count(FleetColumns columns, FactRef fact, IEnumerable<int> rows) =>
        rows.Select(row => columns.Get(row, fact).Value?.ToString()).OfType<string>().GroupBy(value => value)
            .ToDictionary(group => group.Key, group => group.Count(), StringComparer.Ordinal);

    private static void Add(List<Difference> found, string what, int here, int allHere, int there, int allThere)
    {
        var strength = ((double)here / allHere) - ((double)there / allThere);
        if (here >= MostHere * allHere && strength >= LeastStrength)
        {
            var share = here == allHere ? $"all {allHere}" : $"{here} of {allHere}";
            found.Add(new Difference(
                string.Create(
                    CultureInfo.InvariantCulture,
                    $"{what}: {share} of these, {(there == 0 ? "none" : there.ToString(CultureInfo.InvariantCulture))} of {allThere} others"),
                strength));
        }
    }
}
