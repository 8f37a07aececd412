using System.Globalization;
using Bandejo.Contract.Api;
using Bandejo.Contract.Device;
using Bandejo.Core.Rules;
using Bandejo.Core.World;

namespace Bandejo.Server.Packages;

/// <summary>Says what differs between two packages, in the words of a manifest.</summary>
internal static class Comparing
{
    /// <summary>The differences, in the order of a manifest; none where the documents say the same.</summary>
    public static IReadOnlyList<PackageDifference> Of(PackageDocument before, PackageDocument after)
    {
        var differences = new List<PackageDifference>();
        Differ("package", Top(before), Top(after));
        Differ("setting", Settings(before), Settings(after));
        foreach (var name in before.Variants.Concat(after.Variants).Select(variant => variant.Name).Distinct(StringComparer.Ordinal))
        {
            var (old, now) = (before.Variants.FirstOrDefault(variant => variant.Name == name), after.Variants.FirstOrDefault(variant => variant.Name == name));
            Differ($"variant {name}", Keys(old), Keys(now));
            Differ($"variant {name}, file", Files(old), Files(now));
        }

        return differences;

        void Differ(string what, IReadOnlyDictionary<string, string> old, IReadOnlyDictionary<string, string> now) =>
            differences.AddRange(old.Keys.Concat(now.Keys).Distinct(StringComparer.Ordinal).Where(
                name => old.GetValueOrDefault(name) != now.GetValueOrDefault(name))
                .Select(name => new PackageDifference(what, name, Shown(old, name), Shown(now, name))));

        // Of a file the digest only tells that it is another; people are told its size.
        static string? Shown(IReadOnlyDictionary<string, string> values, string name) => values.GetValueOrDefault(name)?.Split('\n')[0];
    }

    private static Dictionary<string, string> Top(PackageDocument document) => Said(
        ("name", document.Name), ("version", document.Version), ("publisher", document.Publisher), ("category", document.Category),
        ("summary", document.Summary), ("replaces", string.Join(", ", document.Replaces)), ("needs", string.Join(", ", Documents.NeedsOf(document))),
        ("presets", string.Join("; ", (document.Presets ?? new Dictionary<string, IReadOnlyDictionary<string, string>>()).Select(
            preset => $"{preset.Key}: {string.Join(", ", preset.Value.Select(pair => $"{pair.Key} {pair.Value}"))}"))),
        ("icon", document.Icon?.Sha256[..12] ?? ""));

    private static Dictionary<string, string> Settings(PackageDocument document) =>
        (document.Settings ?? [])
            .ToDictionary(
                setting => setting.Name,
                setting =>
                    $"{setting.Type}{(setting.Choices is { } choices ? $" ({string.Join(", ", choices)})" : "")}, "
                        + $"{(setting.Default is { } value ? $"{value} unless set" : "no default")}",
                StringComparer.Ordinal);

    private static Dictionary<string, string> Keys(DocumentVariant? variant) => variant is null ? [] : Said(
        ("fits", variant.Fits), ("requires", variant.Requires), ("close", string.Join(", ", variant.Close)), ("install", Step(variant.Install)),
        ("remove", Step(variant.Remove)), ("change", Step(variant.Change)), ("repair", Step(variant.Repair)),
        ("handling", InWords.Handling(variant.Handling)), ("companions", string.Join("; ", (variant.Companions ?? []).Select(InWords.Companion))),
        ("removals", string.Join("; ", (variant.Removals ?? []).Select(removal => $"{InWords.Removal(removal)} ({Step(removal.Step)})"))),
        (
            "launch",
            variant.Launch is { } launch
                ? string.Join(' ', [.. launch.Run, .. (launch.Environment ?? new Dictionary<string, string>()).Select(pair => $"{pair.Key}={pair.Value}")])
                : ""),
        ("present", string.Join("; ", variant.Present.Select(InWords.Check))), ("put-back", variant.PutBack ? "yes" : "no"));

    private static Dictionary<string, string> Files(DocumentVariant? variant) =>
        (variant?.Files ?? []).ToDictionary(file => file.Path, file => $"{Units.FormatSize(file.Size)}\n{file.Sha256}", StringComparer.Ordinal);

    private static string Step(DocumentStep? step) => step is null ? "" : string.Join(", ",
    [
        string.Join(' ', step.Run), $"limit {Units.FormatDuration(TimeSpan.FromSeconds(step.LimitSeconds))}",
        .. step.EndAtLimit ? (string[])[] : ["asks at its limit"],
        .. step.ExitCodes.OrderBy(code => code.Key, StringComparer.Ordinal)
            .Select(code => string.Create(CultureInfo.InvariantCulture, $"{code.Key} {code.Value}")),
        .. (step.Environment ?? new Dictionary<string, string>()).Select(pair => $"{pair.Key}={pair.Value}"),
        .. (step.Answers ?? new Dictionary<string, string>()).Select(pair => $"answers {pair.Key}: {pair.Value.ReplaceLineEndings(" ").Trim()}"),
    ]);

    private static Dictionary<string, string> Said(params (string Name, string Value)[] values) =>
        values.Where(pair => pair.Value.Length > 0).ToDictionary(pair => pair.Name, pair => pair.Value, StringComparer.Ordinal);
}
