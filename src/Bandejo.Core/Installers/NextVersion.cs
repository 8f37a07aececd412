using System.Globalization;
using System.Text.RegularExpressions;
using Bandejo.Core.Versions;

namespace Bandejo.Core.Installers;

/// <summary>Something that is not as it was in the version before.</summary>
/// <param name="What">What changed: a statement, a command, a setting, the files.</param>
/// <param name="Before">How it was; empty for not at all.</param>
/// <param name="After">How it is; empty for not at all.</param>
/// <param name="Look">Why somebody must look at it again; empty where the draft has it right by itself.</param>
public sealed record VersionChange(string What, string Before, string After, string Look);

/// <summary>
/// Drafts the manifest of a new version from that of the version before: every choice is kept, what belongs to the version follows, and what changed is said.
/// </summary>
public static class NextVersion
{
    /// <summary>
    /// The installer of the earlier version that a new one takes the place of: of the same kind and architecture, and where there are several, of the nearest
    /// name. Null for none.
    /// </summary>
    public static Inspection? Predecessor(Inspection next, IEnumerable<Inspection> earlier) => earlier
        .Where(each => each.Kind == next.Kind && (
            each.Of(Facts.Architecture)?.Value == next.Of(Facts.Architecture)?.Value || next.Kind is InstallerKind.WindowsSetup))
        .OrderByDescending(each => each.Of(Facts.Name)?.Value == next.Of(Facts.Name)?.Value).ThenByDescending(each => Common(each.File, next.File))
            .FirstOrDefault();

    /// <summary>Each new installer with the earlier one that it takes the place of, which is another for each.</summary>
    /// <returns>A failure of kind <see cref="ErrorKind.Conflict"/> where one is damaged, or takes the place of none.</returns>
    public static Outcome<IReadOnlyList<(Inspection Before, Inspection After)>> Pairs(IEnumerable<Inspection> next, IEnumerable<Inspection> earlier)
    {
        var left = earlier.ToList();
        var pairs = new List<(Inspection Before, Inspection After)>();
        foreach (var after in next)
        {
            if (after.Findings.Any(finding => !finding.IsWarning))
            {
                return new Failure(ErrorKind.Conflict, $"{after.File} is damaged; nothing was drafted.");
            }

            if (Predecessor(after, left) is not { } before)
            {
                return new Failure(
                    ErrorKind.Conflict, $"The version before holds no {after.KindInWords} that {after.File} could take the place of; draft it by itself.");
            }

            left.Remove(before);
            pairs.Add((before, after));
        }

        return pairs;
    }

    /// <summary>
    /// Says that two installers are of different software, whose choices do not fit each other: other names, and nothing by which their maker ties them
    /// together. Null where they are not.
    /// </summary>
    public static string? WhyOther(Inspection before, Inspection after) =>
        before.Of(Facts.Name) is { } old && after.Of(Facts.Name) is { } now && ManifestDraft.Slug(before) != ManifestDraft.Slug(after)
        && !new[] { Facts.UpgradeCode, Facts.Identity }.Any(what => before.Of(what)?.Value is { } tie && tie == after.Of(what)?.Value)
            ? $"{after.File} is '{now.Value}', and the version before is of '{old.Value}', other software"
            : null;

    /// <summary>The manifest for the new version. Words that name the earlier installer's file, version and codes are replaced wherever they stand.</summary>
    /// <param name="manifest">The text of the earlier manifest.</param>
    /// <param name="before">What was read out of its installer.</param>
    /// <param name="after">What was read out of the new one.</param>
    public static string Draft(string manifest, Inspection before, Inspection after)
    {
        var text = Regex.Replace(manifest, @"\A# Drafted from [^\n]*\n", "", RegexOptions.NonBacktracking);
        foreach (var (old, now) in new[] { (before.File, after.File), Pair(Facts.ProductCode), Pair(Facts.Identity), Pair(Facts.Name) })
        {
            if (old.Length > 2 && now.Length > 0 && old != now)
            {
                text = text.Replace(old, now, StringComparison.Ordinal);
            }
        }

        if (after.Of(Facts.Version)?.Value is { } version && AppVersion.TryParse(version, out _))
        {
            text = Regex.Replace(
                text, @"(?m)^version:[^\n]*$", $"version: {(double.TryParse(version, CultureInfo.InvariantCulture, out _) ? $"'{version}'" : version)}");
        }

        return $"# Drafted from {after.File} after {before.File}, with every choice of the version before.\n{text}";

        (string, string) Pair(string what) => (before.Of(what)?.Value ?? "", after.Of(what)?.Value ?? "");
    }

    /// <summary>All that changed between two installers.</summary>
    public static IReadOnlyList<VersionChange> Changes(Inspection before, Inspection after)
    {
        var changes = new List<VersionChange>();
        foreach (var what in before.Told.Concat(after.Told).Select(told => told.What).Distinct(StringComparer.Ordinal))
        {
            Add(what, before.Of(what)?.Value ?? "", after.Of(what)?.Value ?? "", Reason(what, before, after));
        }

        foreach (var verb in new[] { "install", "remove", "repair", "log" })
        {
            Add($"command to {verb}", Neutral(before, verb), Neutral(after, verb), "The draft keeps the earlier switches; compare them with these.");
        }

        foreach (var name in before.Settings.Concat(after.Settings).Select(setting => setting.Name).Distinct(StringComparer.Ordinal).Order(
            StringComparer.Ordinal))
        {
            var (old, now) = (before.Settings.FirstOrDefault(setting => setting.Name == name), after.Settings.FirstOrDefault(setting => setting.Name == name));
            Add($"setting {name}", Shown(old), Shown(now), now is null ? "It is gone; a switch that sets it does nothing any more." : "");
        }

        Add(
            "parts", string.Join(", ", before.Features.Select(each => each.Name)), string.Join(", ", after.Features.Select(each => each.Name)),
            "Switches that choose parts name them.");
        foreach (var condition in after.Conditions.Except(before.Conditions).Concat(before.Conditions.Except(after.Conditions)))
        {
            Add(
                "condition", before.Conditions.Contains(condition) ? condition : "", after.Conditions.Contains(condition) ? condition : "",
                after.Conditions.Contains(condition) ? "It asks something new of a device; 'requires' should say so too." : "");
        }

        Add(
            "other installers", string.Join(", ", before.Nested.Select(each => each.Path)), string.Join(", ", after.Nested.Select(each => each.Path)),
            "What it needs first may have changed.");
        Add("files inside", Count(before), Count(after), "");
        Add(
            "proof", string.Join(", ", before.Proofs.Select(each => $"{each.Key}: {each.Subject}")),
            string.Join(", ", after.Proofs.Select(each => $"{each.Key}: {each.Subject}")),
            "The presence check must tell the new version from the old; try it.");
        return changes;

        void Add(string what, string old, string now, string look)
        {
            if (old != now)
            {
                changes.Add(new VersionChange(what, old, now, look));
            }
            else if (what == Facts.ProductCode && before.Of(Facts.Version)?.Value != after.Of(Facts.Version)?.Value)
            {
                changes.Add(new VersionChange(
                    what, old, now,
                    "It has not changed although the version has: Windows then refuses to install over the earlier one (code 1638). Add REINSTALL=ALL "
                        + "REINSTALLMODE=vomus to the 'install' step."));
            }
            else if (what == Facts.Version && AppVersion.TryParse(now, out _))
            {
                changes.Add(new VersionChange(what, old, now, "It is the same version. A correction of the package is a revision, such as +2 behind it."));
            }
        }
    }

    private static string Reason(string what, Inspection before, Inspection after) => what switch
    {
        Facts.Version when AppVersion.TryParse(before.Of(what)?.Value, out var old) && AppVersion.TryParse(after.Of(what)?.Value, out var now) && now < old =>
            "It sorts below the version before; devices that have that one count this as done already.",
        Facts.UpgradeCode => "Another upgrade code: Windows takes it for other software, and leaves the earlier version beside it. Take that away first.",
        Facts.Signer => "Somebody else signed it. Make sure of where it came from.",
        Facts.Publisher => "Another maker's name; make sure of where it came from.",
        Facts.Architecture or Facts.System => "The variant's 'fits' was written for the one before.",
        Facts.MinimumSystem => "'requires' was written for the one before.",
        Facts.Restart => "It treats restarts in another way than the one before.",
        Facts.Setup => "It is another sort of setup; its switches are others.",
        Facts.Rights => "It wants other rights than the one before.",
        _ => "",
    };

    /// <summary>A command without what is meant to differ: the file and the codes.</summary>
    private static string Neutral(Inspection inspection, string verb)
    {
        var text = string.Join(' ', inspection.CommandFor(verb)?.Run ?? []).Replace(inspection.File, "FILE", StringComparison.Ordinal);
        foreach (var what in new[] { Facts.ProductCode, Facts.Identity })
        {
            text = inspection.Of(what)?.Value is { Length: > 0 } code ? text.Replace(code, what.ToUpperInvariant(), StringComparison.Ordinal) : text;
        }

        return text;
    }

    private static string Shown(InstallerSetting? setting) =>
        setting is null ? "" : setting.IsSecret ? "(secret)" : setting.Default.Length == 0 ? "(empty)" : setting.Default;

    private static string Count(Inspection inspection) =>
        inspection.Contents is { } contents ? string.Create(CultureInfo.InvariantCulture, $"{contents.Files:N0} files, {contents.Size:N0} bytes") : "";

    private static int Common(string a, string b) => a.Zip(b).TakeWhile(pair => pair.First == pair.Second).Count();
}
