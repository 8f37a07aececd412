using Bandejo.Contract.Api;
using Bandejo.Contract.Device;
using Bandejo.Core.World;

namespace Bandejo.Server.Packages;

/// <summary>The parts of a package's document, each in a line for people.</summary>
internal static class InWords
{
    /// <summary>What a variant says besides rules, install, remove and proof; a line each, named like its key in the manifest.</summary>
    public static IReadOnlyList<VariantLine> More(DocumentVariant variant) =>
    [
        .. new[] { ("change", variant.Change), ("repair", variant.Repair) }.Where(each => each.Item2 is not null)
            .Select(each => new VariantLine(each.Item1, string.Join(' ', each.Item2!.Run))),
        .. variant.Close.Count == 0 ? (VariantLine[])[] : [new VariantLine("close", string.Join(", ", variant.Close))],
        .. Handling(variant.Handling) is { Length: > 0 } handling ? (VariantLine[])[new VariantLine("handling", handling)] : [],
        .. (variant.Companions ?? []).Select(companion => new VariantLine("companion", Companion(companion))),
        .. (variant.Removals ?? []).Select(removal => new VariantLine("removal", Removal(removal))),
    ];

    public static string Check(DocumentCheck check) => check.Kind switch
    {
        "file" => $"file {check.Subject}{(check.Expected is null ? "" : " with its digest")}",
        "version-in" => $"version in {check.Subject}",
        "setting" => $"setting {check.Key} in {check.Subject}{(check.Expected is null ? "" : $" is {check.Expected}")}",
        "command" => $"what '{string.Join(' ', [check.Subject, .. check.Arguments])}' prints",
        "receipt" => "receipt",
        "version-of" => $"version of {check.Subject}",
        "registry" when check.Key is null => $"registry key {check.Subject}",
        "registry" => $"registry value {check.Key} in {check.Subject}{(check.Expected is null ? "" : $" is {check.Expected}")}",
        _ => $"{check.Kind} {check.Subject}",
    };

    /// <summary>Empty for the usual.</summary>
    public static string Handling(DocumentHandling? handling) => handling is null ? "" : string.Join("; ", new[]
    {
        handling.NobodySignedIn ? "waits until nobody is signed in" : "", handling.LowPriority ? "low priority" : "",
        handling.Log is { } log ? $"keeps the log /{log}" : "",
        handling.Restart switch { "always" => "always restarts", "never" => "never restarts", _ => "" },
        handling.Reset is { } reset ? $"removal deletes {string.Join(", ", reset.Select(path => "/" + path))}" : "",
    }.Where(text => text.Length > 0));

    public static string Companion(DocumentCompanion companion) => companion.Kind switch
    {
        "certificate" => $"certificate {companion.Subject}",
        "file" => $"file {companion.Subject} at /{companion.To}",
        "setting" => $"setting {companion.Key} = {companion.Value} in /{companion.Subject}",
        _ => $"opens .{companion.Subject} with {string.Join(' ', companion.With ?? [])}",
    };

    public static string Removal(DocumentRemoval removal) =>
        $"{removal.What}, {removal.At switch { "install" => "before installing", "both" => "before installing and with the app", _ => "with the app" }}, "
            + $"when {removal.When}: {string.Join(' ', removal.Step.Run)}";
}
