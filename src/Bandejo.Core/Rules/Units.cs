using System.Globalization;

namespace Bandejo.Core.Rules;

/// <summary>Units of data and time as people write and read them.</summary>
public static class Units
{
    private static readonly (string Name, double Bytes)[] Sizes =
    [
        ("B", 1), ("kB", 1e3), ("MB", 1e6), ("GB", 1e9), ("TB", 1e12),
        ("KiB", 1024), ("MiB", 1024d * 1024), ("GiB", 1024d * 1024 * 1024), ("TiB", 1024d * 1024 * 1024 * 1024),
    ];

    private static readonly (string Name, double Seconds)[] Times = [("s", 1), ("m", 60), ("min", 60), ("h", 3600), ("d", 86400), ("w", 7 * 86400)];

    /// <summary>The names of all units of data, smallest first.</summary>
    public static IEnumerable<string> SizeNames => Sizes.Select(unit => unit.Name);

    /// <summary>The names of all units of time, smallest first.</summary>
    public static IEnumerable<string> TimeNames => Times.Select(unit => unit.Name);

    /// <summary>Bytes in one of the unit; null for an unknown unit. Case does not matter.</summary>
    public static double? SizeUnit(string name) => Find(Sizes, name);

    /// <summary>Seconds in one of the unit; null for an unknown unit. Case does not matter.</summary>
    public static double? TimeUnit(string name) => Find(Times, name);

    /// <summary>Reads <c>20 GB</c>, <c>1.5 GiB</c> into bytes. False for anything else.</summary>
    public static bool TryParseSize(string text, out double bytes)
    {
        var digits = text.TakeWhile(c => char.IsAsciiDigit(c) || c == '.').Count();
        var isSize = double.TryParse(text.AsSpan(0, digits), NumberStyles.AllowDecimalPoint, CultureInfo.InvariantCulture, out bytes)
            && SizeUnit(text[digits..].Trim()) is not null;
        bytes *= SizeUnit(text[digits..].Trim()) ?? 0;
        return isSize;
    }

    /// <summary>Reads <c>3d</c>, <c>20 m</c>, <c>1h 30m</c>. False for anything else, for a negative length and for one over 10 years.</summary>
    public static bool TryParseDuration(string text, out TimeSpan duration)
    {
        duration = default;
        double seconds = 0;
        var rest = text.AsSpan().Trim();
        if (rest.IsEmpty)
        {
            return false;
        }

        while (!rest.IsEmpty)
        {
            var digits = 0;
            while (digits < rest.Length && (char.IsAsciiDigit(rest[digits]) || rest[digits] == '.'))
            {
                digits++;
            }

            if (!double.TryParse(rest[..digits], NumberStyles.AllowDecimalPoint, CultureInfo.InvariantCulture, out var number))
            {
                return false;
            }

            rest = rest[digits..].TrimStart();
            var letters = 0;
            while (letters < rest.Length && char.IsAsciiLetter(rest[letters]))
            {
                letters++;
            }

            if (TimeUnit(rest[..letters].ToString()) is not { } unit)
            {
                return false;
            }

            seconds += number * unit;
            rest = rest[letters..].TrimStart();
        }

        if (seconds > TimeSpan.FromDays(3653).TotalSeconds)
        {
            return false;
        }

        duration = TimeSpan.FromSeconds(seconds);
        return true;
    }

    /// <summary>A length of time in its two largest units: <c>3 d 4 h</c>, <c>20 min</c>, <c>45 s</c>.</summary>
    public static string FormatDuration(TimeSpan duration)
    {
        var total = (long)Math.Round(Math.Abs(duration.TotalSeconds));
        (long Size, string Name)[] units = [(86400, "d"), (3600, "h"), (60, "min"), (1, "s")];
        for (var i = 0; i < units.Length; i++)
        {
            if (total < units[i].Size)
            {
                continue;
            }

            var first = total / units[i].Size;
            var second = i + 1 < units.Length ? total % units[i].Size / units[i + 1].Size : 0;
            return second == 0
                ? string.Create(CultureInfo.InvariantCulture, $"{first} {units[i].Name}")
                : string.Create(CultureInfo.InvariantCulture, $"{first} {units[i].Name} {second} {units[i + 1].Name}");
        }

        return "0 s";
    }

    /// <summary>An amount of data in binary units with one decimal: <c>3.8 GiB</c>, <c>512 B</c>.</summary>
    public static string FormatSize(double bytes)
    {
        string[] names = ["B", "KiB", "MiB", "GiB", "TiB"];
        var unit = 0;
        while (Math.Abs(bytes) >= 1024 && unit < names.Length - 1)
        {
            bytes /= 1024;
            unit++;
        }

        return string.Create(CultureInfo.InvariantCulture, $"{bytes:0.#} {names[unit]}");
    }

    private static double? Find((string Name, double Factor)[] units, string name)
    {
        foreach (var (unit, factor) in units)
        {
            if (string.Equals(unit, name, StringComparison.OrdinalIgnoreCase))
            {
                return factor;
            }
        }

        return null;
    }
}
