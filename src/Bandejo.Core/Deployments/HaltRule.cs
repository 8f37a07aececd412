using System.Globalization;
using System.Text.RegularExpressions;

namespace Bandejo.Core.Deployments;

/// <summary>
/// What stops a deployment by itself, as one sentence: <c>10 % failed of at least 5, or 8 failed, or 3 harm reports</c>. The rate is judged by the lower bound
/// of the
/// one-sided 95 % Wilson interval (E. B. Wilson, 1927), so that few trials do not decide. It is looked at after every outcome; that this repeated
/// looking raises the chance of a false halt somewhat above 5 % is accepted: a halt costs a look, a missed one costs machines.
/// </summary>
public sealed record HaltRule
{
    /// <summary>The failure rate that must not be passed, in hundredths of a percent; null for none.</summary>
    public int? Rate { get; init; }

    /// <summary>The least number of trials before the rate is judged.</summary>
    public int LeastTrials { get; init; } = 5;

    /// <summary>The number of failures that stops it; null for none.</summary>
    public int? Failures { get; init; }

    /// <summary>The number of harm reports that stops it; null for none.</summary>
    public int? Harms { get; init; }

    /// <summary>Halts when more than a tenth fails.</summary>
    public static HaltRule Default { get; } = new() { Rate = 1000 };

    /// <summary>The quantile of the normal distribution for one-sided 95 %.</summary>
    private const double Z = 1.6448536269514722;

    /// <summary>Reads a halt rule; <c>never</c> is one that never halts.</summary>
    public static Outcome<HaltRule> Parse(string text)
    {
        var rule = new HaltRule();
        if (text.Trim().Equals("never", StringComparison.OrdinalIgnoreCase))
        {
            return rule;
        }

        foreach (var part in text.Split([", or ", ","], StringSplitOptions.TrimEntries))
        {
            var harm = Regex.Match(part, @"^([0-9]{1,6}) harm reports?$", RegexOptions.IgnoreCase);
            if (harm.Success && int.Parse(harm.Groups[1].Value, CultureInfo.InvariantCulture) is > 0 and var harms)
            {
                rule = rule with { Harms = harms };
                continue;
            }

            var match = Regex.Match(part, @"^([0-9]{1,6})(?:\.([0-9]{1,2}))? ?(%)? failed(?: of at least ([0-9]{1,6}))?$", RegexOptions.IgnoreCase);
            var isRate = match.Groups[3].Success;
            var number = match.Success ? int.Parse(match.Groups[1].Value, CultureInfo.InvariantCulture) : 0;
            if (!match.Success || number == 0 || (isRate && number >= 100) || (!isRate && (match.Groups[2].Success || match.Groups[4].Success)))
            {
                return new Failure(
                    ErrorKind.Invalid,
                    $"A halt rule does not know '{part}'. It is written like '10 % failed of at least 5, or 8 failed, or 3 harm reports', or 'never'.",
                    [new Finding($"A halt rule does not know '{part}'.", "halt", 1, text.IndexOf(part, StringComparison.Ordinal) + 1, Math.Max(
                        1, part.Length))]);
            }

            rule = isRate
                ? rule with
                {
                    Rate = (number * 100) + int.Parse(match.Groups[2].Value.PadRight(2, '0'), CultureInfo.InvariantCulture),
                    LeastTrials = match.Groups[4].Success ? int.Parse(match.Groups[4].Value, CultureInfo.InvariantCulture) : 5,
                }
                : rule with { Failures = number };
        }

        return rule;
    }

    /// <summary>The lower bound of the failure rate, 0 to 1; 0 without trials.</summary>
    public static double LowerBound(int failures, int trials)
    {
        if (trials == 0)
        {
            return 0;
        }

        double n = trials, p = failures / n, z2 = Z * Z;
        return Math.Max(0, (p + (z2 / (2 * n)) - (Z * Math.Sqrt((p * (1 - p) / n) + (z2 / (4 * n * n))))) / (1 + (z2 / n)));
    }

    /// <summary>Why this many failures of this many trials, and so many harm reports, halt; null where they do not.</summary>
    public string? Halts(int failures, int trials, int harms = 0)
    {
        if (Harms is { } mostHarms && harms >= mostHarms)
        {
            return string.Create(CultureInfo.InvariantCulture, $"harm was reported on {harms} device{(harms == 1 ? "" : "s")}, {mostHarms} is the limit");
        }

        if (Failures is { } most && failures >= most)
        {
            return string.Create(CultureInfo.InvariantCulture, $"{failures} failed, {most} is the limit");
        }

        if (Rate is { } rate && trials >= LeastTrials && LowerBound(failures, trials) > rate / 10000.0)
        {
            var bound = (LowerBound(failures, trials) * 100).ToString("0.0#", CultureInfo.InvariantCulture);
            return string.Create(
                CultureInfo.InvariantCulture,
                $"{failures} of {trials} failed; with 95 % certainty that is more than {bound} %, and {Gate.Percent(rate)} % is the limit");
        }

        return null;
    }

    public override string ToString()
    {
        var parts = new List<string>();
        if (Rate is { } rate)
        {
            parts.Add(string.Create(CultureInfo.InvariantCulture, $"{Gate.Percent(rate)} % failed of at least {LeastTrials}"));
        }

        if (Failures is { } failures)
        {
            parts.Add(string.Create(CultureInfo.InvariantCulture, $"{failures} failed"));
        }

        if (Harms is { } harms)
        {
            parts.Add(string.Create(CultureInfo.InvariantCulture, $"{harms} harm report{(harms == 1 ? "" : "s")}"));
        }

        return parts.Count == 0 ? "never" : string.Join(", or ", parts);
    }
}
