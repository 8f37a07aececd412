using System.Globalization;
using Bandejo.Core.Calendars;
using Bandejo.Core.Rules;

namespace Bandejo.Core.Deployments;

/// <summary>How fast files may be fetched at some times.</summary>
/// <param name="BytesPerSecond">At most so many; 0 for not at all.</param>
/// <param name="Hours">When, by the clocks of the device; empty for always.</param>
public sealed record FetchRate(long BytesPerSecond, IReadOnlyList<Slot> Hours)
{
    public bool Equals(FetchRate? other) => other is not null && BytesPerSecond == other.BytesPerSecond && Hours.SequenceEqual(other.Hours);

    public override int GetHashCode() => HashCode.Combine(BytesPerSecond, Hours.Count);
}

/// <summary>
/// How devices fetch files, written, read and shown as one sentence:
/// <c>at most 2 MB/s; at most 500 kB/s Mon-Fri 08:00-18:00; not Sat 09:00-13:00; 5 of a site at once; over metered links too</c>. What may not be fetched yet
/// is waited for, which is no try.
/// </summary>
/// <param name="Rates">Of those that hold at a moment the lowest counts.</param>
/// <param name="AtOnce">So many devices of one site fetch at once; null for any number.</param>
/// <param name="OverMetered">Also over a link that somebody pays for by what goes over it.</param>
public sealed record FetchRule(IReadOnlyList<FetchRate> Rates, int? AtOnce, bool OverMetered)
{
    /// <summary>Such as a person may write.</summary>
    public const string Example = "at most 500 kB/s Mon-Fri 08:00-18:00; 5 of a site at once; over metered links too";

    /// <summary>Such as a person may write of a group.</summary>
    public const string ExampleOfGroup = "at most 500 kB/s Mon-Fri 08:00-18:00; not Sat 09:00-13:00";

    /// <summary>The longest that a rule is written, in characters.</summary>
    public const int LongestText = 400;

    /// <summary>The most that may be said of rates, and the lowest and the highest of them in bytes a second.</summary>
    private const int MostRates = 20;
    private const double Slowest = 1000, Fastest = 1e11;

    private const string AtMost = "at most ";
    private const string Not = "not ";
    private const string ASecond = "/s";
    private const string AtATime = " at once";
    private const string Metered = "over metered links too";
    private const string Between = "; ";
    private const string Or = " or ";

    private static readonly (string Name, double Bytes)[] Sizes = [("GB", 1e9), ("MB", 1e6), ("kB", 1e3)];

    /// <summary>As fast as it goes, as many at once as like, not over metered links.</summary>
    public static FetchRule Usual { get; } = new([], null, false);

    /// <summary>Reads a rule; the failure says which part is not understood and what would be right.</summary>
    /// <param name="example">What a right one looks like.</param>
    public static Outcome<FetchRule> Parse(string text, string example = Example)
    {
        if (text.Length > LongestText)
        {
            return Wrong($"How files are fetched is written in at most {LongestText} letters, not {text.Length}.", 1, text.Length);
        }

        var (rule, rates, at) = (Usual, new List<FetchRate>(), 0);
        foreach (var part in text.Split(';'))
        {
            var trimmed = part.Trim();
            var column = at + part.Length - part.TrimStart().Length + 1;
            if (trimmed.Equals(Metered, StringComparison.OrdinalIgnoreCase) && !rule.OverMetered)
            {
                rule = rule with { OverMetered = true };
            }
            else if (trimmed.EndsWith(AtATime, StringComparison.OrdinalIgnoreCase) && rule.AtOnce is null
                && Deployments.AtOnce.Parse(trimmed[..^AtATime.Length]) is { Ok: true, Value: var atOnce })
            {
                rule = rule with { AtOnce = atOnce.Devices };
            }
            else if (RateOf(trimmed) is var (rate, hours) && rates.Count < MostRates)
            {
                var slots = hours.Length == 0
                    ? Outcome.Of<IReadOnlyList<Slot>>([])
                    : SlotWords.Parse(hours.Replace(Or, Between, StringComparison.OrdinalIgnoreCase));
                if (!slots.Ok)
                {
                    return Wrong(slots.Failure!.Message, column, trimmed.Length);
                }

                rates.Add(new FetchRate(rate, slots.Value));
            }
            else
            {
                return Wrong($"Fetching is not asked for by '{trimmed}'. It is written like '{example}'.", column, trimmed.Length);
            }

            at += part.Length + 1;
        }

        return rule with { Rates = rates };
    }

    /// <summary>Several rules as one: all their rates hold, and the fewest at once.</summary>
    public static FetchRule Together(IReadOnlyList<FetchRule> rules) => rules is [var only] ? only : new FetchRule(
        [.. rules.SelectMany(rule => rule.Rates).Distinct()], rules.Min(rule => rule.AtOnce), rules.Any(rule => rule.OverMetered));

    /// <summary>How fast files may be fetched at a moment, and until when that is so.</summary>
    /// <param name="clocks">Those of the device.</param>
    /// <returns>Bytes a second, 0 for not at all and null for as fast as it goes; null for no end.</returns>
    public (long? BytesPerSecond, DateTimeOffset? Until) At(OffsetAt clocks, DateTimeOffset now)
    {
        long? lowest = null;
        DateTimeOffset? until = null;
        foreach (var rate in Rates)
        {
            var next = rate.Hours.Count == 0 ? new Span(DateTimeOffset.MinValue, DateTimeOffset.MaxValue) : SlotTimes.Next(rate.Hours, clocks, now);
            if (next is not { } span)
            {
                continue;
            }

            var isNow = span.From <= now;
            lowest = isNow && !(lowest <= rate.BytesPerSecond) ? rate.BytesPerSecond : lowest;
            var change = isNow ? span.To : span.From;
            until = change == DateTimeOffset.MaxValue || until <= change ? until : change;
        }

        return (lowest, until);
    }

    /// <summary>A rate above nothing in words: <c>at most 2 MB/s</c>.</summary>
    public static string Said(long bytesPerSecond) => AtMost + Written(bytesPerSecond) + ASecond;

    public bool Equals(FetchRule? other) =>
        other is not null && AtOnce == other.AtOnce && OverMetered == other.OverMetered && Rates.SequenceEqual(other.Rates);

    public override int GetHashCode() => HashCode.Combine(Rates.Count, AtOnce, OverMetered);

    /// <summary>The rule as its sentence; that of the usual one is empty.</summary>
    public override string ToString()
    {
        var parts = Rates.Select(rate => (rate.BytesPerSecond == 0 ? Not.TrimEnd() : Said(rate.BytesPerSecond))
            + (rate.Hours.Count == 0 ? "" : " " + string.Join(Or, rate.Hours.Select(SlotWords.Write)))).ToList();
        if (AtOnce is { } devices)
        {
            parts.Add(new AtOnce(devices) + AtATime);
        }

        if (OverMetered)
        {
            parts.Add(Metered);
        }

        return string.Join(Between, parts);
    }

    /// <summary>A rate and the words of its hours; null for something else.</summary>
    private static (long BytesPerSecond, string Hours)? RateOf(string words)
    {
        if (words.StartsWith(Not, StringComparison.OrdinalIgnoreCase))
        {
            return (0, words[Not.Length..].Trim());
        }

        var end = words.IndexOf(ASecond, StringComparison.OrdinalIgnoreCase);
        return words.StartsWith(AtMost, StringComparison.OrdinalIgnoreCase) && end > AtMost.Length
            && Units.TryParseSize(words[AtMost.Length..end].Trim(), out var bytes) && bytes is >= Slowest and <= Fastest
            ? ((long)Math.Round(bytes), words[(end + ASecond.Length)..].Trim())
            : null;
    }

    private static string Written(long bytes)
    {
        var (name, size) = Array.Find(Sizes, each => bytes >= each.Bytes);
        return string.Create(CultureInfo.InvariantCulture, $"{bytes / size:0.#########} {name}");
    }

    private static Failure Wrong(string says, int column, int length) =>
        new(ErrorKind.Invalid, says, [new Finding(says, "fetch", 1, column, Math.Max(1, length))]);
}
