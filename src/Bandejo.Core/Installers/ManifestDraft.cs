using System.Globalization;
using System.Text;
using System.Text.RegularExpressions;
using Bandejo.Core.Packages;
using Bandejo.Core.Rules;
using Bandejo.Core.Versions;

namespace Bandejo.Core.Installers;

/// <summary>
/// Writes the first draft of a manifest from inspections. What the file declares is taken as it is; what is likely or a guess says so behind it; what
/// is not known is left empty, so that it cannot be built before somebody has filled it in.
/// </summary>
public static partial class ManifestDraft
{
    private const string Configuration = "configuration";

    /// <summary>The name of the icon that goes beside the manifest, where the installer carries one.</summary>
    public const string IconName = "icon.png";

    /// <summary>
    /// Groups inspections into packages: files of the same software at the same version become variants of one. A file that tells no version belongs to the
    /// only version that others
    /// of its software tell, and where none of them tells one, to them.
    /// </summary>
    public static IReadOnlyList<IReadOnlyList<Inspection>> Packages(IEnumerable<Inspection> inspections)
    {
        var all = inspections.Where(each => each.Kind is not (InstallerKind.WindowsTransform or InstallerKind.Unknown)).ToList();
        var versions = all.GroupBy(Slug, StringComparer.Ordinal)
            .ToDictionary(
                group => group.Key, group => group.Select(each => each.Of(Facts.Version)?.Value).OfType<string>().Distinct(StringComparer.Ordinal).ToList(),
                StringComparer.Ordinal);
        return [.. all.GroupBy(each => (Slug(each), each.Of(Facts.Version)?.Value ?? (versions[Slug(each)] is [var only] ? only : ""))).Select(
            group => (IReadOnlyList<Inspection>)[.. group.OrderBy(each => each.Of(Facts.Version) is null)])];
    }

    /// <summary>The name for the folder of a package: slug and version.</summary>
    public static string FolderName(Inspection inspection)
    {
        var version = inspection.Of(Facts.Version)?.Value ?? "";
        return Slug(inspection)
            + (version.Length == 0 ? "" : "-" + string.Concat(version.Select(c => char.IsAsciiLetterOrDigit(c) || c is '.' or '-' or '+' ? c : '_')));
    }

    /// <summary>The text of a manifest for a file that nothing is known of, to be filled in.</summary>
    /// <param name="file">Its name.</param>
    public static string Blank(string file) => $"""
        # '{OneLine(file)}' is none of the kinds that are read; everything must be filled in.
        app:
        name:
        version:

        variants:
          - name: any
            fits: architecture is known  # not known for which devices; say it as a rule
            files: [{Quoted(file)}]
            install:
              run: []  # how it is installed without asking
            # remove: {"{"} run: [] {"}"}
            present: []  # what proves that it is there

        """;

    /// <summary>The text of <c>package.yaml</c> for one package.</summary>
    /// <param name="files">Its installers, at least one; each becomes a variant.</param>
    /// <param name="beside">Transforms that lie beside each installer, by the installer's name.</param>
    /// <param name="left">Installers that stay where they are until the package is built, by their names.</param>
    /// <param name="drafted">Installers inside that were taken out and have a draft of their own, by where they stand inside.</param>
    public static string Write(
        IReadOnlyList<Inspection> files, IReadOnlyDictionary<string, IReadOnlyList<string>>? beside = null,
        IReadOnlyDictionary<string, LeftInstaller>? left = null, IReadOnlyDictionary<string, Inspection>? drafted = null)
    {
        var first = files[0];
        var yaml = new StringBuilder();
        yaml.Append(
            CultureInfo.InvariantCulture,
            $"# Drafted from {string.Join(" and ", files.Select(file => file.File))}. Where a line says 'likely' or 'guess', look at it before you build.\n");
        yaml.Append(CultureInfo.InvariantCulture, $"app: {Slug(first)}\n");
        Line(yaml, "name", first, Facts.Name, Path.GetFileNameWithoutExtension(first.File));
        Version(yaml, first);
        Line(yaml, "publisher", first, Facts.Publisher, "");
        Line(yaml, "summary", first, Facts.Summary, "");
        if (string.Join(", ", files.Select(file => file.Of(Facts.Language)?.Value).OfType<string>().Distinct()) is { Length: > 0 } languages)
        {
            yaml.Append(CultureInfo.InvariantCulture, $"# Its languages: {OneLine(languages)}. A device whose people speak another shows one of these.\n");
        }

        if (files.Any(file => file.Icon is not null))
        {
            yaml.Append(CultureInfo.InvariantCulture, $"icon: {IconName}\n");
        }

        Needs(yaml, [.. files.SelectMany(file => file.Nested).DistinctBy(nested => nested.Path)], drafted ?? new Dictionary<string, Inspection>(), Slug(first));
        Settings(yaml, files);
        yaml.Append("\nvariants:\n");
        var names = new HashSet<string>(StringComparer.Ordinal);

        // A device gets the first that it fits: what is meant for fewer comes first.
        foreach (var file in files.OrderBy(each => RunsOn(each, Architectures(each)) is { Count: > 0 } all ? all.Count : int.MaxValue))
        {
            Variant(yaml, file, beside?.GetValueOrDefault(file.File) ?? [], left?.GetValueOrDefault(file.File), names);
        }

        return yaml.ToString();
    }

    /// <summary>
    /// What must be there first, as one list: what it asks for and lies beside it stands in it; the rest of what it asks for or brings along stands there too,
    /// and is left out by
    /// a '#' until a person decides that devices may lack it.
    /// </summary>
    private static void Needs(StringBuilder yaml, List<NestedInstaller> all, IReadOnlyDictionary<string, Inspection> drafted, string own)
    {
        var lines = new List<(string App, bool IsNeeded, string Line)>();
        foreach (var nested in all)
        {
            var found = drafted.GetValueOrDefault(nested.Path);
            var isInside = nested.Size > 0;
            var (name, version) = isInside
                ? InstallerNames.Guess(nested.Path[(nested.Path.LastIndexOf('/') + 1)..])
                : (nested.Path.Split(' ', '|')[0].Split(':')[0], Least(nested.Path));
            version = isInside && found is not null ? found.Of(Facts.Version)?.Value : version;
            var app = found is not null ? Slug(found) : FactCatalog.Slug(name ?? Path.GetFileNameWithoutExtension(nested.Path));
            if (app.Length == 0 || app == own)
            {
                continue;
            }

            var isNeeded = found is not null && !isInside;
            var least = version is not null && AppVersion.TryParse(version, out _) ? $", at-least: '{version}'" : "";
            lines.Add((
                app, isNeeded,
                $"  {(isNeeded ? "" : "# ")}- {{ app: {app}{least} }}  # it {(isInside ? "brings" : "asks for")} {OneLine(nested.Path)} "
                    + $"({OneLine(nested.What.Replace(" that it asks for", "", StringComparison.Ordinal))}){(isInside ? " along" : "")}"
                        + $"{(found is null ? "" : isInside ? ", which is drafted as a package of its own" : ", which is drafted beside it")}\n"));
        }

        if (lines.Count == 0)
        {
            return;
        }

        yaml.Append(
            "# Where devices may lack one of these, package it too, and take the '#' before it away; what stands without is installed first.\nneeds:\n");
        lines.GroupBy(line => line.App, StringComparer.Ordinal).Select(group => group.OrderByDescending(line => line.IsNeeded).First().Line).ToList()
            .ForEach(line => yaml.Append(line));
    }

    /// <summary>The lowest version that an archive's way of asking names, such as <c>libink (>= 2.1)</c>; null where it names none.</summary>
    private static string? Least(string asked) =>
        Lowest().Match(asked) is { Success: true } least ? least.Groups[1].Success ? least.Groups[1].Value : least.Groups[2].Value : null;

    /// <summary>Whether a word of a Debian package's removal decides what becomes of its configuration; then it is a setting.</summary>
    private static bool IsConfigurationChoice(Inspection file, string verb, string word) =>
        verb == "remove" && file.Kind == InstallerKind.Debian && word == DebianReader.Keep;

    /// <summary>The slug of an app, from the name of its software without version and architecture.</summary>
    internal static string Slug(Inspection inspection)
    {
        var name = inspection.Of(Facts.Name)?.Value ?? InstallerNames.Guess(inspection.File).Name ?? Path.GetFileNameWithoutExtension(inspection.File);
        var version = inspection.Of(Facts.Version)?.Value;
        var words = name.Replace("(R)", "", StringComparison.OrdinalIgnoreCase).Split(' ', StringSplitOptions.RemoveEmptyEntries)
            .Where(word => word != version && word.Trim('(', ')').ToLowerInvariant() is not ("x64" or "x86" or "64-bit" or "32-bit" or "arm64"));
        var slug = FactCatalog.Slug(string.Join(' ', words));
        return slug.Length == 0 ? "app" : slug.Length > 64 ? slug[..64].TrimEnd('-') : slug;
    }

    private static void Version(StringBuilder yaml, Inspection file)
    {
        var told = file.Of(Facts.Version);
        if (told is not null && AppVersion.TryParse(told.Value, out _))
        {
            yaml.Append(CultureInfo.InvariantCulture, $"version: {Quoted(told.Value)}{Doubt(told.Certainty, told.Source)}\n");
        }
        else
        {
            yaml.Append(
                CultureInfo.InvariantCulture,
                $"version:  # not known{(told is null ? "" : $": the file says '{told.Value}', which is no version")}; fill it in\n");
        }
    }

    private static void Line(StringBuilder yaml, string key, Inspection file, string what, string otherwise)
    {
        var told = file.Of(what);
        yaml.Append(
            CultureInfo.InvariantCulture,
            $"{key}: {Quoted(told?.Value ?? otherwise)}"
                + $"{(told is null ? otherwise.Length > 0 ? "  # guess: name of the file" : "" : Doubt(told.Certainty, told.Source))}\n");
    }

    private static void Variant(StringBuilder yaml, Inspection file, IReadOnlyList<string> beside, LeftInstaller? left, HashSet<string> names)
    {
        var system = file.Of(Facts.System)?.Value ?? "any";
        var architectures = Architectures(file);
        var name = architectures.Count == 0 ? system : $"{system}-{string.Join('-', architectures)}";
        for (var number = 2; !names.Add(name); number++)
        {
            name = $"{system}-{number}";
        }

        var isLeastKnown = file.Of(Facts.MinimumSystem) is { Certainty: Certainty.Certain };
        var least = isLeastKnown
            && MinimumVersion().Match(file.Of(Facts.MinimumSystem)!.Value) is { Success: true } version ? $" and os.version >= {version.Value}" : "";
        yaml.Append(
            CultureInfo.InvariantCulture,
            $"  - name: {name}\n    fits: {Fits(file, system, architectures)}\n    requires: disk.free >= {Room(file)}{least}\n");
        foreach (var condition in file.Conditions)
        {
            yaml.Append(CultureInfo.InvariantCulture, $"    # it says: {OneLine(condition)}\n");
        }

        var others = ((string[])[.. file.Beside, .. beside]).Select(Quoted).ToList();
        yaml.Append(left is null
            ? $"    files: [{string.Join(", ", others.Prepend(Quoted(file.File)))}]\n"
            : string.Create(
                CultureInfo.InvariantCulture,
                $"    files:\n      - {{ path: {Quoted(left.Path)}, from: {Quoted(left.From)}, size: {left.Size}, sha256: {left.Sha256} "
                    + $"}}\n{string.Concat(others.Select(other => $"      - {other}\n"))}"));
        Step(yaml, file, "install");
        Step(yaml, file, "remove");
        Proofs(yaml, file);
    }

    private static string Fits(Inspection file, string system, IReadOnlyList<string> architectures)
    {
        var parts = new List<string>();
        switch (file.Kind == InstallerKind.Debian ? "debian" : file.Kind == InstallerKind.Rpm ? "rpm" : system)
        {
            case "rpm":
                parts.Add("os.family in (\"fedora\", \"rhel\", \"suse\", \"opensuse\")");
                break;
            case "linux":
                parts.Add("os.family not in (\"windows\", \"macos\")");
                break;
            case "any":
                break;
            case var family:
                parts.Add($"os.family is \"{family}\"");
                break;
        }

        if (RunsOn(file, architectures) is { Count: > 0 } all)
        {
            parts.Add(all.Count == 1 ? $"architecture is \"{all[0]}\"" : $"architecture in ({string.Join(", ", all.Select(each => $"\"{each}\""))})");
        }

        return parts.Count == 0 ? "architecture is known  # not known for which devices; say it as a rule" : string.Join(" and ", parts);
    }

    /// <summary>The architectures of devices that it runs on; none where that is not known.</summary>
    private static IReadOnlyList<string> RunsOn(Inspection file, IReadOnlyList<string> architectures)
    {
        // A setup is mostly an x86 program, whatever it installs; x86 software runs on x64 devices as well.
        if (file.Kind is InstallerKind.WindowsSetup or InstallerKind.WindowsProgram && architectures is ["x86"])
        {
            return [];
        }

        return architectures.Contains("x86") && !architectures.Contains("x64") ? [.. architectures, "x64"] : architectures;
    }

    private static List<string> Architectures(Inspection file) =>
        [.. (file.Of(Facts.Architecture)?.Value ?? "any").Split(',', StringSplitOptions.TrimEntries).Where(each => each is "x64" or "x86" or "arm64")];

    /// <summary>Room for what is unpacked and for the installer itself, twice over, in steps that read well.</summary>
    private static string Room(Inspection file)
    {
        var told = file.Of(Facts.InstalledSize)?.Value is { } text && long.TryParse(text.Split(' ')[0], CultureInfo.InvariantCulture, out var kilobytes)
            ? kilobytes * 1024
            : 0;
        var bytes = 2 * (Math.Max(told, file.Contents?.Size ?? 0) + file.Size);
        var megabytes = Math.Max(100, (bytes / 1_000_000) + 1);
        var step = megabytes > 2000 ? 500 : 100;
        return string.Create(CultureInfo.InvariantCulture, $"{(megabytes + step - 1) / step * step} MB");
    }

    private static void Step(StringBuilder yaml, Inspection file, string verb)
    {
        if (file.CommandFor(verb) is not { } command)
        {
            var hint = file.Open.FirstOrDefault(open => open.Verb == verb);
            yaml.Append(
                verb == "install"
                    ? $"    install:\n      run: []  # not known. {OneLine(hint?.Try ?? "Say how it is installed without asking.")}\n"
                    : $"    # remove: not known. {OneLine(hint?.Try ?? "Say how it is taken away without asking.")}\n");
            return;
        }

        SuggestedCommand? isRepaired = null;
        var taken = verb == "install" ? Open(file).Select(pair => pair.Setting.Switch.Replace("{value}", $"@{{{pair.Name}}}", StringComparison.Ordinal)) : [];
        var words = command.Run.Select(word => IsConfigurationChoice(file, verb, word) ? $"@{{{Configuration}}}" : word).Concat(taken).Select(Quoted);
        yaml.Append(
            CultureInfo.InvariantCulture,
            $"    {verb}:\n      run: [{string.Join(", ", words)}]{Doubt(command.Certainty, command.Source)}\n      limit: 30m\n");
        if (verb == "install" && file.CommandFor("log") is { } log)
        {
            yaml.Append(CultureInfo.InvariantCulture, $"      # for a log, add: {string.Join(", ", log.Run.Select(Quoted))}\n");
        }

        if (verb == "install" && file.CommandFor("repair") is { } repair)
        {
            isRepaired = repair;
        }

        if (file.Of(Facts.System)?.Value == "windows")
        {
            yaml.Append("      exit-codes: { 3010: restart-needed, 1641: restarting, 1618: busy, 1602: refused }\n");
        }

        if (isRepaired is { } step)
        {
            yaml.Append(
                CultureInfo.InvariantCulture, $"    repair:\n      run: [{string.Join(", ", step.Run.Select(Quoted))}]{Doubt(step.Certainty, step.Source)}\n");
        }
    }

    /// <summary>What the installers take, as settings without a value: none of it is used until somebody chooses one.</summary>
    private static void Settings(StringBuilder yaml, IReadOnlyList<Inspection> files)
    {
        var open = files.SelectMany(Open).DistinctBy(pair => pair.Name).ToList();
        var hasChoice = files.Any(file => file.CommandFor("remove")?.Run.Any(word => IsConfigurationChoice(file, "remove", word)) == true);
        if (open.Count > 0 || hasChoice)
        {
            yaml.Append(
                CultureInfo.InvariantCulture,
                $"settings:{(open.Count > 0 ? "  # without a default, a setting is switched off: what uses it is left out of the command" : "")}\n");
        }

        if (hasChoice)
        {
            yaml.Append("  # kept: it finds its settings again when it comes back; deleted: all that people changed in it is gone for good\n");
            yaml.Append(
                CultureInfo.InvariantCulture,
                $"  - {{ name: {Configuration}, says: What becomes of its configuration when it is removed, type: choice, choices: [kept, deleted], "
                    + $"default: kept, writes: {{ kept: '{DebianReader.Keep}', deleted: '--purge' }} }}\n");
        }

        foreach (var (name, setting) in open)
        {
            var says = $"{setting.Name}, which is {(setting.Default.Length == 0 ? "empty" : setting.Default)} by itself";
            yaml.Append(CultureInfo.InvariantCulture, $"  - {{ name: {name}, says: {Quoted(says)} }}\n");
        }

        foreach (var secret in files.SelectMany(file => file.Settings).Where(setting => setting.IsSecret).DistinctBy(setting => setting.Name))
        {
            yaml.Append(
                CultureInfo.InvariantCulture,
                $"# It takes the secret {OneLine(secret.Name)}, but only on its command line, where everybody on the device can read it; look for another "
                    + $"way.\n");
        }
    }

    /// <summary>The settings of an installer that a command line may carry, by the names that they get here.</summary>
    private static IEnumerable<(string Name, InstallerSetting Setting)> Open(Inspection file) =>
        file.Settings.Where(setting => !setting.IsSecret).Select(setting => (Name: FactCatalog.Slug(setting.Name), setting))
            .Where(pair => Core.Packages.Settings.IsName(pair.Name)).DistinctBy(pair => pair.Name);

    private static void Proofs(StringBuilder yaml, Inspection file)
    {
        yaml.Append("    present:");
        if (file.Proofs.Count == 0)
        {
            yaml.Append(" []  # not known: run a trial, and choose a file of it that carries the version\n");
            return;
        }

        yaml.Append('\n');
        foreach (var proof in file.Proofs)
        {
            var subject = proof.Key == "command" ? $"[{string.Join(", ", proof.Subject.Split(' ').Select(Quoted))}]" : Quoted(proof.Subject);
            yaml.Append(CultureInfo.InvariantCulture, $"      - {proof.Key}: {subject}{Doubt(proof.Certainty, proof.Source)}\n");
        }
    }

    [GeneratedRegex(@"\((?:>=|>>|=)\s*([^\s)]+)\)|at least ([^\s,)]+)")]
    private static partial Regex Lowest();

    [GeneratedRegex("^[0-9]+(\\.[0-9]+)*$")]
    private static partial Regex MinimumVersion();

    private static string Doubt(Certainty certainty, string source) =>
        certainty == Certainty.Certain ? "" : $"  # {(certainty == Certainty.Likely ? "likely" : "guess")}: {OneLine(source)}";

    private static string OneLine(string text) => string.Concat(text.Select(c => char.IsControl(c) ? ' ' : c));

    /// <summary>A scalar of YAML in one line: plain where that is safe, else in single quotes.</summary>
    public static string Quoted(string text)
    {
        var clean = OneLine(text);
        var isPlain = clean.Length > 0
            && clean[0] is not (
                ' ' or '-' or '?' or ':' or ',' or '[' or ']' or '{' or '}' or '#' or '&' or '*' or '!' or '|' or '>' or '\'' or '"' or '%' or '@' or '`')
            && !clean.EndsWith(' ')
            && !clean.Contains(": ", StringComparison.Ordinal) && !clean.Contains(" #", StringComparison.Ordinal)
                && clean.IndexOfAny([',', '[', ']', '{', '}']) < 0 && !clean.EndsWith(':')
            && !double.TryParse(clean, CultureInfo.InvariantCulture, out _)
                && clean.ToLowerInvariant() is not ("true" or "false" or "yes" or "no" or "null" or "on" or "off" or "~");
        return isPlain ? clean : $"'{clean.Replace("'", "''", StringComparison.Ordinal)}'";
    }
}

/// <summary>An installer that stays where it is until its package is built.</summary>
/// <param name="Path">Its name in the package.</param>
/// <param name="From">An address, or a path of a share.</param>
/// <param name="Size">Bytes.</param>
public sealed record LeftInstaller(string Path, string From, long Size, string Sha256);
