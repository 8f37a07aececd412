using System.Globalization;
using System.Text.RegularExpressions;
using Bandejo.Core.Rules;

namespace Bandejo.Core.Packages;

/// <summary>What a value of a setting is.</summary>
public enum SettingType
{
    Text,

    /// <summary>A whole number.</summary>
    Number,

    YesNo,

    /// <summary>One of <see cref="Setting.Choices"/>.</summary>
    Choice,

    /// <summary>A text that is kept out of manifests, logs and answers.</summary>
    Secret,
}

/// <summary>A named value that the packager exposes. Where it is used stands in the steps, as <c>@{name}</c>.</summary>
public sealed record Setting
{
    /// <summary>Lower-case letters, digits and single hyphens, at most 64.</summary>
    public required string Name { get; init; }

    /// <summary>What it is for, for people.</summary>
    public string Says { get; init; } = "";

    public SettingType Type { get; init; }

    /// <summary>The value where nobody says another; null for none, and then what uses it is left out.</summary>
    public string? Default { get; init; }

    public IReadOnlyList<string> Choices { get; init; } = [];

    /// <summary>What is written in the place of a value, by value; a value that is not in it is written as it is.</summary>
    public IReadOnlyDictionary<string, string> Writes { get; init; } = new Dictionary<string, string>();

    /// <summary>The words for the types, as they stand in a manifest.</summary>
    public static IReadOnlyDictionary<string, SettingType> Types { get; } = new Dictionary<string, SettingType>(StringComparer.Ordinal)
    {
        ["text"] = SettingType.Text, ["number"] = SettingType.Number, ["yes-no"] = SettingType.YesNo, ["choice"] = SettingType.Choice,
        ["secret"] = SettingType.Secret,
    };
}

/// <summary>Values for settings, and the texts that use them.</summary>
public static partial class Settings
{
    /// <summary>The longest value, in characters.</summary>
    public const int MaxValue = 2000;

    /// <summary>Whether a text can name a setting or a preset: lower-case letters (a to z), digits and single hyphens, at most 64.</summary>
    public static bool IsName(string text) => text.Length <= 64 && Name().IsMatch(text);

    /// <summary>A value in its one form; a failure says what would be right.</summary>
    public static Outcome<string> Read(Setting setting, string value)
    {
        if (value.Length > MaxValue || value.Any(sign => char.IsControl(sign)))
        {
            return Not($"is one line of at most {MaxValue} characters");
        }

        switch (setting.Type)
        {
            case SettingType.Number:
                return long.TryParse(value, NumberStyles.AllowLeadingSign, CultureInfo.InvariantCulture, out var number)
                    ? number.ToString(CultureInfo.InvariantCulture)
                    : Not($"is a whole number, not '{value}'");
            case SettingType.YesNo:
                return value is "yes" or "true" ? "yes" : value is "no" or "false" ? "no" : Not($"is yes or no, not '{value}'");
            case SettingType.Choice:
                return setting.Choices.Contains(value) ? value : Not($"is one of {string.Join(", ", setting.Choices)}, not '{value}'");
            default:
                return value;
        }

        Failure Not(string what) => new(ErrorKind.Invalid, $"The setting '{setting.Name}' {what}.");
    }

    /// <summary>
    /// The values that a deployment asks for: those of a preset, then its own over them. What is the default anyway is left out, so that saying it changes
    /// nothing. Every error is a finding.
    /// </summary>
    /// <param name="settings">What the package exposes.</param>
    /// <param name="presets">Its presets.</param>
    /// <param name="preset">The preset that is asked for; null for none.</param>
    /// <param name="own">Values by the names of settings.</param>
    public static Outcome<IReadOnlyDictionary<string, string>> Resolve(
        IReadOnlyList<Setting> settings, IReadOnlyDictionary<string, IReadOnlyDictionary<string, string>> presets, string? preset,
        IReadOnlyDictionary<string, string> own)
    {
        var findings = new List<Finding>();
        var values = new SortedDictionary<string, string>(StringComparer.Ordinal);
        if (preset is not null && !presets.ContainsKey(preset))
        {
            findings.Add(new Finding(
                $"The package has no preset '{preset}'.{(presets.Count == 0 ? " It has none." : $" Presets: {string.Join(", ", presets.Keys)}.")}", "preset"));
        }

        foreach (var (name, value) in (preset is not null ? presets.GetValueOrDefault(preset, own) : own).Concat(own))
        {
            if (settings.FirstOrDefault(setting => setting.Name == name) is not { } setting)
            {
                var near = Suggest.Nearest(name, settings.Select(each => each.Name));
                var all = settings.Count == 0 ? " It has none." : $" Settings: {string.Join(", ", settings.Select(each => each.Name))}.";
                findings.Add(new Finding($"The package has no setting '{name}'.{(near is not null ? $" Did you mean '{near}'?" : all)}", "settings." + name));
                continue;
            }

            var read = Read(setting, value);
            if (!read.Ok)
            {
                findings.Add(new Finding(read.Failure!.Message, "settings." + name));
            }
            else if (read.Value == setting.Default)
            {
                values.Remove(name);
            }
            else
            {
                values[name] = read.Value;
            }
        }

        return findings.Count == 0 ? values : new Failure(ErrorKind.Invalid, findings[0].Message, [.. findings.Distinct()]);
    }

    /// <summary>What is written for each setting that has a value: the asked one, else the default.</summary>
    public static SortedDictionary<string, string> Written(IEnumerable<Setting> settings, IReadOnlyDictionary<string, string> asked)
    {
        var written = new SortedDictionary<string, string>(StringComparer.Ordinal);
        foreach (var setting in settings)
        {
            if (asked.GetValueOrDefault(setting.Name, setting.Default!) is { } value)
            {
                written[setting.Name] = setting.Writes.GetValueOrDefault(value, value);
            }
        }

        return written;
    }

    /// <summary>The names of the settings that a text uses.</summary>
    public static IEnumerable<string> UsedIn(string text) => Place().Matches(text).Select(match => match.Groups[1].Value);

    /// <summary>The text with values in the places of their settings; null where one of them has none.</summary>
    public static string? Fill(string text, IReadOnlyDictionary<string, string> written) =>
        !text.Contains("@{", StringComparison.Ordinal) ? text
            : UsedIn(text).All(written.ContainsKey) ? Place().Replace(text, match => written[match.Groups[1].Value])
            : null;

    /// <summary>The words of a command. A word that uses a setting without a value is left out, and so is one that comes out empty.</summary>
    public static IReadOnlyList<string> FillWords(IEnumerable<string> words, IReadOnlyDictionary<string, string> written) =>
        [
            .. words.Select(word => (word, filled: Fill(word, written)))
                .Where(pair => pair.filled is not null && (pair.filled.Length > 0 || pair.word.Length == 0)).Select(pair => pair.filled!)];

    /// <summary>The lines of a text. A line that uses a setting without a value is left out.</summary>
    public static string FillLines(string text, IReadOnlyDictionary<string, string> written) =>
        string.Join('\n', text.Split('\n').Select(line => Fill(line, written)).OfType<string>());

    [GeneratedRegex("^[a-z0-9]+(-[a-z0-9]+)*$", RegexOptions.NonBacktracking)]
    private static partial Regex Name();

    [GeneratedRegex("@\\{([a-z0-9]+(?:-[a-z0-9]+)*)\\}")]
    private static partial Regex Place();
}
