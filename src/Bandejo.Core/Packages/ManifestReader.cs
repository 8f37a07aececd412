using System.Globalization;
using Bandejo.Core.Rules;
using Bandejo.Core.Versions;
using YamlDotNet.RepresentationModel;

namespace Bandejo.Core.Packages;

/// <summary>Reads <c>package.yaml</c>. All errors are found at once, each with its place.</summary>
public sealed class ManifestReader
{
    /// <summary>The keys at the top, in a variant and in a presence check; the published schema has the same.</summary>
    public static IReadOnlyList<string> TopKeys { get; } = [
        "app", "name", "version", "publisher", "category", "summary", "icon", "replaces", "needs", "settings", "presets", "handlings", "variants"];

    public static IReadOnlyList<string> VariantKeys { get; } = [
        "name", "fits", "requires", "files", "close", "handling", "install", "remove", "removals", "change", "repair", "launch", "present", "companions",
        "put-back"];

    public static IReadOnlyList<string> PresenceKeys { get; } = [
        "file", "version-in", "setting", "command", "receipt", "program", "product", "service", "registry", "version-of", "key", "is", "pattern"];

    private readonly List<Finding> _findings;
    private readonly YamlForm _form;
    private readonly StepReader _steps;
    private readonly PartsReader _parts;

    private ManifestReader(List<Finding> findings, YamlForm form)
    {
        _findings = findings;
        _form = form;
        _steps = new StepReader(form);
        _parts = new PartsReader(form, _steps);
    }

    /// <summary>Reads a manifest; a failure of kind <see cref="ErrorKind.Invalid"/> holds every error.</summary>
    public static Outcome<Manifest> Read(string yaml)
    {
        var findings = new List<Finding>();
        var (form, root) = YamlForm.Read(yaml, findings);
        var manifest = root is null ? null : new ManifestReader(findings, form).Top(root);
        if (findings.Count == 0)
        {
            // What has a place of its own in the text was found above; here is what a package must hold to whoever wrote it.
            findings.AddRange(PackageForm.Problems(manifest!).Select(finding => form.Placed(root!, finding)));
        }

        if (findings.Count == 0)
        {
            return manifest!;
        }

        return new Failure(ErrorKind.Invalid, findings.Count == 1 ? findings[0].Message : $"The manifest has {findings.Count} errors.", findings);
    }

    private Manifest Top(YamlMappingNode root)
    {
        _form.Known(root, "", TopKeys);
        var app = _form.Text(root, "app", "", must: true, max: 64) ?? "";
        if (app.Length > 0 && PackageForm.AppProblem(app) is { } problem)
        {
            _form.Report(YamlForm.Child(root, "app")!, problem, "app");
        }

        var replaces = _form.Texts(root, "replaces", "");
        if (replaces.Contains(app))
        {
            _form.Report(YamlForm.Child(root, "replaces")!, "A package does not replace its own app; an earlier version is upgraded by itself.", "replaces");
        }

        var settings = new SettingReader(_form);
        var exposed = settings.Settings(root);
        return new Manifest
        {
            App = app,
            Name = _form.Text(root, "name", "", must: true) ?? "",
            Version = Version(root),
            Publisher = _form.Text(root, "publisher", "", must: false) ?? "",
            Category = _form.Text(root, "category", "", must: false) ?? "",
            Summary = _form.Text(root, "summary", "", must: false, max: 2000) ?? "",
            Icon = _form.Text(root, "icon", "", must: false),
            Replaces = replaces,
            Needs = _parts.Needs(root, app),
            Settings = exposed,
            Presets = settings.Presets(root, exposed),
            Variants = Variants(root, _parts.Handlings(root)),
            Fetched = _parts.Fetched,
        };
    }

    private AppVersion Version(YamlMappingNode root)
    {
        if (_form.Text(root, "version", "", must: true, max: AppVersion.MaxLength) is { } text)
        {
            if (AppVersion.TryParse(text, out var version))
            {
                return version;
            }

            _form.Report(
                YamlForm.Child(root, "version")!, $"'{text}' is not a version; it needs a letter or digit and nothing but plain characters.", "version");
        }

        return AppVersion.Parse("0");
    }

    private List<Variant> Variants(YamlMappingNode root, IReadOnlyDictionary<string, Handling> handlings)
    {
        var variants = new List<Variant>();
        if (YamlForm.Child(root, "variants") is not YamlSequenceNode { Children.Count: > 0 } list)
        {
            _form.Report(YamlForm.Child(root, "variants") ?? root, "'variants' must be a list with at least one variant.", "variants");
            return variants;
        }

        for (var i = 0; i < list.Children.Count; i++)
        {
            var where = string.Create(CultureInfo.InvariantCulture, $"variants[{i}].");
            if (list.Children[i] is YamlMappingNode map)
            {
                variants.Add(Variant(map, where, handlings));
                if (variants.Count(variant => variant.Name == variants[^1].Name) > 1)
                {
                    _form.Report(map, $"Two variants are named '{variants[^1].Name}'.", where + "name");
                }
            }
            else
            {
                _form.Report(list.Children[i], "A variant is a mapping with name, install and present.", where);
            }
        }

        return variants;
    }

    private Variant Variant(YamlMappingNode map, string where, IReadOnlyDictionary<string, Handling> handlings)
    {
        _form.Known(map, where, VariantKeys);
        var files = _parts.Files(map, where);
        foreach (var file in files)
        {
            if (SafePath.Problem(file) is { } problem)
            {
                _form.Report(YamlForm.Child(map, "files")!, $"'{file}' {problem}", where + "files");
            }
        }

        // A certificate, files or settings alone need no command: they are put in place, prove it, and go again.
        var companions = _parts.Companions(map, where);
        var isAlone = companions.Count > 0 && YamlForm.Child(map, "install") is null;
        foreach (var step in isAlone ? (string[])["remove", "change", "repair", "launch"] : [])
        {
            if (YamlForm.Child(map, step) is { } needless)
            {
                _form.Report(needless, $"Without 'install', only the companions are put in place and taken away; '{step}' has nothing to do.", where + step);
            }
        }

        return new Variant
        {
            Name = _form.Text(map, "name", where, must: true, max: 64) ?? "",
            Fits = _form.Rule(map, "fits", where),
            Requires = _form.Rule(map, "requires", where),
            Files = files,
            Close = _form.Texts(map, "close", where),
            Handling = _parts.Handling(map, where, handlings),
            Install = _steps.Step(map, "install", where, must: !isAlone) ?? new Step { Run = [] },
            Remove = isAlone ? new Step { Run = [] } : _steps.Step(map, "remove", where, must: false),
            Removals = _parts.Removals(map, where),
            Change = _steps.Step(map, "change", where, must: false),
            Repair = _steps.Step(map, "repair", where, must: false),
            Launch = _steps.Launch(map, where),
            Companions = companions,
            Present = isAlone && YamlForm.Child(map, "present") is null ? [] : Checks(map, where),
            PutBack = _form.YesNo(map, "put-back", where, otherwise: true),
        };
    }

    private List<PresenceCheck> Checks(YamlMappingNode variant, string where)
    {
        var checks = new List<PresenceCheck>();
        var node = YamlForm.Child(variant, "present");
        if (node is not YamlSequenceNode { Children.Count: > 0 } list)
        {
            _form.Report(node ?? variant, "'present' must list at least one presence check; it is the only proof of success.", where + "present");
            return checks;
        }

        for (var i = 0; i < list.Children.Count; i++)
        {
            var inner = string.Create(CultureInfo.InvariantCulture, $"{where}present[{i}].");
            if (list.Children[i] is YamlMappingNode map)
            {
                if (Check(map, inner) is { } check)
                {
                    checks.Add(check);
                }
            }
            else
            {
                _form.Report(list.Children[i], "A presence check is a mapping such as 'version-in: opt/foldline/VERSION'.", inner);
            }
        }

        return checks;
    }

    private PresenceCheck? Check(YamlMappingNode map, string where)
    {
        _form.Known(map, where, PresenceKeys);
        var kinds = PresenceKeys.TakeWhile(key => key != "key").Where(key => YamlForm.Child(map, key) is not null).ToList();
        if (kinds.Count != 1)
        {
            _form.Report(map, $"A presence check has exactly one of: {string.Join(", ", PresenceKeys.TakeWhile(key => key != "key"))}.", where);
            return null;
        }

        var subject = kinds[0] == "command" ? _form.Texts(map, "command", where) : [_form.Text(map, kinds[0], where, must: true, max: 500) ?? ""];
        var expected = _form.Text(map, "is", where, must: false, max: 500);
        var key = _form.Text(map, "key", where, must: false);
        var kind = PresenceCheck.Kinds[kinds[0]];

        if (kind == PresenceKind.Product && !Guid.TryParseExact(subject[0], "B", out _))
        {
            _form.Report(
                YamlForm.Child(map, "product")!, $"'{subject[0]}' is no product code; one looks like '{{1F0C7D2A-5B7E-4C7B-9A55-0D6F4C1B2E10}}', in quotes.",
                where + "product");
        }

        if (kind == PresenceKind.Service && !PresenceCheck.IsServiceName(subject[0]))
        {
            _form.Report(YamlForm.Child(map, "service")!, $"'{subject[0]}' is no name of a service, such as cron or cron.service.", where + "service");
        }

        if (kind == PresenceKind.Registry && RegistryPath.Problem(subject[0]) is { } wrong)
        {
            _form.Report(YamlForm.Child(map, "registry")!, $"'{subject[0]}' {wrong}", where + "registry");
        }

        if (PresenceCheck.IsPlace(kind) && SafePath.OnDevice(subject[0].TrimStart('/')) is { } problem)
        {
            _form.Report(YamlForm.Child(map, kinds[0])!, $"'{subject[0]}' {problem}", where + kinds[0]);
        }

        if (kind == PresenceKind.Setting && key is null)
        {
            _form.Report(map, "A setting needs the 'key' to look for.", where + "key");
        }

        if (kind == PresenceKind.File && expected is not null && !SafePath.IsSha256(expected))
        {
            _form.Report(YamlForm.Child(map, "is")!, "For a file 'is' is its SHA-256, 64 hexadecimal digits.", where + "is");
        }

        return new PresenceCheck(kind, subject.Count == 0 ? "" : subject[0].TrimStart('/'), [.. subject.Skip(1)], key, expected, Pattern(map, where));
    }

    private string? Pattern(YamlMappingNode map, string where)
    {
        if (_form.Text(map, "pattern", where, must: false, max: PackageForm.MaxPattern) is not { } pattern)
        {
            return null;
        }

        if (PackageForm.PatternProblem(pattern) is { } problem)
        {
            _form.Report(YamlForm.Child(map, "pattern")!, problem, where + "pattern");
        }

        return pattern;
    }
}
