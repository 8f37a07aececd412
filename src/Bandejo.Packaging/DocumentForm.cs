using System.Globalization;
using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Device;
using Bandejo.Core;
using Bandejo.Core.Packages;
using Bandejo.Core.Rules;
using Bandejo.Core.Versions;

namespace Bandejo.Packaging;

/// <summary>
/// Reads the document of a package and believes nothing of it: a service that is brought one, and a device before it looks at anything that one says. What has
/// passed here is what some manifest could have made.
/// </summary>
public static class DocumentForm
{
    /// <summary>The format that is read.</summary>
    public const int Format = 1;

    private static readonly Dictionary<string, string> Nothing = [];

    /// <summary>
    /// The document; a failure of kind <see cref="ErrorKind.Invalid"/> says which part cannot be carried out, and every such part among its findings.
    /// </summary>
    /// <param name="bytes">At most <see cref="Container.MaxDocument"/>, else it is refused.</param>
    public static Outcome<PackageDocument> Read(ReadOnlySpan<byte> bytes)
    {
        if (bytes.Length > Container.MaxDocument)
        {
            return Invalid($"The package's document is larger than {Units.FormatSize(Container.MaxDocument)}.");
        }

        PackageDocument document;
        try
        {
            document = MessageForm.Read<PackageDocument>(bytes);
        }
        catch (JsonException error)
        {
            return Invalid($"The package's document cannot be read: {error.Message.Split(" LineNumber:")[0]}");
        }

        if (document.Format != Format)
        {
            return Invalid($"The package's document is of format {document.Format}, and this program reads format {Format}; update it.");
        }

        var manifest = ManifestOf(document);
        if (!manifest.Ok)
        {
            return manifest.Failure!;
        }

        List<Finding> findings = [
            .. document.Variants.SelectMany(variant => FileProblems($"the files of variant '{variant.Name}'", variant.Files)),
            .. FileProblems("icon", document.Icon is null ? [] : [document.Icon]), .. PackageForm.Problems(manifest.Value)];
        return findings.Count == 0
            ? document
            : new Failure(ErrorKind.Invalid, $"The package cannot be carried out: {findings[0].Where}: {findings[0].Message}", findings);
    }

    /// <summary>The manifest that a document stands for, as far as a document says it: its files are named one by one.</summary>
    public static Outcome<Manifest> ManifestOf(PackageDocument document)
    {
        ArgumentNullException.ThrowIfNull(document);
        if (!AppVersion.TryParse(document.Version, out var version))
        {
            return Wrong("version", $"'{document.Version}' is not a version.");
        }

        var settings = new List<Setting>();
        foreach (var setting in document.Settings ?? [])
        {
            if (!Setting.Types.TryGetValue(setting.Type, out var type))
            {
                return Wrong($"settings.{setting.Name}", $"there is no setting of type '{setting.Type}'.");
            }

            settings.Add(
                new Setting
                {
                    Name = setting.Name, Says = setting.Says, Type = type, Default = setting.Default, Choices = setting.Choices ?? [],
                    Writes = setting.Writes ?? Nothing,
                });
        }

        var needs = new List<Need>();
        foreach (var need in document.Needs ?? [])
        {
            if (need.AtLeast is not null && !AppVersion.TryParse(need.AtLeast, out _))
            {
                return Wrong("needs", $"'{need.AtLeast}' is not a version.");
            }

            needs.Add(new Need(need.App, need.AtLeast is null ? null : AppVersion.Parse(need.AtLeast)));
        }

        var variants = new List<Variant>();
        for (var i = 0; i < document.Variants.Count; i++)
        {
            var variant = VariantOf(document.Variants[i], string.Create(CultureInfo.InvariantCulture, $"variants[{i}]"));
            if (!variant.Ok)
            {
                return variant.Failure!;
            }

            variants.Add(variant.Value);
        }

        return new Manifest
        {
            App = document.App, Name = document.Name, Version = version, Publisher = document.Publisher, Category = document.Category,
            Summary = document.Summary, Icon = document.Icon?.Path,
            Replaces = document.Replaces, Needs = needs, Settings = settings,
            Presets = document.Presets ?? new Dictionary<string, IReadOnlyDictionary<string, string>>(), Variants = variants,
        };
    }

    private static Outcome<Variant> VariantOf(DocumentVariant written, string where)
    {
        var (fits, requires) = (Rule.Parse(written.Fits), Rule.Parse(written.Requires));
        if (!fits.Ok || !requires.Ok)
        {
            return Wrong($"{where}.{(fits.Ok ? "requires" : "fits")}", (fits.Ok ? requires : fits).Failure!.Message);
        }

        var present = new List<PresenceCheck>();
        foreach (var check in written.Present)
        {
            if (!PresenceCheck.Kinds.TryGetValue(check.Kind, out var kind))
            {
                return Wrong($"{where}.present", $"there is no presence check '{check.Kind}' that this program knows; update it.");
            }

            present.Add(new PresenceCheck(kind, check.Subject, check.Arguments, check.Key, check.Expected, check.Pattern));
        }

        var companions = new List<Companion>();
        foreach (var companion in written.Companions ?? [])
        {
            if (!Enum.TryParse<CompanionKind>(companion.Kind, ignoreCase: true, out var kind) || !companion.Kind.All(char.IsAsciiLetterLower))
            {
                return Wrong($"{where}.companions", $"there is no companion of kind '{companion.Kind}' that this program knows; update it.");
            }

            if (kind is CompanionKind.Certificate or CompanionKind.File && written.Files.All(file => file.Path != companion.Subject))
            {
                return Wrong($"{where}.companions", $"'{companion.Subject}' is not among the files of variant '{written.Name}'.");
            }

            companions.Add(
                new Companion(
                    kind, companion.Subject, companion.To, companion.With ?? [], companion.Says ?? "") { Key = companion.Key, Value = companion.Value });
        }

        if (written.Handling is { } asked && !Handling.Restarts.ContainsKey(asked.Restart ?? ""))
        {
            return Wrong($"{where}.handling", $"'{asked.Restart}' says nothing about restarts; 'as-told', 'always' and 'never' do.");
        }

        var removals = new List<Removal>();
        foreach (var removal in written.Removals ?? [])
        {
            var when = Rule.Parse(removal.When);
            if (!when.Ok || removal.At is not ("install" or "remove" or "both"))
            {
                return Wrong($"{where}.removals", when.Ok ? $"'{removal.At}' is no moment; 'install', 'remove' and 'both' are." : when.Failure!.Message);
            }

            var step = StepOf(removal.Step, $"{where}.removals");
            if (!step.Ok)
            {
                return step.Failure!;
            }

            removals.Add(new Removal(removal.What, when.Value, Enum.Parse<RemovalMoment>(removal.At, ignoreCase: true), step.Value));
        }

        var steps = new Dictionary<string, Step>(StringComparer.Ordinal);
        foreach (var (name, step) in new[] { ("install", written.Install), ("remove", written.Remove), ("change", written.Change), ("repair", written.Repair) })
        {
            if (step is not null)
            {
                var read = StepOf(step, $"{where}.{name}");
                if (!read.Ok)
                {
                    return read.Failure!;
                }

                steps[name] = read.Value;
            }
        }

        return new Variant
        {
            Name = written.Name, Fits = fits.Value, Requires = requires.Value, Files = [.. written.Files.Select(file => file.Path)], Close = written.Close,
            Install = steps["install"], Remove = steps.GetValueOrDefault("remove"), Change = steps.GetValueOrDefault("change"),
            Repair = steps.GetValueOrDefault("repair"),
            Handling = written.Handling is { } handling
                ? new Handling
                {
                    NobodySignedIn = handling.NobodySignedIn, LowPriority = handling.LowPriority, Log = handling.Log, Reset = handling.Reset ?? [],
                }
                : Handling.Usual,
            Companions = companions, Removals = removals, Present = present, PutBack = written.PutBack,
            Launch = written.Launch is { } launch
                ? new Launch(
                    launch.Run,
                    TimeSpan.FromSeconds(Math.Clamp(launch.StaysSeconds, -1, 1_000_000)))
                    { Environment = launch.Environment ?? new Dictionary<string, string>() }
                : null,
        };
    }

    private static Outcome<Step> StepOf(DocumentStep step, string where)
    {
        var codes = new Dictionary<int, ExitMeaning>();
        foreach (var (code, word) in step.ExitCodes)
        {
            if (!int.TryParse(code, NumberStyles.AllowLeadingSign, CultureInfo.InvariantCulture, out var number)
                || !ExitCodes.Meanings.TryGetValue(word, out var meaning))
            {
                return Wrong($"{where}.exit-codes", $"'{code}: {word}' is no exit code with a meaning that this program knows.");
            }

            codes[number] = meaning;
        }

        return new Step
        {
            Run = step.Run, Environment = step.Environment ?? Nothing, Answers = step.Answers ?? Nothing, EndAtLimit = step.EndAtLimit, Codes = codes,
            Limit = TimeSpan.FromSeconds(step.LimitSeconds), Expected = TimeSpan.FromSeconds(step.ExpectedSeconds),
        };
    }

    private static IEnumerable<Finding> FileProblems(string where, IReadOnlyList<DocumentFile> files)
    {
        // Every folder that a file lies in: a name cannot be both.
        var folders = files.SelectMany(file => Parents(file.Path)).ToHashSet(StringComparer.Ordinal);
        var seen = new HashSet<string>(StringComparer.Ordinal);
        foreach (var file in files)
        {
            var problem = SafePath.Problem(file.Path)
                ?? (
                    !SafePath.IsSha256(file.Sha256) || file.Sha256.Any(char.IsAsciiLetterUpper) || file.Size is < 0 or > ApiLimits.MaxPackage
                        ? "has no valid digest or size."
                : !seen.Add(file.Path) ? "is named twice." : folders.Contains(file.Path) ? "is a file and a folder." : null);
            if (problem is not null)
            {
                yield return new Finding($"'{file.Path}' {problem}", where);
            }
        }
    }

    private static IEnumerable<string> Parents(string path)
    {
        for (var at = path.IndexOf('/', StringComparison.Ordinal); at > 0; at = path.IndexOf('/', at + 1))
        {
            yield return path[..at];
        }
    }

    private static Failure Wrong(string where, string what) =>
        new(ErrorKind.Invalid, $"The package cannot be carried out: {where}: {what}", [new Finding(what, where)]);

    private static Failure Invalid(string message) => new(ErrorKind.Invalid, message);
}
