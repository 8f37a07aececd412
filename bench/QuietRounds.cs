using System.Globalization;

namespace Bandejo.Bench;

/// <summary>
/// Rounds that are compared one by one. One counts where the host of this machine took hardly anything of its processors for others meanwhile (the eighth
/// number of the first line of <c>/proc/stat</c>; see proc(5)): it takes most from whoever keeps all of them busy, which is not the same for both sides.
/// </summary>
internal static class QuietRounds
{
    /// <summary>How many rounds that count are enough.</summary>
    private const int Enough = 5;

    private const double Hardly = 0.03;

    /// <summary>Goes on until enough rounds count, or there were so many; all count then where fewer than enough do.</summary>
    /// <returns>The rounds that count, and how many they are in words.</returns>
    public static async Task<(IReadOnlyList<T> Counted, string Says)> Run<T>(int most, Func<int, Task<T>> round)
    {
        List<(T Result, double Stolen)> rounds = [];
        while (rounds.Count < most && rounds.Count(IsQuiet) < Enough)
        {
            var (stolen, all) = Ticks();
            var result = await round(rounds.Count);
            var (stolenSince, allSince) = Ticks();
            rounds.Add((result, (double)(stolenSince - stolen) / Math.Max(1, allSince - all)));
        }

        var counted = rounds.Count(IsQuiet) >= Enough ? rounds.Where(IsQuiet).ToList() : rounds;
        return ([.. counted.Select(each => each.Result)], string.Create(
            CultureInfo.InvariantCulture,
            $"{counted.Count} of {rounds.Count} rounds count, {100 * Report.Median(counted.Select(each => each.Stolen)):0} % stolen"));

        static bool IsQuiet((T Result, double Stolen) round) => round.Stolen < Hardly;
    }

    /// <summary>What was stolen and all there was since the machine began, in ticks.</summary>
    private static (long Stolen, long All) Ticks()
    {
        var ticks = File.ReadLines("/proc/stat").First().Split(' ', StringSplitOptions.RemoveEmptyEntries).Skip(1).Take(8)
            .Select(text => long.Parse(text, CultureInfo.InvariantCulture)).ToList();
        return (ticks[7], ticks.Sum());
    }
}
