using System.Globalization;

namespace Bandejo.Core.Deployments;

/// <summary>How many devices of one site are changed at once, written <c>3 of a site</c>. Devices of which no site is known count as one.</summary>
/// <param name="Devices">1 to 1,000.</param>
public sealed record AtOnce(int Devices)
{
    private const int Most = 1000;
    private const string OfASite = " of a site";

    /// <summary>Reads it; the failure says what would be right.</summary>
    public static Outcome<AtOnce> Parse(string text)
    {
        var words = text.Trim();
        if (words.EndsWith(OfASite, StringComparison.OrdinalIgnoreCase)
            && int.TryParse(words[..^OfASite.Length], NumberStyles.None, CultureInfo.InvariantCulture, out var devices) && devices is > 0 and <= Most)
        {
            return new AtOnce(devices);
        }

        var says = $"How many are changed at once is written like '3 of a site', between 1 and {Most}, not '{words}'.";
        return new Failure(ErrorKind.Invalid, says, [new Finding(says, "atOnce", 1, text.Length - text.TrimStart().Length + 1, Math.Max(1, words.Length))]);
    }

    public override string ToString() => Devices.ToString(CultureInfo.InvariantCulture) + OfASite;
}
