namespace Bandejo.Core.Packages;

/// <summary>Finds packages that need each other in a circle, so that none of them could ever be the first.</summary>
public static class NeedCircle
{
    /// <summary>The apps of a circle in their order, the first again at the end; null where there is none.</summary>
    /// <param name="app">The app that is looked at.</param>
    /// <param name="needs">What it needs.</param>
    /// <param name="needsOf">What another app needs; empty for one that is not known.</param>
    public static IReadOnlyList<string>? Of(string app, IEnumerable<string> needs, Func<string, IEnumerable<string>> needsOf)
    {
        var before = new Dictionary<string, string>(StringComparer.Ordinal);
        var next = new Queue<string>();
        foreach (var need in needs)
        {
            Go(need, app);
        }

        while (next.TryDequeue(out var each))
        {
            if (each == app)
            {
                var way = new List<string> { app };
                for (var at = before[app]; at != app; at = before[at])
                {
                    way.Add(at);
                }

                way.Add(app);
                way.Reverse();
                return way;
            }

            foreach (var need in needsOf(each))
            {
                Go(need, each);
            }
        }

        return null;

        void Go(string to, string from)
        {
            if (before.TryAdd(to, from))
            {
                next.Enqueue(to);
            }
        }
    }
}
