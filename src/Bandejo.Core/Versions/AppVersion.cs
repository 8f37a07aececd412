using System.Diagnostics.CodeAnalysis;
using System.Globalization;
using System.Text;

namespace Bandejo.Core.Versions;

/// <summary>
/// A version as found in the wild (<c>75.0</c>, <c>10.0.22631.4317</c>, <c>24H2</c>, <c>2024-06</c>, <c>3.0-rc2</c>, <c>v1.2b</c>),
/// with one total order. The order, in full:
/// <list type="number">
/// <item>Case, a leading <c>v</c> before a digit, and which separator stands between parts (<c>. - _ : /</c> or a blank) do not matter.</item>
/// <item>Digits before a colon at the very beginning are an epoch, as Debian and RPM write it (deb-version(7)): it weighs before all else; where none stands it
/// is 0.</item>
/// <item>The text is cut into numbers and words; <c>24H2</c> is 24, h, 2. Numbers compare by value, however long.</item>
/// <item>Zeros at the end, or before a word, do not matter: <c>75</c> equals <c>75.0</c>, <c>3.0-rc2</c> equals <c>3-rc2</c>.</item>
/// <item>At the first difference: <c>~</c> is before an early word (dev, alpha, a, beta, b, pre, preview, rc, c, in this order), an early word is before
/// the end, the end is before any other word, and a word is before a number. Words compare by their letters.</item>
/// <item>A single letter directly behind a number and at the very end is a patch letter, not an early word: <c>1.2 &lt; 1.2b</c>, but <c>1.2b3 &lt;
/// 1.2</c>.</item>
/// <item>Last, <c>+N</c> with a whole number N is the revision: <c>2.4.1 &lt; 2.4.1+2</c>. Any other text behind <c>+</c> is read as further parts.</item>
/// </list>
/// Equality is equality in this order; <see cref="ToString"/> gives the text as it was written.
/// </summary>
public sealed class AppVersion : IComparable<AppVersion>, IEquatable<AppVersion>
{
    /// <summary>The longest text that is read as a version, in characters.</summary>
    public const int MaxLength = 64;

    private static readonly string[] EarlyWords = ["dev", "alpha", "beta", "pre", "rc"];

    private readonly Part _epoch;
    private readonly Part[] _parts;

    private AppVersion(string text, Part epoch, Part[] parts, int revision)
    {
        Text = text;
        (_epoch, _parts) = (epoch, parts);
        Revision = revision;
    }

    /// <summary>The text as written, without blanks around it.</summary>
    public string Text { get; }

    /// <summary>The number behind <c>+</c>; 0 where there is none.</summary>
    public int Revision { get; }

    /// <summary>
    /// Reads a version. False for an empty text, one over <see cref="MaxLength"/>, one without a letter or digit, or with control characters.
    /// </summary>
    public static bool TryParse(string? text, [NotNullWhen(true)] out AppVersion? version)
    {
        version = null;
        text = text?.Trim();
        if (string.IsNullOrEmpty(text) || text.Length > MaxLength)
        {
            return false;
        }

        var hasContent = false;
        foreach (var c in text)
        {
            if (char.IsControl(c) || c > 126)
            {
                return false;
            }

            hasContent |= char.IsAsciiLetterOrDigit(c);
        }

        if (!hasContent)
        {
            return false;
        }

        var body = text;
        var revision = 0;
        var plus = text.LastIndexOf('+');
        if (plus > 0 && int.TryParse(text.AsSpan(plus + 1), NumberStyles.None, CultureInfo.InvariantCulture, out var number))
        {
            revision = number;
            body = text[..plus];
        }

        var epoch = 0;
        while (epoch < body.Length && char.IsAsciiDigit(body[epoch]))
        {
            epoch++;
        }

        var hasEpoch = epoch > 0 && epoch + 1 < body.Length && body[epoch] == ':';
        version = new AppVersion(
            text, new Part(Rank.Number, hasEpoch ? body[..epoch].TrimStart('0') : ""), Cut(hasEpoch ? body[(epoch + 1)..] : body), revision);
        return true;
    }

    /// <summary>Reads a version that is known to be one; throws <see cref="FormatException"/> otherwise.</summary>
    public static AppVersion Parse(string text) =>
        TryParse(text, out var version) ? version : throw new FormatException($"'{text}' is not a version.");

    /// <summary>The same version with another revision; 0 takes the revision away.</summary>
    public AppVersion WithRevision(int revision)
    {
        var plus = Revision > 0 || Text.EndsWith("+0", StringComparison.Ordinal) ? Text.LastIndexOf('+') : Text.Length;
        var body = Text[..plus];
        return Parse(revision == 0 ? body : string.Create(CultureInfo.InvariantCulture, $"{body}+{revision}"));
    }

    /// <summary>True where both are the same apart from their revision.</summary>
    public bool SameButRevision(AppVersion other) => CompareParts(other) == 0;

    public int CompareTo(AppVersion? other)
    {
        if (other is null)
        {
            return 1;
        }

        var parts = CompareParts(other);
        return parts != 0 ? parts : Revision.CompareTo(other.Revision);
    }

    public bool Equals(AppVersion? other) => other is not null && CompareTo(other) == 0;

    public override bool Equals(object? obj) => obj is AppVersion other && Equals(other);

    public override int GetHashCode()
    {
        var hash = default(HashCode);
        hash.Add(_epoch.Text, StringComparer.Ordinal);
        foreach (var part in _parts)
        {
            hash.Add(part.Rank);
            hash.Add(part.Text, StringComparer.Ordinal);
        }

        hash.Add(Revision);
        return hash.ToHashCode();
    }

    public override string ToString() => Text;

    public static bool operator <(AppVersion left, AppVersion right) => left.CompareTo(right) < 0;

    public static bool operator >(AppVersion left, AppVersion right) => left.CompareTo(right) > 0;

    public static bool operator <=(AppVersion left, AppVersion right) => left.CompareTo(right) <= 0;

    public static bool operator >=(AppVersion left, AppVersion right) => left.CompareTo(right) >= 0;

    public static bool operator ==(AppVersion? left, AppVersion? right) => left is null ? right is null : left.Equals(right);

    public static bool operator !=(AppVersion? left, AppVersion? right) => !(left == right);

    private int CompareParts(AppVersion other)
    {
        if (_epoch.CompareTo(other._epoch) is not 0 and var epochs)
        {
            return epochs;
        }

        for (var i = 0; ; i++)
        {
            var left = i < _parts.Length ? _parts[i] : Part.End;
            var right = i < other._parts.Length ? other._parts[i] : Part.End;
            var difference = left.CompareTo(right);
            if (difference != 0 || left.Rank == Rank.End)
            {
                return difference;
            }
        }
    }

    private static Part[] Cut(string text)
    {
        var parts = new List<Part>();
        var lower = text.ToLowerInvariant();
        var i = lower.Length > 1 && lower[0] == 'v' && char.IsAsciiDigit(lower[1]) ? 1 : 0;
        while (i < lower.Length)
        {
            var start = i;
            if (lower[i] == '~')
            {
                parts.Add(new Part(Rank.Tilde, ""));
                i++;
            }
            else if (char.IsAsciiDigit(lower[i]))
            {
                while (i < lower.Length && char.IsAsciiDigit(lower[i]))
                {
                    i++;
                }

                parts.Add(new Part(Rank.Number, lower[start..i].TrimStart('0')));
            }
            else if (char.IsAsciiLetter(lower[i]))
            {
                while (i < lower.Length && char.IsAsciiLetter(lower[i]))
                {
                    i++;
                }

                var isPatchLetter = i - start == 1 && i == lower.Length && start > 0 && char.IsAsciiDigit(lower[start - 1]);
                parts.Add(Word(lower[start..i], isPatchLetter));
            }
            else
            {
                i++;
            }
        }

        return DropIdleZeros(parts);
    }

    private static Part Word(string word, bool isPatchLetter)
    {
        if (isPatchLetter)
        {
            return new Part(Rank.Word, word);
        }

        var meant = word switch { "a" => "alpha", "b" => "beta", "preview" => "pre", "c" => "rc", _ => word };
        var early = Array.IndexOf(EarlyWords, meant);
        return early < 0 ? new Part(Rank.Word, word) : new Part(Rank.Early, early.ToString(CultureInfo.InvariantCulture));
    }

    private static Part[] DropIdleZeros(List<Part> parts)
    {
        var kept = new List<Part>(parts.Count);
        for (var i = 0; i < parts.Count; i++)
        {
            var next = i;
            while (next < parts.Count && parts[next] is { Rank: Rank.Number, Text: "" })
            {
                next++;
            }

            // A run of zeros says something only where a number follows it, or where nothing stands before it and nothing behind.
            if (next > i && next < parts.Count && parts[next].Rank == Rank.Number)
            {
                kept.AddRange(parts.GetRange(i, next - i));
            }

            if (next < parts.Count)
            {
                kept.Add(parts[next]);
            }

            i = next;
        }

        return [.. kept];
    }

    // The members stand in the order in which they sort at the first difference.
    private enum Rank
    {
        Tilde,
        Early,
        End,
        Word,
        Number,
    }

    private readonly record struct Part(Rank Rank, string Text) : IComparable<Part>
    {
        public static readonly Part End = new(Rank.End, "");

        public int CompareTo(Part other)
        {
            if (Rank != other.Rank)
            {
                return Rank.CompareTo(other.Rank);
            }

            if (Rank == Rank.Number && Text.Length != other.Text.Length)
            {
                return Text.Length.CompareTo(other.Text.Length);
            }

            return Math.Sign(string.CompareOrdinal(Text, other.Text));
        }
    }
}
