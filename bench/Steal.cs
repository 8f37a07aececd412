using System.Globalization;

namespace Bandejo.Bench;

/// <summary>How much of this machine's processors its host gave to others meanwhile (the eighth number of the first line of <c>/proc/stat</c>; see proc(5)).</summary>
internal static class Steal
{
    /// <summary>What was stolen and all there was since the machine began, in ticks.</summary>
    public static (long Stolen, long All) Read()
    {
        var ticks = File.ReadLines("/proc/stat").First().Split(' ', StringSplitOptions.RemoveEmptyEntries).Skip(1).Take(8).Select(text => long.Parse(text, CultureInfo.InvariantCulture)).ToList();
        return (ticks[7], ticks.Sum());
    }

    /// <summary>The share that was stolen since then.</summary>
    public static double Since(long stolen, long all)
    {
        var now = Read();
        return (double)(now.Stolen - stolen) / Math.Max(1, now.All - all);
    }
}
