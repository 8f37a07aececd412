using Bandejo.Core.Deployments;

namespace Bandejo.Played;

/// <summary>What is left to chance, but the same each time: every answer follows from the seed and the words that ask.</summary>
public sealed class Chance(int seed)
{
    /// <summary>A number from 0 up to but not including 1.</summary>
    public double Share(string about) => StableHash.Share($"{seed}/{about}");

    public double Between(string about, double from, double to) => from + ((to - from) * Share(about));

    public TimeSpan Between(string about, TimeSpan from, TimeSpan to) => from + ((to - from) * Share(about));

    /// <summary>An identity that is the same each time, in 32 hexadecimal digits.</summary>
    public string Id(string about) =>
        string.Create(System.Globalization.CultureInfo.InvariantCulture, $"{StableHash.Of($"{seed}/{about}/a"):x16}{StableHash.Of($"{seed}/{about}/b"):x16}");
}
