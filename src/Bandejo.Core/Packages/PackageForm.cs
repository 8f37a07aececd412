using System.Globalization;
using System.Text.RegularExpressions;
using Bandejo.Core.Rules;

namespace Bandejo.Core.Packages;

/// <summary>
/// What a package may look like, whoever wrote it down: the forms of names, the bounds of lists and texts, what must not be missing. A manifest is held to it
/// when
/// it is read, a signed document when it is brought to a service, and again on each device before anything of it is carried out.
/// </summary>
public static class PackageForm
{
    /// <summary>The most variants, and the most checks, companions, removals, programs to close, needs or presets.</summary>
    public const int MaxItems = 50;

    /// <summary>The most settings, and the most choices of one.</summary>
    public const int MaxSettings = 200;

    /// <summary>The most words of one command.</summary>
    public const int MaxWords = 200;

    /// <summary>The longest word of a command, or value of the environment, in characters.</summary>
    public const int MaxWord = 8192;

    /// <summary>The longest text of an answer file, in characters.</summary>
    public const int MaxAnswer = 256 * 1024;

    /// <summary>The longest expression of a pattern, in characters.</summary>
    public const int MaxPattern = 300;

    /// <summary>The longest a step may be given.</summary>
    public static readonly TimeSpan MaxLimit = TimeSpan.FromDays(7);

    /// <summary>Everything that is wrong with a package, each with its place; none where nothing is.</summary>
    /// <param name="package">The package, whether it was read from a manifest or from a document.</param>
    public static IEnumerable<Finding> Problems(Manifest package)
    {
        foreach (var problem in new[]
        {
            At("app", AppProblem(package.App)),
            At("name", TextProblem(package.Name, 200, must: true)),
            At("publisher", TextProblem(package.Publisher, 200)),
            At("category", TextProblem(package.Category, 200)),
            At("summary", TextProblem(package.Summary, 2000, isLong: true)),
            At("icon", package.Icon is { } icon ? Quoted(icon, SafePath.Problem(icon)) : null),
            At("variants", package.Variants.Count is 0 or > MaxItems ? $"A package has 1 to {MaxItems} variants, not {package.Variants.Count}." : null),
            At("variants", Twice(package.Variants.Select(variant => variant.Name), "Two variants are named")),
            At("settings", package.Settings.Count > MaxSettings ? $"A package has at most {MaxSettings} settings." : Twice(
                package.Settings.Select(setting => setting.Name), "Two settings are named")),
            At(
                "presets",
                Many(package.Presets.Count, "presets")
                    ?? package.Presets.Keys.Where(name => !Settings.IsName(name))
                        .Select(name => $"The name of a preset is lower-case letters, digits and hyphens, not '{name}'.").FirstOrDefault()),
        }.Concat(Apps(package)).Concat(package.Settings.Select((setting, i) => At($"settings[{i}]", SettingProblem(setting)))))
        {
            if (problem is not null)
            {
                yield return problem;
            }
        }

        for (var i = 0; i < Math.Min(package.Variants.Count, MaxItems); i++)
        {
            foreach (var problem in VariantProblems(package.Variants[i], string.Create(CultureInfo.InvariantCulture, $"variants[{i}]")).OfType<Finding>())
            {
                yield return problem;
            }
        }
    }

    /// <summary>What is wrong with the slug of an app; null where nothing is.</summary>
    public static string? AppProblem(string app) =>
        app.Length is 0 or > 64 || FactCatalog.Slug(app) != app || !app.All(char.IsAscii)
            ? $"'{Short(app)}' must be lower-case letters, digits and hyphens, at most 64, such as '{Example(app)}'."
            : null;

    /// <summary>What is wrong with a pattern whose first group is a version; null where nothing is.</summary>
    public static string? PatternProblem(string pattern)
    {
        if (pattern.Length > MaxPattern)
        {
            return $"A pattern has at most {MaxPattern} characters.";
        }

        try
        {
            // Matching it once shows also what only comes to light when its automaton is built: one that is too large is refused then.
            var regex = new Regex(pattern, RegexOptions.NonBacktracking);
            _ = regex.Match("version 1.2.3");
            return regex.GetGroupNumbers().Length < 2 ? "The pattern needs a group in brackets around the version, such as 'version ([0-9.]+)'." : null;
        }
        catch (Exception error) when (error is ArgumentException or NotSupportedException)
        {
            return $"This is not a regular expression that can be used here: {error.Message}";
        }
    }

    /// <summary>What is wrong with something that is deleted after a removal; null where nothing is.</summary>
    /// <param name="path">Relative to the machine's root.</param>
    public static string? ResetProblem(string path) =>
        // A slip here would empty a machine: what is deleted must lie at least three deep, as var/lib/foldline does.
        SafePath.Problem(path) is not null || path.Split('/').Length < 3
            ? $"'{Short(path)}' must be one folder or file of this software, at least three parts deep, such as /var/lib/foldline."
            : null;

    /// <summary>What is wrong with a name in the environment of a step; null where nothing is.</summary>
    public static string? EnvironmentProblem(string name) =>
        name.Length is 0 or > 128 || char.IsAsciiDigit(name[0]) || !name.All(sign => char.IsAsciiLetterOrDigit(sign) || sign == '_')
            ? $"'{Short(name)}' is no name for the environment; letters, digits and _ are, and no digit in front."
        : name.StartsWith("BANDEJO_", StringComparison.Ordinal) ? $"'{name}' is given by the agent; names that begin with BANDEJO_ are its own." : null;

    /// <summary>What is wrong with a presence check; null where nothing is.</summary>
    public static string? CheckProblem(PresenceCheck check)
    {
        var subject = check.Subject;
        return subject.Length == 0 && check.Kind != PresenceKind.Receipt ? "A presence check names what it looks for."
            : TextProblem(subject, 500) ?? TextProblem(check.Expected ?? "", 500, isLong: true) ?? TextProblem(check.Key ?? "", 200)
            ?? (
                check.Kind == PresenceKind.Product && !Guid.TryParseExact(subject, "B", out _)
                    ? $"'{Short(subject)}' is no product code; one looks like '{{1F0C7D2A-5B7E-4C7B-9A55-0D6F4C1B2E10}}', in quotes."
            : check.Kind == PresenceKind.Service && !PresenceCheck.IsServiceName(subject)
                ? $"'{Short(subject)}' is no name of a service, such as cron or cron.service."
            : PresenceCheck.IsPlace(check.Kind) && SafePath.OnDevice(subject) is { } problem ? $"'{Short(subject)}' {problem}"
            : check.Kind == PresenceKind.Registry && RegistryPath.Problem(subject) is { } wrong ? $"'{Short(subject)}' {wrong}"
            : check.Kind == PresenceKind.Setting && string.IsNullOrEmpty(check.Key) ? "A setting needs the 'key' to look for."
            : check is { Kind: PresenceKind.File, Expected: { } expected } && !Settings.UsedIn(expected).Any() && !SafePath.IsSha256(expected)
                ? "For a file 'is' is its SHA-256, 64 hexadecimal digits."
            : check.Kind == PresenceKind.Command ? WordsProblem([subject, .. check.Arguments])
            : check.Arguments.Count > 0 ? "Only a command has arguments." : null)
            ?? (check.Pattern is { } pattern ? PatternProblem(pattern) : null);
    }

    /// <summary>What is wrong with the words of a command; null where nothing is.</summary>
    public static string? WordsProblem(IReadOnlyList<string> words) =>
        words.Count == 0 || words[0].Trim().Length == 0 ? "A command and its arguments are missing."
        : words.Count > MaxWords ? $"A command has at most {MaxWords} words, not {words.Count}."
        : words.FirstOrDefault(word => word.Length > MaxWord || word.Contains('\0')) is { } word
            ? $"A word of a command has at most {MaxWord} characters and no NUL; one that begins with '{Short(word)}' does not hold to that."
            : null;

    private static IEnumerable<Finding?> Apps(Manifest package)
    {
        yield return At("replaces", Many(package.Replaces.Count, "replaced apps") ?? package.Replaces.Select(AppProblem).FirstOrDefault(
            problem => problem is not null)
            ?? (package.Replaces.Contains(package.App) ? "A package does not replace its own app; an earlier version is upgraded by itself." : null));
        yield return At("needs", Many(package.Needs.Count, "needs") ?? package.Needs.Select(need => AppProblem(need.App)).FirstOrDefault(
            problem => problem is not null)
            ?? (package.Needs.Any(need => need.App == package.App) ? "A package does not need its own app." : Twice(
                package.Needs.Select(need => need.App), "Needed twice:")));
    }

    private static string? SettingProblem(Setting setting)
    {
        if (!Settings.IsName(setting.Name))
        {
            return $"'{Short(setting.Name)}' must be lower-case letters, digits and hyphens, such as '{Example(setting.Name)}'.";
        }

        return setting is { Type: SettingType.Secret, Default: not null }
            ? $"'{setting.Name}' is secret and has no place in a package; give it with the deployment."
            : setting.Choices.Count > MaxSettings || setting.Writes.Count > MaxSettings ? $"The setting '{setting.Name}' has at most {MaxSettings} choices."
            : setting.Default is { } value && Settings.Read(setting, value) is { Ok: false, Failure: { } failure } ? failure.Message
            : TextProblem(setting.Says, 300)
                ?? setting.Choices.Concat(setting.Writes.Keys).Concat(setting.Writes.Values).Select(text => TextProblem(text, Settings.MaxValue))
                    .FirstOrDefault(problem => problem is not null);
    }

    private static IEnumerable<Finding?> VariantProblems(Variant variant, string where)
    {
        yield return At($"{where}.name", TextProblem(variant.Name, 64, must: true));
        foreach (var (name, step) in variant.Steps())
        {
            yield return At($"{where}.{name}", variant.IsCompanionsOnly && step.Run.Count == 0 ? null : StepProblem(step));
        }

        yield return At(
            $"{where}.present",
            (variant.Present.Count == 0 && !variant.IsCompanionsOnly) || variant.Present.Count > MaxItems
                ? $"A variant has 1 to {MaxItems} presence checks; they are the only proof of success."
                : null);
        for (var i = 0; i < Math.Min(variant.Present.Count, MaxItems); i++)
        {
            yield return At($"{where}.present[{i}]", CheckProblem(variant.Present[i]));
        }

        yield return At(
            $"{where}.close",
            Many(variant.Close.Count + variant.Handling.Close.Count, "programs to close")
                ?? variant.Close.Concat(variant.Handling.Close).Select(name => TextProblem(name, 200, must: true))
                    .FirstOrDefault(problem => problem is not null));
        yield return At($"{where}.handling", HandlingProblem(variant.Handling));
        yield return At(
            $"{where}.launch",
            variant.Launch is { } launch
                ? WordsProblem(launch.Run) ?? EnvironmentsProblem(launch.Environment)
                    ?? (launch.Stays < TimeSpan.Zero || launch.Stays > TimeSpan.FromHours(1) ? "What is launched is watched for at most an hour." : null)
                : null);
        yield return At($"{where}.companions", Many(variant.Companions.Count, "companions"));
        for (var i = 0; i < Math.Min(variant.Companions.Count, MaxItems); i++)
        {
            yield return At($"{where}.companions[{i}]", CompanionProblem(variant.Companions[i]));
        }

        yield return At(
            $"{where}.removals",
            Many(variant.Removals.Count, "removals")
                ?? variant.Removals.Select(removal => TextProblem(removal.What, 200, must: true)).FirstOrDefault(problem => problem is not null));
    }

    private static string? StepProblem(Step step) =>
        WordsProblem(step.Run)
        ?? (
            step.Limit <= TimeSpan.Zero || step.Limit > MaxLimit || step.Expected <= TimeSpan.Zero || step.Expected > MaxLimit
                ? $"A step takes more than no time and at most {Units.FormatDuration(MaxLimit)}."
                : null)
        ?? EnvironmentsProblem(step.Environment)
        ?? (
            step.Answers.Count > MaxItems
                ? $"A step has at most {MaxItems} answer files."
                : step.Answers.Keys.Select(path => Quoted(path, SafePath.Problem(path))).FirstOrDefault(problem => problem is not null))
        ?? (step.Answers.Values.Any(text => text.Length > MaxAnswer) ? $"An answer file has at most {MaxAnswer} characters." : null)
        ?? (step.Codes.Count > MaxWords ? $"A step names at most {MaxWords} exit codes." : null);

    private static string? EnvironmentsProblem(IReadOnlyDictionary<string, string> environment) =>
        (
            environment.Count > MaxWords
                ? $"A command is given at most {MaxWords} names in its environment."
                : environment.Keys.Select(EnvironmentProblem).FirstOrDefault(problem => problem is not null))
        ?? (
            environment.Values.Any(value => value.Length > MaxWord || value.Contains('\0'))
                ? $"A value of the environment has at most {MaxWord} characters and no NUL."
                : null);

    private static string? HandlingProblem(Handling handling) =>
        (handling.Log is { } log ? Quoted(log, SafePath.OnDevice(log)) : null) ?? Many(handling.Reset.Count, "places to reset")
            ?? handling.Reset.Select(ResetProblem).FirstOrDefault(problem => problem is not null);

    private static string? CompanionProblem(Companion companion) => companion.Kind switch
    {
        CompanionKind.Opens =>
            companion.Subject.Length is 0 or > 40 || !companion.Subject.All(sign => char.IsAsciiLetterOrDigit(sign) || sign is '.' or '-' or '+')
                ? "'opens' is the ending of files, such as 'fold'."
            : WordsProblem(companion.With)
                ?? (companion.With.Any(word => word.Any(char.IsControl)) ? "The command that opens a file has no line breaks or control characters." : null)
                ?? TextProblem(companion.Says, 200),
        CompanionKind.Setting => Quoted(companion.Subject, SafePath.OnDevice(companion.Subject))
            ?? (
                companion.Key is not { } key || key.Trim().Length == 0 || key.Length > 200 || key[0] == '#'
                    || key.Any(sign => char.IsControl(sign) || sign == '=')
                    ? "'key' is the name of one setting, of at most 200 characters, without '='."
                    : null)
            ?? (
                companion.Value is not { } value || value.Length > Settings.MaxValue || value.Any(char.IsControl)
                    ? $"'to' is what the setting is set to: at most {Settings.MaxValue} characters in one line."
                    : null),
        _ => Quoted(companion.Subject, SafePath.Problem(companion.Subject))
            ?? (
                companion.Kind == CompanionKind.File && (companion.To is not { } to || SafePath.Problem(to) is not null)
                    ? $"'{Short(companion.Subject)}' has no place on the device; 'to' is where it belongs, such as '/opt/foldline/licence.txt'."
                    : null),
    };

    private static Finding? At(string where, string? problem) => problem is null ? null : new Finding(problem, where);

    private static string? Quoted(string text, string? problem) => problem is null ? null : $"'{Short(text)}' {problem}";

    private static string? Many(int count, string what) => count > MaxItems ? $"There are at most {MaxItems} {what}, not {count}." : null;

    private static string? Twice(IEnumerable<string> names, string what) =>
        names.GroupBy(name => name, StringComparer.Ordinal).FirstOrDefault(group => group.Skip(1).Any()) is { } twice ? $"{what} '{Short(twice.Key)}'." : null;

    private static string? TextProblem(string text, int max, bool must = false, bool isLong = false) =>
        must && text.Trim().Length == 0 ? "This is empty."
        : text.Length > max ? $"This has {text.Length} characters; at most {max} are possible."
        : text.Any(sign => char.IsControl(sign) && !(isLong && sign is '\n' or '\r' or '\t'))
            ? $"'{Short(new string([.. text.Where(sign => !char.IsControl(sign))]))}' has a line break or another control character in it."
            : null;

    private static string Short(string text) => text.Length > 60 ? text[..60] + "…" : text;

    private static string Example(string text) =>
        FactCatalog.Slug(new string([.. text.Take(64).Select(sign => char.IsAscii(sign) ? sign : '-')])) is { Length: > 0 } slug
            ? slug.TrimStart('-')
            : "foldline";
}
