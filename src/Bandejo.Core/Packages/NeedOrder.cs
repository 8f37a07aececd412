namespace Bandejo.Core.Packages;

/// <summary>Puts packages into an order in which each finds there what it needs.</summary>
public static class NeedOrder
{
    /// <summary>
    /// The packages, each behind those of the others that it needs; else in their own order. What needs each other in a circle comes in its own order too.
    /// </summary>
    /// <param name="app">The app of a package.</param>
    /// <param name="needs">The apps that it needs.</param>
    public static IReadOnlyList<T> Of<T>(IReadOnlyList<T> packages, Func<T, string> app, Func<T, IEnumerable<string>> needs)
    {
        var (left, ordered) = (packages.ToList(), new List<T>());
        while (left.Count > 0)
        {
            var waiting = left.Select(app).ToHashSet(StringComparer.Ordinal);
            var next = left.FindIndex(each => !needs(each).Any(need => need != app(each) && waiting.Contains(need)));
            ordered.Add(left[Math.Max(0, next)]);
            left.RemoveAt(Math.Max(0, next));
        }

        return ordered;
    }

    /// <summary>Of what there is, what a package needs, and what that needs in turn, in the order in which it is installed.</summary>
    /// <param name="needs">What the package needs.</param>
    /// <param name="there">What there is; of an app that is there several times, the newest that will do.</param>
    public static IReadOnlyList<Manifest> For(IEnumerable<Need> needs, IReadOnlyList<Manifest> there)
    {
        var found = new Dictionary<string, Manifest>(StringComparer.Ordinal);
        var open = new Queue<Need>(needs);
        while (open.TryDequeue(out var need))
        {
            if (!found.ContainsKey(need.App)
                && there.Where(each => each.App == need.App && (need.AtLeast is not { } least || each.Version >= least))
                    .MaxBy(each => each.Version) is { } best)
            {
                found[need.App] = best;
                foreach (var further in best.Needs)
                {
                    open.Enqueue(further);
                }
            }
        }

        return Of([.. found.Values], each => each.App, each => each.Needs.Select(need => need.App));
    }
}
