using Bandejo.Core.Rules;

namespace Bandejo.Core.Packages;

/// <summary>A file of a package folder.</summary>
/// <param name="Path">Relative, with <c>/</c> between parts.</param>
/// <param name="Size">Bytes.</param>
/// <param name="Sha256">Lower-case hexadecimal; empty where it was not taken yet.</param>
public sealed record PayloadFile(string Path, long Size, string Sha256);

/// <summary>Finds the usual mistakes that the form of a manifest does not show.</summary>
public static class ManifestCheck
{
    /// <summary>The largest icon, in bytes.</summary>
    public const int MaxIcon = 64 * 1024;

    /// <summary>The files of the folder with those that are fetched.</summary>
    public static IReadOnlyList<PayloadFile> WithFetched(Manifest manifest, IReadOnlyList<PayloadFile> files) =>
        [.. files, .. manifest.Fetched.Where(fetched => files.All(file => file.Path != fetched.Path)).Select(fetched => new PayloadFile(
            fetched.Path, fetched.Size, fetched.Sha256))];

    /// <summary>Errors and warnings of a manifest together with its files.</summary>
    /// <param name="files">As <see cref="WithFetched"/> gives them.</param>
    public static IReadOnlyList<Finding> Check(Manifest manifest, IReadOnlyList<PayloadFile> files)
    {
        var findings = new List<Finding>();
        foreach (var fetched in manifest.Fetched)
        {
            if (files.FirstOrDefault(file => file.Path == fetched.Path) is { } file
                && (file.Size != fetched.Size || (file.Sha256.Length > 0 && file.Sha256 != fetched.Sha256)))
            {
                findings.Add(new Finding(
                    $"'{fetched.Path}' lies in the folder and is another file than the one that the manifest has fetched from {fetched.From}; take one of "
                        + $"them away.",
                    fetched.Path));
            }
        }

        foreach (var file in files)
        {
            if (SafePath.Problem(file.Path) is { } problem)
            {
                findings.Add(new Finding($"'{file.Path}' {problem}", file.Path));
            }
        }

        for (var i = 0; i < manifest.Variants.Count; i++)
        {
            CheckVariant(manifest.Variants[i], $"variants[{i}]", files, findings);
        }

        CheckReach(manifest.Variants, findings);
        findings.AddRange(SettingCheck.Check(manifest));
        CheckIcon(manifest, files, findings);
        var used = manifest.Variants.SelectMany(variant => FilesOf(variant, files)).Select(file => file.Path).Append(manifest.Icon ?? "")
            .ToHashSet(StringComparer.Ordinal);
        foreach (var file in files.Where(file => !used.Contains(file.Path)))
        {
            findings.Add(new Finding($"'{file.Path}' lies in the folder, but no variant uses it; it is left out.", file.Path) { IsWarning = true });
        }

        return findings;
    }

    /// <summary>The files that a variant takes along, each once, in the order of their paths.</summary>
    public static IReadOnlyList<PayloadFile> FilesOf(Variant variant, IReadOnlyList<PayloadFile> files) =>
        [.. files.Where(file => Patterns(variant).Any(pattern => Takes(pattern, file.Path))).OrderBy(file => file.Path, StringComparer.Ordinal)];

    private static IEnumerable<string> Patterns(Variant variant) =>
        variant.Files.Concat(variant.Companions.Where(companion => companion.IsFile).Select(companion => companion.Subject));

    private static void CheckIcon(Manifest manifest, IReadOnlyList<PayloadFile> files, List<Finding> findings)
    {
        if (manifest.Icon is not { } icon)
        {
            return;
        }

        if (files.FirstOrDefault(file => file.Path == icon) is not { } file)
        {
            var near = Suggest.Nearest(icon, files.Select(each => each.Path));
            findings.Add(new Finding($"There is no file '{icon}' in the folder." + (near is null ? "" : $" Did you mean '{near}'?"), "icon"));
        }
        else if (file.Size > MaxIcon || !(icon.EndsWith(".svg", StringComparison.Ordinal) || icon.EndsWith(".png", StringComparison.Ordinal)))
        {
            findings.Add(new Finding($"An icon is an .svg or .png file of at most {MaxIcon / 1024} KiB; '{icon}' is not.", "icon"));
        }
    }

    /// <summary>A device gets the first variant that it fits: one that fits nobody, or nobody who does not fit an earlier one, is never chosen.</summary>
    private static void CheckReach(IReadOnlyList<Variant> variants, List<Finding> findings)
    {
        for (var i = 0; i < variants.Count; i++)
        {
            var variant = variants[i];
            var before = variants.Take(i).ToList();
            if (RuleLogic.NeverHolds(variant.Fits))
            {
                findings.Add(new Finding($"No device can fit the variant '{variant.Name}': its rule asks for what cannot be at once.", $"variants[{i}].fits"));
            }
            else if (RuleLogic.IsCovered(variant.Fits, [.. before.Select(each => each.Fits)]))
            {
                var one = before.FirstOrDefault(each => RuleLogic.IsCovered(variant.Fits, [each.Fits]));
                findings.Add(new Finding(
                    $"The variant '{variant.Name}' is never chosen: each device that fits it fits "
                        + $"{(one is null ? "one of those before it" : $"'{one.Name}'")}, which {(one is null ? "are" : "is")} taken first. Put "
                            + $"'{variant.Name}' before {(one is null ? "them" : "it")}, or let {(one is null ? "theirs" : $"'{one.Name}'")} leave its "
                                + $"devices out.",
                    $"variants[{i}].fits"));
            }
        }
    }

    /// <summary>Devices tell their architecture in one of three words; others are never true.</summary>
    /// <summary>
    /// What is wrong with a check for something that Windows alone has, in a variant for the devices of a rule: where the rule names systems, and Windows is
    /// none of them, it can never hold; where it names none, it can hold on some devices only.
    /// </summary>
    private static (string Text, bool IsWarning)? OfWindows(PresenceCheck check, Rule fits)
    {
        var systems = fits.TextsOf("os.family").ToList();
        return !check.IsOfWindows || systems.Contains("windows", StringComparer.OrdinalIgnoreCase) ? null
            : systems.Count > 0
                ? ($"A check for {check.InWords} can hold on Windows alone, and this variant fits devices with {string.Join(", ", systems)}: "
                    + "it would never be proven.", false)
            : ($"A check for {check.InWords} can hold on Windows alone; say that this variant fits such devices: fits: os.family is \"windows\".", true);
    }

    private static void CheckArchitectures(Rule rule, string where, List<Finding> findings)
    {
        foreach (var word in rule.TextsOf("architecture").Where(word => word.ToLowerInvariant() is not ("x64" or "x86" or "arm64")))
        {
            var meant = word.ToLowerInvariant() switch
            {
                "amd64" or "x86_64" or "x86-64" or "64-bit" or "win64" => "x64", "i386" or "i486" or "i586" or "i686" or "ia32" or "32-bit" or "win32" => "x86",
                "aarch64" or "armv8" => "arm64", _ => null,
            };
            findings.Add(new Finding(
                $"No device has the architecture '{word}': they are x64, x86 and arm64.{(meant is null ? "" : $" Did you mean {meant}?")}", where));
        }
    }

    private static bool Takes(string pattern, string path) =>
        pattern == "**" || (pattern.EndsWith("/**", StringComparison.Ordinal) ? path.StartsWith(pattern[..^2], StringComparison.Ordinal) : path == pattern);

    private static void CheckVariant(Variant variant, string where, IReadOnlyList<PayloadFile> files, List<Finding> findings)
    {
        foreach (var pattern in Patterns(variant).Where(pattern => !files.Any(file => Takes(pattern, file.Path))))
        {
            var near = Suggest.Nearest(pattern, files.Select(file => file.Path));
            findings.Add(new Finding($"There is no file '{pattern}' in the folder." + (near is null ? "" : $" Did you mean '{near}'?"), where + ".files"));
        }

        var taken = FilesOf(variant, files).Select(file => file.Path).ToHashSet(StringComparer.Ordinal);
        foreach (var (name, step) in variant.Steps())
        {
            findings.AddRange(StepCheck.Step(step, $"{where}.{name}"));
            foreach (
                var file in step.Run.Select(word => word.StartsWith("./", StringComparison.Ordinal) ? word[2..] : word)
                    .Where(word => files.Any(each => each.Path == word) && !taken.Contains(word)).Distinct(StringComparer.Ordinal))
            {
                findings.Add(new Finding(
                    $"'{file}' is named in the command and lies in the folder, but the variant does not take it along: add it to its 'files'.",
                    $"{where}.{name}.run"));
            }
        }

        CheckArchitectures(variant.Fits, where + ".fits", findings);
        CheckArchitectures(variant.Requires, where + ".requires", findings);

        foreach (var (removal, i) in variant.Removals.Select((removal, i) => (removal, i)).Where(each => !each.removal.When.Facts().Any()))
        {
            findings.Add(new Finding(
                $"The rule of '{removal.What}' asks nothing of a device, so it would never be gone; say what only devices with it have.",
                $"{where}.removals[{i}].when"));
        }

        for (var i = 0; i < variant.Present.Count; i++)
        {
            findings.AddRange(StepCheck.Present(variant.Present[i], $"{where}.present[{i}]"));
            if (OfWindows(variant.Present[i], variant.Fits) is { } says)
            {
                findings.Add(new Finding(says.Text, $"{where}.present[{i}]") { IsWarning = says.IsWarning });
            }
        }

        if (variant.Remove is null)
        {
            findings.Add(
                new Finding(
                    "There is no 'remove' step: what this package installs cannot be taken away or rolled back to nothing.",
                    where + ".remove") { IsWarning = true });
        }

        if (variant.Present.Count > 0 && variant.Present.All(check => check.Kind == PresenceKind.Service))
        {
            findings.Add(new Finding("A service that runs does not say of which software and version it is; add a check that does.", where + ".present"));
        }
        else if (variant.Present.Count > 0 && !variant.Present.Any(check => check.TellsVersion || check.Expected is not null))
        {
            findings.Add(
                new Finding(
                    "No presence check tells one version from another: an earlier version would count as this one.", where + ".present") { IsWarning = true });
        }

        if (variant.Install.Expected > variant.Install.Limit)
        {
            findings.Add(new Finding("Installing is expected to take longer than its limit.", where + ".install.expected"));
        }
    }
}
