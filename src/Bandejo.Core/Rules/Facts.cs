using System.Globalization;
using Bandejo.Core.Versions;

namespace Bandejo.Core.Rules;

/// <summary>What kind of value a fact holds. It decides which literals and comparisons a rule may use with it.</summary>
public enum FactType
{
    /// <summary>Text; compared without regard to case.</summary>
    Text,

    /// <summary>A plain number.</summary>
    Number,

    /// <summary>An amount of data in bytes; written with a unit (<c>4 GiB</c>).</summary>
    Size,

    /// <summary>A length of time in seconds; written with a unit (<c>3d</c>).</summary>
    Duration,

    /// <summary>A version, in the order of <see cref="AppVersion"/>.</summary>
    Version,

    /// <summary>Yes or no.</summary>
    YesNo,

    /// <summary>A calendar day, <c>2026-01-14</c>.</summary>
    Date,

    /// <summary>A set of texts.</summary>
    Set,
}

/// <summary>One value of a fact. Immutable; equal by type and content.</summary>
public sealed record FactValue
{
    // Columns look values up by the million: the hash is worked out once.
    private readonly int _hash;

    private FactValue(FactType type, string text = "", double number = 0, AppVersion? version = null, IReadOnlyList<string>? members = null)
    {
        (Type, Text, Number, Version, Members) = (type, text, number, version, members ?? []);
        _hash = HashCode.Combine(type, text, number, version?.Text, Members.Count);
    }

    public FactType Type { get; }

    /// <summary>The text of a <see cref="FactType.Text"/> value.</summary>
    public string Text { get; }

    /// <summary>Number, bytes, seconds, 1 or 0 for yes or no, or the day number of a date.</summary>
    public double Number { get; }

    /// <summary>The version of a <see cref="FactType.Version"/> value.</summary>
    public AppVersion? Version { get; }

    /// <summary>The members of a set, in ordinal order, each once.</summary>
    public IReadOnlyList<string> Members { get; }

    public static FactValue OfText(string text) => new(FactType.Text, text);

    public static FactValue OfNumber(double number) => new(FactType.Number, number: number);

    public static FactValue OfSize(double bytes) => new(FactType.Size, number: bytes);

    public static FactValue OfDuration(TimeSpan duration) => new(FactType.Duration, number: duration.TotalSeconds);

    public static FactValue OfVersion(AppVersion version) => new(FactType.Version, version: version);

    public static FactValue OfYesNo(bool yes) => new(FactType.YesNo, number: yes ? 1 : 0);

    public static FactValue OfDate(DateOnly date) => new(FactType.Date, number: date.DayNumber);

    public static FactValue OfSet(IEnumerable<string> members) =>
        new(FactType.Set, members: [.. members.Distinct(StringComparer.OrdinalIgnoreCase).Order(StringComparer.Ordinal)]);

    /// <summary>
    /// Reads the form in which facts travel and are stored: text as it is, numbers invariant, sizes in bytes, durations in seconds, <c>yes</c>/<c>no</c>,
    /// dates <c>yyyy-MM-dd</c>, sets joined by commas. Null where the text does not fit the type.
    /// </summary>
    public static FactValue? Read(FactType type, string text)
    {
        switch (type)
        {
            case FactType.Text:
                return OfText(text);
            case FactType.Number or FactType.Size or FactType.Duration:
                return double.TryParse(text, NumberStyles.Float, CultureInfo.InvariantCulture, out var number) && double.IsFinite(number)
                    ? new FactValue(type, number: number)
                    : null;
            case FactType.Version:
                return AppVersion.TryParse(text, out var version) ? OfVersion(version) : null;
            case FactType.YesNo:
                return text switch { "yes" => OfYesNo(true), "no" => OfYesNo(false), _ => null };
            case FactType.Date:
                return DateOnly.TryParseExact(text, "yyyy-MM-dd", CultureInfo.InvariantCulture, DateTimeStyles.None, out var date) ? OfDate(date) : null;
            case FactType.Set:
                return OfSet(text.Split(',', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries));
            default:
                return null;
        }
    }

    /// <summary>The value as a person reads it (<c>3.8 GiB</c>, <c>yes</c>, <c>7.2.0</c>).</summary>
    public override string ToString() => Type switch
    {
        FactType.Text => Text,
        FactType.Number => Number.ToString("0.###", CultureInfo.InvariantCulture),
        FactType.Size => Units.FormatSize(Number),
        FactType.Duration => Units.FormatDuration(TimeSpan.FromSeconds(Number)),
        FactType.Version => Version!.Text,
        FactType.YesNo => Number > 0 ? "yes" : "no",
        FactType.Date => DateOnly.FromDayNumber((int)Number).ToString("yyyy-MM-dd", CultureInfo.InvariantCulture),
        _ => Members.Count == 0 ? "nothing" : string.Join(", ", Members),
    };

    public bool Equals(FactValue? other) =>
        ReferenceEquals(this, other)
            || other is not null && _hash == other._hash && Type == other.Type && Text == other.Text && Number.Equals(other.Number)
                && Equals(Version?.Text, other.Version?.Text) && Members.SequenceEqual(other.Members);

    public override int GetHashCode() => _hash;
}

/// <summary>Names a fact: a name of the catalogue, or <c>app "slug"</c>.</summary>
/// <param name="Name">The fact's name, or the app's slug.</param>
/// <param name="IsApp">True for <c>app "slug"</c>, whose value is the installed version.</param>
public sealed record FactRef(string Name, bool IsApp)
{
    private readonly int _hash = HashCode.Combine(Name, IsApp);

    public bool Equals(FactRef? other) =>
        ReferenceEquals(this, other) || (other is not null && _hash == other._hash && IsApp == other.IsApp && Name == other.Name);

    public override int GetHashCode() => _hash;

    public override string ToString() => IsApp ? $"app \"{Name}\"" : Name;
}

/// <summary>What a device says of one fact: a value, certainly nothing (complete inventory without it), or not known yet.</summary>
public readonly record struct FactLookup(FactValue? Value, bool IsAbsent)
{
    /// <summary>The device has not said.</summary>
    public static FactLookup NotKnown => default;

    /// <summary>The device has said that there is none.</summary>
    public static FactLookup Absent => new(null, true);

    public static FactLookup Of(FactValue value) => new(value, false);

    public bool IsKnown => Value is not null || IsAbsent;
}

/// <summary>Where a rule gets its facts from when it is evaluated for one device.</summary>
public interface IFactSource
{
    FactLookup Find(FactRef fact);
}

/// <summary>The facts that rules may speak of, with their types. Names beginning with <c>label.</c> are texts that a site sets for itself.</summary>
public static class FactCatalog
{
    /// <summary>What the names of a site's own facts begin with.</summary>
    public const string LabelPrefix = "label.";

    /// <summary>Every fact with its type and one line of what it means, in the order in which they are documented.</summary>
    public static IReadOnlyDictionary<string, (FactType Type, string Meaning)> All { get; } = new Dictionary<string, (FactType, string)>(StringComparer.Ordinal)
    {
        ["name"] = (FactType.Text, "The device's name in Bandejo"),
        ["host"] = (FactType.Text, "The host name the operating system gives"),
        ["kind"] = (FactType.Text, "What the device is for: desk, laptop, kiosk, server, …"),
        ["site"] = (FactType.Text, "Where it stands"),
        ["zone"] = (FactType.Text, "The time zone of its clocks, such as Europe/Lisbon"),
        ["maker"] = (FactType.Text, "Who made the machine"),
        ["model"] = (FactType.Text, "Which model it is"),
        ["serial"] = (FactType.Text, "The serial number that its maker gave it"),
        ["os.name"] = (FactType.Text, "The operating system"),
        ["os.version"] = (FactType.Version, "Its version"),
        ["os.family"] = (FactType.Text, "windows, macos, or what a Linux descends from: debian, fedora, …"),
        ["architecture"] = (FactType.Text, "x64, arm64 or x86"),
        ["processors"] = (FactType.Number, "Processor cores the system sees"),
        ["memory"] = (FactType.Size, "Main memory"),
        ["disk.size"] = (FactType.Size, "Size of the disk that holds the system"),
        ["disk.free"] = (FactType.Size, "Free room on the disk that holds the system"),
        ["public"] = (FactType.YesNo, "Used by the public"),
        ["roles"] = (FactType.Set, "What else it serves as"),
        ["restart.pending"] = (FactType.YesNo, "Whether the system waits for a restart"),
        ["resets"] = (FactType.Text, "When in each day it is reset to what it was, by its own clocks, such as 03:30"),
        ["network.mac"] = (FactType.Text, "The address of its network card, which wakes it"),
        ["network.metered"] = (FactType.YesNo, "Whether its link is paid for by what goes over it"),
        ["power.mains"] = (FactType.YesNo, "Whether it runs on mains power"),
        ["uptime"] = (FactType.Duration, "Time since the system started"),
        ["joined"] = (FactType.Date, "The day it joined"),
        ["agent.version"] = (FactType.Version, "Version of the agent"),
    };

    /// <summary>The type of a fact; null where there is no such fact.</summary>
    public static FactType? TypeOf(string name)
    {
        if (All.TryGetValue(name, out var known))
        {
            return known.Type;
        }

        return name.StartsWith(LabelPrefix, StringComparison.Ordinal) && name.Length > LabelPrefix.Length ? FactType.Text : null;
    }

    /// <summary>The type of what a reference names.</summary>
    public static FactType? TypeOf(FactRef fact) => fact.IsApp ? FactType.Version : TypeOf(fact.Name);

    /// <summary>
    /// The slug under which a program's name stands in rules: lower case, every run of other characters than letters and digits one hyphen
    /// (<c>Marlin Runtime</c> → <c>marlin-runtime</c>).
    /// </summary>
    public static string Slug(string name)
    {
        var slug = new System.Text.StringBuilder(name.Length);
        foreach (var c in name.ToLowerInvariant())
        {
            if (char.IsLetterOrDigit(c))
            {
                slug.Append(c);
            }
            else if (slug.Length > 0 && slug[^1] != '-')
            {
                slug.Append('-');
            }
        }

        return slug.ToString().TrimEnd('-');
    }
}
