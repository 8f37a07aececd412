namespace Bandejo.Simulation.Tests;

/// <summary>
/// Cuts a history that ends badly down to what is needed for that (A. Zeller and R. Hildebrandt, "Simplifying and isolating failure-inducing input", 2002).
/// </summary>
internal static class Shortening
{
    /// <summary>The shortest history that was found to break the same.</summary>
    /// <param name="history">It breaks something.</param>
    /// <param name="play">Plays one; null where all holds.</param>
    /// <param name="most">How many are played at most.</param>
    public static History Shorten(History history, Func<History, Breach?> play, int most = 400)
    {
        var invariant = play(history)?.Invariant;
        bool Breaks(History other) => most-- > 0 && play(other)?.Invariant == invariant;

        for (var piece = Math.Max(1, history.Events.Count / 2); ;)
        {
            var isShorter = false;
            for (var at = 0; at < history.Events.Count;)
            {
                var without = history with { Events = [.. history.Events.Take(at), .. history.Events.Skip(at + piece)] };
                if (Breaks(without))
                {
                    (history, isShorter) = (without, true);
                }
                else
                {
                    at += piece;
                }
            }

            if (most <= 0 || (piece == 1 && !isShorter))
            {
                break;
            }

            piece = Math.Max(1, piece / 2);
        }

        // Less of everything else.
        foreach (var simpler in (Func<History, History>[])[
            each => each with { Hails = false }, each => each with { Slice = 1000 }, each => each with { Devices = each.Devices - 1 },
            each => each with { Devices = each.Devices - 1 }, each => each with { Length = each.Events.Count == 0 ? TimeSpan.Zero : each.Events[^1].At }])
        {
            if (history.Devices > 1 && simpler(history) is var other && Breaks(other))
            {
                history = other;
            }
        }

        return history;
    }
}
