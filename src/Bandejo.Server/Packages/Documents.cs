using Bandejo.Contract.Device;
using Bandejo.Core;
using Bandejo.Core.Packages;
using Bandejo.Core.Versions;
using Bandejo.Core.World;

namespace Bandejo.Server.Packages;

/// <summary>Turns a manifest with its files into the document that is signed.</summary>
internal static class Documents
{
    public static PackageDocument From(Manifest manifest, IReadOnlyList<PayloadFile> files) => new(
        1, manifest.App, manifest.Name, manifest.Version.Text, manifest.Publisher, manifest.Category, manifest.Summary, manifest.Replaces,
        [.. manifest.Variants.Select(variant => new DocumentVariant(
            variant.Name, variant.Fits.ToString(), variant.Requires.ToString(),
            [.. ManifestCheck.FilesOf(variant, files).Select(file => new DocumentFile(file.Path, file.Size, file.Sha256, IsExecutable: file.Path.EndsWith(
                ".sh", StringComparison.Ordinal)))],
            [.. variant.Close.Concat(variant.Handling.Close).Distinct()], Step(variant.Install), variant.Remove is null ? null : Step(variant.Remove),
            [.. variant.Present.Select(check => new DocumentCheck(
                PresenceCheck.Word(check.Kind), check.Subject, check.Arguments, check.Key, check.Expected, check.Pattern))],
            variant.PutBack,
            variant.Launch is { } launch
                ? new DocumentLaunch(launch.Run, (int)Math.Ceiling(launch.Stays.TotalSeconds), launch.Environment.Count == 0 ? null : launch.Environment)
                : null,
            variant.Change is null ? null : Step(variant.Change),
            variant.Repair is null ? null : Step(variant.Repair), Handling(variant.Handling),
            variant.Companions.Count == 0
                ? null
                : [.. variant.Companions.Select(each => new DocumentCompanion(
                    StateNames.Hyphenate(each.Kind.ToString()), each.Subject, each.To, each.With.Count == 0 ? null : each.With,
                    each.Says.Length == 0 ? null : each.Says, each.Key, each.Value))],
            variant.Removals.Count == 0
                ? null
                : [.. variant.Removals.Select(each => new DocumentRemoval(
                    each.What, each.When.ToString(), StateNames.Hyphenate(each.At.ToString()), Step(each.Step)))]))],
        manifest.Icon is null
            ? null
            : files.Where(file => file.Path == manifest.Icon).Select(file => new DocumentFile(file.Path, file.Size, file.Sha256, IsExecutable: false))
                .FirstOrDefault(),
        manifest.Settings.Count == 0
            ? null
            : [.. manifest.Settings.Select(setting => new DocumentSetting(
                setting.Name, StateNames.Hyphenate(setting.Type.ToString()), setting.Says, setting.Default, setting.Choices.Count == 0 ? null : setting.Choices,
                setting.Writes.Count == 0 ? null : setting.Writes))],
        manifest.Presets.Count == 0 ? null : manifest.Presets,
        manifest.Needs.Count == 0 ? null : [.. manifest.Needs.Select(need => new DocumentNeed(need.App, need.AtLeast?.Text))]);

    /// <summary>What a package needs first.</summary>
    public static IReadOnlyList<Need> NeedsOf(PackageDocument document) =>
        [.. (document.Needs ?? []).Select(need => new Need(need.App, AppVersion.TryParse(need.AtLeast, out var least) ? least : null))];

    /// <summary>The settings that a document exposes.</summary>
    public static IReadOnlyList<Setting> SettingsOf(PackageDocument document) => [.. (document.Settings ?? []).Select(setting => new Setting
    {
        Name = setting.Name, Says = setting.Says, Type = Setting.Types.GetValueOrDefault(setting.Type), Default = setting.Default,
        Choices = setting.Choices ?? [], Writes = setting.Writes ?? new Dictionary<string, string>(),
    })];

    /// <summary>Every step of a variant.</summary>
    public static IEnumerable<DocumentStep> StepsOf(DocumentVariant variant) =>
        new[] { variant.Install, variant.Remove, variant.Change, variant.Repair }.OfType<DocumentStep>()
            .Concat((variant.Removals ?? []).Select(removal => removal.Step));

    /// <summary>Every file that a document names, those of all variants and the icon.</summary>
    public static IEnumerable<DocumentFile> FilesOf(PackageDocument document) =>
        document.Icon is null
            ? document.Variants.SelectMany(variant => variant.Files)
            : document.Variants.SelectMany(variant => variant.Files).Append(document.Icon);

    private static DocumentHandling? Handling(Handling handling) => handling.IsUsual ? null : new(
        handling.NobodySignedIn, handling.LowPriority, handling.Log, StateNames.Hyphenate(handling.Restart.ToString()),
        handling.Reset.Count == 0 ? null : handling.Reset);

    private static DocumentStep Step(Step step) => new(
        step.Run, (int)Math.Ceiling(step.Limit.TotalSeconds), (int)Math.Ceiling(step.Expected.TotalSeconds), step.EndAtLimit,
        step.Codes.ToDictionary(
            code => code.Key.ToString(System.Globalization.CultureInfo.InvariantCulture),
            code => ExitCodes.Meanings.First(word => word.Value == code.Value).Key),
        step.Environment.Count == 0 ? null : step.Environment, step.Answers.Count == 0 ? null : step.Answers);
}
