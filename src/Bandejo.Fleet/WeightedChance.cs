using Bandejo.Played;

namespace Bandejo.Fleet;

/// <summary>Draws from what the script weighs.</summary>
internal static class WeightedChance
{
    /// <summary>One of several, by weight.</summary>
    public static string Pick(this Chance chance, string about, IReadOnlyList<Weighted> among)
    {
        var at = chance.Share(about) * among.Sum(each => each.Weight);
        foreach (var each in among)
        {
            at -= each.Weight;
            if (at < 0)
            {
                return each.Text;
            }
        }

        return among[^1].Text;
    }
}
