using System.Globalization;
using System.Text.RegularExpressions;
using Bandejo.Core.Rules;

namespace Bandejo.Core.Deployments;

/// <summary>
/// What must hold in a wave before the next one opens, written, read and shown as one sentence:
/// <c>95 % met for 2 d, at most 1 harm report, clean, silent left out after 3 d, not-needed counts, then approval</c>. Only what is asked for is written; the
/// order is free
/// but for the end.
/// </summary>
public sealed record Gate
{
    /// <summary>The share that must be met, in hundredths of a percent (9500 is 95 %); null where a count or only approval is asked for.</summary>
    public int? Share { get; init; }

    /// <summary>The number that must be met; null where a share or only approval is asked for.</summary>
    public int? Count { get; init; }

    /// <summary>How long it must stay so.</summary>
    public TimeSpan Soak { get; init; }

    /// <summary>Any new failure or lost proof starts the soak again.</summary>
    public bool IsClean { get; init; }

    /// <summary>The most harm reports with which it may pass; null does not ask.</summary>
    public int? MostHarms { get; init; }

    /// <summary>Devices that are unknown, never began and were silent for this long are left out; null leaves none out.</summary>
    public TimeSpan? SilentAfter { get; init; }

    /// <summary>Devices that do not need the package count as met instead of being left out.</summary>
    public bool NotNeededCounts { get; init; }

    public bool NeedsApproval { get; init; }

    /// <summary>Reads a gate; the failure says which part is not understood and where.</summary>
    public static Outcome<Gate> Parse(string text)
    {
        var gate = new Gate();
        var at = 0;
        foreach (var part in text.Split(','))
        {
            var trimmed = part.Trim();
            if (Part(gate, trimmed) is not { } next)
            {
                var column = at + part.Length - part.TrimStart().Length + 1;
                return new Failure(
                    ErrorKind.Invalid,
                    $"A gate does not know '{trimmed}'.",
                    [new Finding(
                        $"A gate does not know '{trimmed}'. It is written like '95 % met for 2 d, at most 1 harm report, clean, silent left out after 3 d, "
                            + $"not-needed counts, then approval'.",
                        "gate", 1, column, Math.Max(1, trimmed.Length))]);
            }

            gate = next;
            at += part.Length + 1;
        }

        if (gate is { Share: null, Count: null, NeedsApproval: false })
        {
            return new Failure(ErrorKind.Invalid, "A gate needs a share or count that must be met, or approval, such as '95 % met' or 'approval'.", [
                new Finding("Say what must hold.", "gate", 1, 1, Math.Max(1, text.Length))]);
        }

        return gate;
    }

    /// <summary>How many devices must be met for a bottom of so many; exact, without floating-point.</summary>
    public int Needed(int bottom) => Count ?? (int)(((long)(Share ?? 0) * bottom + 9999) / 10000);

    /// <summary>The gate as its sentence.</summary>
    public override string ToString()
    {
        var parts = new List<string>();
        if (Share is not null || Count is not null)
        {
            var amount = Count is { } count ? count.ToString(CultureInfo.InvariantCulture) : $"{Percent(Share!.Value)} %";
            parts.Add(Soak > TimeSpan.Zero ? $"{amount} met for {Units.FormatDuration(Soak)}" : $"{amount} met");
        }

        if (MostHarms is { } harms)
        {
            parts.Add(harms == 0 ? "no harm report" : string.Create(CultureInfo.InvariantCulture, $"at most {harms} harm report{(harms == 1 ? "" : "s")}"));
        }

        if (IsClean)
        {
            parts.Add("clean");
        }

        if (SilentAfter is { } silent)
        {
            parts.Add($"silent left out after {Units.FormatDuration(silent)}");
        }

        if (NotNeededCounts)
        {
            parts.Add("not-needed counts");
        }

        if (NeedsApproval)
        {
            parts.Add(parts.Count == 0 ? "approval" : "then approval");
        }

        return string.Join(", ", parts);
    }

    /// <summary>Hundredths of a percent as a person writes them (9550 → <c>95.5</c>).</summary>
    public static string Percent(int share) => (share / 100m).ToString("0.##", CultureInfo.InvariantCulture);

    private static Gate? Part(Gate gate, string part)
    {
        var met = Regex.Match(part, @"^(?:at least )?([0-9]{1,7})(?:\.([0-9]{1,2}))? ?(%)? met(?: for (.+))?$", RegexOptions.IgnoreCase);
        if (met.Success && gate is { Share: null, Count: null })
        {
            var whole = int.Parse(met.Groups[1].Value, CultureInfo.InvariantCulture);
            var soak = TimeSpan.Zero;
            if (met.Groups[4].Success && !Units.TryParseDuration(met.Groups[4].Value, out soak))
            {
                return null;
            }

            if (!met.Groups[3].Success)
            {
                return met.Groups[2].Success || whole == 0 ? null : gate with { Count = whole, Soak = soak };
            }

            var share = (Math.Min(whole, 1000) * 100) + int.Parse(met.Groups[2].Value.PadRight(2, '0'), CultureInfo.InvariantCulture);
            return share is 0 or > 10000 ? null : gate with { Share = share, Soak = soak };
        }

        var silent = Regex.Match(part, "^silent left out after (.+)$", RegexOptions.IgnoreCase);
        if (silent.Success)
        {
            return Units.TryParseDuration(silent.Groups[1].Value, out var after) && after > TimeSpan.Zero ? gate with { SilentAfter = after } : null;
        }

        var harm = Regex.Match(part, @"^(?:at most ([0-9]{1,6})|no) harm reports?$", RegexOptions.IgnoreCase);
        if (harm.Success && gate.MostHarms is null)
        {
            return gate with { MostHarms = harm.Groups[1].Success ? int.Parse(harm.Groups[1].Value, CultureInfo.InvariantCulture) : 0 };
        }

        return part.ToLowerInvariant() switch
        {
            "clean" => gate with { IsClean = true },
            "not-needed counts" => gate with { NotNeededCounts = true },
            "approval" or "then approval" => gate with { NeedsApproval = true },
            _ => null,
        };
    }
}
