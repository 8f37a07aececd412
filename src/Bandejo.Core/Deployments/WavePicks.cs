using System.Globalization;
using System.IO.Hashing;
using System.Text;
using System.Text.RegularExpressions;

namespace Bandejo.Core.Deployments;

/// <summary>
/// How a wave picks its devices from those that the waves before it left: <c>group kiosks</c>, <c>12 devices</c>, <c>20 %</c> or <c>everyone else</c>.
/// </summary>
public sealed record Pick
{
    /// <summary>The slug of a group; null for another way.</summary>
    public string? Group { get; init; }

    /// <summary>A number of devices; null for another way.</summary>
    public int? Count { get; init; }

    /// <summary>A share of what remains, in hundredths of a percent; null for another way.</summary>
    public int? Share { get; init; }

    /// <summary>All that remain.</summary>
    public bool IsRest => Group is null && Count is null && Share is null;

    public static Outcome<Pick> Parse(string text)
    {
        var trimmed = text.Trim();
        if (trimmed.Equals("everyone else", StringComparison.OrdinalIgnoreCase) || trimmed.Equals("everyone", StringComparison.OrdinalIgnoreCase))
        {
            return new Pick();
        }

        var group = Regex.Match(trimmed, @"^group ([a-z0-9][a-z0-9-]{0,63})$");
        if (group.Success)
        {
            return new Pick { Group = group.Groups[1].Value };
        }

        var count = Regex.Match(trimmed, @"^([0-9]{1,7}) devices?$", RegexOptions.IgnoreCase);
        if (count.Success && int.Parse(count.Groups[1].Value, CultureInfo.InvariantCulture) is > 0 and var number)
        {
            return new Pick { Count = number };
        }

        var share = Regex.Match(trimmed, @"^([0-9]{1,3})(?:\.([0-9]{1,2}))? ?%$");
        if (share.Success)
        {
            var hundredths = (int.Parse(share.Groups[1].Value, CultureInfo.InvariantCulture) * 100)
                + int.Parse(share.Groups[2].Value.PadRight(2, '0'), CultureInfo.InvariantCulture);
            if (hundredths is > 0 and <= 10000)
            {
                return new Pick { Share = hundredths };
            }
        }

        return new Failure(ErrorKind.Invalid, $"A wave does not know how to pick '{trimmed}'. Write 'group NAME', '12 devices', '20 %' or 'everyone else'.", [
            new Finding($"A wave does not know how to pick '{trimmed}'.", "pick", 1, 1, Math.Max(1, trimmed.Length))]);
    }

    public override string ToString() => Group is not null ? $"group {Group}"
        : Count is { } count ? string.Create(CultureInfo.InvariantCulture, $"{count} device{(count == 1 ? "" : "s")}")
        : Share is { } share ? $"{Gate.Percent(share)} %" : "everyone else";
}

/// <summary>Puts devices into waves.</summary>
public static class WavePicks
{
    /// <summary>
    /// The wave of each device, in their order; -1 where none picks it. Counts and shares pick by a hash of salt, wave and device (XXH3 of 64 bits: a whole
    /// fleet is drawn at each look at a preview), so the same devices come out whatever their order; a share takes <c>ceil(share × what remains)</c>.
    /// </summary>
    /// <param name="devices">The devices that it reaches, by identity.</param>
    /// <param name="picks">The waves' picks, in order.</param>
    /// <param name="isIn">Whether a device is certainly in a group.</param>
    /// <param name="salt">The deployment's identity.</param>
    public static int[] Assign(IReadOnlyList<string> devices, IReadOnlyList<Pick> picks, Func<string, string, bool> isIn, string salt)
    {
        var waves = new int[devices.Count];
        Array.Fill(waves, -1);
        var rest = Enumerable.Range(0, devices.Count).ToArray();
        for (var wave = 0; wave < picks.Count; wave++)
        {
            var pick = picks[wave];
            IEnumerable<int> taken = rest;
            if (pick.Group is { } group)
            {
                taken = rest.Where(at => isIn(group, devices[at]));
            }
            else if (!pick.IsRest)
            {
                var number = pick.Count ?? (int)(((long)pick.Share!.Value * rest.Length + 9999) / 10000);
                var seed = Seed(salt, wave);
                var hashes = Array.ConvertAll(rest, at => Draw(seed, devices[at]));
                var drawn = (int[])rest.Clone();
                Array.Sort(hashes, drawn);
                taken = drawn.Take(number);
            }

            foreach (var at in taken)
            {
                waves[at] = wave;
            }

            rest = Array.FindAll(rest, at => waves[at] < 0);
        }

        return waves;
    }

    /// <summary>
    /// The wave of a device that comes in later: the first that fits it. A share takes it if its hash lies in the share; a count is used up and takes none.
    /// </summary>
    public static int Join(string device, IReadOnlyList<Pick> picks, Func<string, string, bool> isIn, string salt)
    {
        for (var wave = 0; wave < picks.Count; wave++)
        {
            var pick = picks[wave];
            var fits = pick.Group is { } group
                ? isIn(group, device)
                : pick.IsRest || (pick.Share is { } share && Draw(Seed(salt, wave), device) / (double)ulong.MaxValue * 10000 < share);
            if (fits)
            {
                return wave;
            }
        }

        return -1;
    }

    private static long Seed(string salt, int wave) => (long)XxHash3.HashToUInt64(Encoding.UTF8.GetBytes(salt), wave);

    private static ulong Draw(long seed, string device) =>
        // UTF-16 as it lies in memory would be another hash on a machine of another byte order.
        XxHash3.HashToUInt64(Encoding.UTF8.GetBytes(device), seed);
}
