using System.Globalization;
using System.Text.RegularExpressions;
using Bandejo.Core.Rules;
using Bandejo.Core.Versions;
using YamlDotNet.RepresentationModel;

namespace Bandejo.Core.Packages;

/// <summary>Reads <c>package.yaml</c>. All errors are found at once, each with its place.</summary>
public sealed class ManifestReader
{
    /// <summary>The keys at the top, in a variant, in a step and in a presence check; the published schema has the same.</summary>
    public static IReadOnlyList<string> TopKeys { get; } = ["app", "name", "version", "publisher", "category", "summary", "icon", "replaces", "settings", "presets", "variants"];

    public static IReadOnlyList<string> VariantKeys { get; } = ["name", "fits", "requires", "files", "close", "install", "remove", "change", "launch", "present", "put-back"];

    public static IReadOnlyList<string> StepKeys { get; } = ["run", "environment", "answers", "limit", "expected", "at-limit", "exit-codes"];

    public static IReadOnlyList<string> LaunchKeys { get; } = ["run", "stays"];

    public static IReadOnlyList<string> PresenceKeys { get; } = ["file", "version-in", "setting", "command", "receipt", "program", "key", "is", "pattern"];

    private readonly List<Finding> _findings;
    private readonly YamlForm _form;

    private ManifestReader(List<Finding> findings, YamlForm form)
    {
        _findings = findings;
        _form = form;
    }

    /// <summary>Reads a manifest; a failure of kind <see cref="ErrorKind.Invalid"/> holds every error.</summary>
    public static Outcome<Manifest> Read(string yaml)
    {
        var findings = new List<Finding>();
        var (form, root) = YamlForm.Read(yaml, findings);
        var manifest = root is null ? null : new ManifestReader(findings, form).Top(root);
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
        if (app.Length > 0 && FactCatalog.Slug(app) != app)
        {
            _form.Report(YamlForm.Child(root, "app")!, $"'{app}' must be lower-case letters, digits and hyphens, such as '{FactCatalog.Slug(app)}'.", "app");
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
            Settings = exposed,
            Presets = settings.Presets(root, exposed),
            Variants = Variants(root),
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

            _form.Report(YamlForm.Child(root, "version")!, $"'{text}' is not a version; it needs a letter or digit and nothing but plain characters.", "version");
        }

        return AppVersion.Parse("0");
    }

    private List<Variant> Variants(YamlMappingNode root)
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
                variants.Add(Variant(map, where));
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

    private Variant Variant(YamlMappingNode map, string where)
    {
        _form.Known(map, where, VariantKeys);
        var files = _form.Texts(map, "files", where);
        foreach (var file in files)
        {
            if (SafePath.Problem(file) is { } problem)
            {
                _form.Report(YamlForm.Child(map, "files")!, $"'{file}' {problem}", where + "files");
            }
        }

        return new Variant
        {
            Name = _form.Text(map, "name", where, must: true, max: 64) ?? "",
            Fits = _form.Rule(map, "fits", where),
            Requires = _form.Rule(map, "requires", where),
            Files = files,
            Close = _form.Texts(map, "close", where),
            Install = Step(map, "install", where, must: true) ?? new Step { Run = [] },
            Remove = Step(map, "remove", where, must: false),
            Change = Step(map, "change", where, must: false),
            Launch = Launch(map, where),
            Present = Checks(map, where),
            PutBack = _form.YesNo(map, "put-back", where, otherwise: true),
        };
    }

    private Step? Step(YamlMappingNode variant, string key, string where, bool must)
    {
        var node = YamlForm.Child(variant, key);
        if (node is not YamlMappingNode map)
        {
            if (node is not null || must)
            {
                _form.Report(node ?? variant, $"'{key}' is missing or not a mapping; it needs at least 'run'.", where + key);
            }

            return null;
        }

        var inner = where + key + ".";
        _form.Known(map, inner, StepKeys);
        var run = _form.Texts(map, "run", inner);
        if (run.Count == 0 || run[0].Trim().Length == 0)
        {
            _form.Report(YamlForm.Child(map, "run") ?? map, "'run' needs a command and its arguments as a list, such as [sh, install.sh].", inner + "run");
        }
        else if (YamlForm.Child(map, "run") is YamlScalarNode && run[0].Contains(' '))
        {
            _form.Report(YamlForm.Child(map, "run")!, "'run' is not given to a shell; write the command and each argument as items of a list, such as [sh, install.sh].", inner + "run");
        }

        var atLimit = _form.Text(map, "at-limit", inner, must: false) ?? "end";
        if (atLimit is not ("end" or "ask"))
        {
            _form.Report(YamlForm.Child(map, "at-limit")!, $"'at-limit' is 'end' (end the command with everything it started) or 'ask' (stop watching, ask a person), not '{atLimit}'.", inner + "at-limit");
        }

        var limit = _form.Duration(map, "limit", inner, TimeSpan.FromMinutes(30));
        return new Step
        {
            Run = run,
            Environment = Environment(map, inner),
            Answers = Answers(map, inner),
            Limit = limit,
            Expected = _form.Duration(map, "expected", inner, TimeSpan.FromTicks(Math.Min(limit.Ticks, TimeSpan.TicksPerMinute * 2))),
            EndAtLimit = atLimit == "end",
            Codes = Codes(map, inner),
        };
    }

    private IReadOnlyDictionary<string, string> Environment(YamlMappingNode step, string where)
    {
        var environment = _form.Pairs(step, "environment", where, "such as '{ FOLDLINE_KEY: \"@{licence}\" }'");
        foreach (var name in environment.Keys.Where(name => char.IsAsciiDigit(name[0]) || !name.All(sign => char.IsAsciiLetterOrDigit(sign) || sign == '_')))
        {
            _form.Report(YamlForm.Child(step, "environment")!, $"'{name}' is no name for the environment; letters, digits and _ are, and no digit in front.", where + "environment");
        }

        return environment;
    }

    private IReadOnlyDictionary<string, string> Answers(YamlMappingNode step, string where)
    {
        var answers = _form.Pairs(step, "answers", where, "from a file's name to its text");
        foreach (var path in answers.Keys)
        {
            if (SafePath.Problem(path) is { } problem)
            {
                _form.Report(YamlForm.Child(step, "answers")!, $"'{path}' {problem}", where + "answers");
            }
        }

        return answers;
    }

    private Launch? Launch(YamlMappingNode variant, string where)
    {
        if (YamlForm.Child(variant, "launch") is not { } node)
        {
            return null;
        }

        if (node is not YamlMappingNode map)
        {
            _form.Report(node, "'launch' is a mapping with 'run', the command that starts the software, and 'stays', how long it must stay up.", where + "launch");
            return null;
        }

        var inner = where + "launch.";
        _form.Known(map, inner, LaunchKeys);
        var run = _form.Texts(map, "run", inner);
        if (run.Count == 0)
        {
            _form.Report(map, "'run' needs a command and its arguments as a list, such as [/opt/foldline/foldline, --version].", inner + "run");
        }

        return new Launch(run, _form.Duration(map, "stays", inner, TimeSpan.FromSeconds(3)));
    }

    private Dictionary<int, ExitMeaning> Codes(YamlMappingNode step, string where)
    {
        var codes = new Dictionary<int, ExitMeaning>();
        var node = YamlForm.Child(step, "exit-codes");
        if (node is YamlMappingNode map)
        {
            foreach (var (key, value) in map.Children)
            {
                if (!int.TryParse((key as YamlScalarNode)?.Value, NumberStyles.AllowLeadingSign, CultureInfo.InvariantCulture, out var code))
                {
                    _form.Report(key, "An exit code is a whole number.", where + "exit-codes");
                }
                else if (!ExitCodes.Words.TryGetValue((value as YamlScalarNode)?.Value ?? "", out var meaning))
                {
                    _form.Report(value, $"An exit code means one of: {string.Join(", ", ExitCodes.Words.Keys)}.", where + "exit-codes");
                }
                else
                {
                    codes[code] = meaning;
                }
            }
        }
        else if (node is not null)
        {
            _form.Report(node, "'exit-codes' is a mapping from code to meaning, such as { 75: busy }.", where + "exit-codes");
        }

        return codes;
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
        var kinds = PresenceKeys.Take(6).Where(key => YamlForm.Child(map, key) is not null).ToList();
        if (kinds.Count != 1)
        {
            _form.Report(map, $"A presence check has exactly one of: {string.Join(", ", PresenceKeys.Take(6))}.", where);
            return null;
        }

        var subject = kinds[0] == "command" ? _form.Texts(map, "command", where) : [_form.Text(map, kinds[0], where, must: true, max: 500) ?? ""];
        var expected = _form.Text(map, "is", where, must: false, max: 500);
        var key = _form.Text(map, "key", where, must: false);
        var kind = kinds[0] switch
        {
            "file" => PresenceKind.File,
            "version-in" => PresenceKind.FileVersion,
            "setting" => PresenceKind.Setting,
            "command" => PresenceKind.Command,
            "receipt" => PresenceKind.Receipt,
            _ => PresenceKind.Program,
        };

        if (kind is PresenceKind.File or PresenceKind.FileVersion or PresenceKind.Setting && SafePath.Problem(subject[0].TrimStart('/')) is { } problem)
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
        if (_form.Text(map, "pattern", where, must: false, max: 300) is not { } pattern)
        {
            return null;
        }

        try
        {
            var regex = new Regex(pattern, RegexOptions.NonBacktracking);
            if (regex.GetGroupNumbers().Length < 2)
            {
                _form.Report(YamlForm.Child(map, "pattern")!, "The pattern needs a group in brackets around the version, such as 'version ([0-9.]+)'.", where + "pattern");
            }
        }
        catch (Exception error) when (error is ArgumentException or NotSupportedException)
        {
            _form.Report(YamlForm.Child(map, "pattern")!, $"This is not a regular expression that can be used here: {error.Message}", where + "pattern");
        }

        return pattern;
    }
}
