using System.Globalization;
using Bandejo.Core.Rules;
using Bandejo.Core.Versions;
using YamlDotNet.RepresentationModel;

namespace Bandejo.Core.Packages;

/// <summary>Reads what stands around the steps: needs, handlings, companions, and removals of other builds.</summary>
public sealed class PartsReader(YamlForm form, StepReader steps)
{
    /// <summary>The keys of each part; the published schema has the same.</summary>
    public static IReadOnlyList<string> NeedKeys { get; } = ["app", "at-least"];

    public static IReadOnlyList<string> FileKeys { get; } = ["path", "from", "size", "sha256"];

    public static IReadOnlyList<string> HandlingKeys { get; } = ["before", "during", "after"];

    public static IReadOnlyList<string> BeforeKeys { get; } = ["close", "signed-in"];

    public static IReadOnlyList<string> DuringKeys { get; } = ["priority", "log"];

    public static IReadOnlyList<string> AfterKeys { get; } = ["restart", "reset"];

    public static IReadOnlyList<string> CompanionKeys { get; } = ["certificate", "file", "opens", "setting", "key", "to", "with", "says"];

    public static IReadOnlyList<string> RemovalKeys { get; } = ["what", "when", "at", .. StepReader.Keys];

    private const int Most = 50;

    private readonly List<FetchedFile> _fetched = [];

    /// <summary>The files, among those that were read, that are fetched when the package is built.</summary>
    public IReadOnlyList<FetchedFile> Fetched => _fetched;

    /// <summary>The files of a variant: patterns of the folder, and paths of what is fetched.</summary>
    public IReadOnlyList<string> Files(YamlMappingNode variant, string where)
    {
        if (YamlForm.Child(variant, "files") is not YamlSequenceNode list || list.Children.All(child => child is YamlScalarNode))
        {
            return form.Texts(variant, "files", where);
        }

        var files = new List<string>();
        for (var i = 0; i < list.Children.Count; i++)
        {
            switch (list.Children[i])
            {
                case YamlScalarNode { Value: { } pattern }:
                    files.Add(pattern);
                    break;
                case YamlMappingNode map when Fetch(map, string.Create(CultureInfo.InvariantCulture, $"{where}files[{i}].")) is { } fetched:
                    files.Add(fetched.Path);
                    if (!_fetched.Contains(fetched))
                    {
                        if (_fetched.Exists(each => each.Path == fetched.Path))
                        {
                            form.Report(map, $"Another variant has another file '{fetched.Path}'; give one of the two another path.", where + "files");
                        }

                        _fetched.Add(fetched);
                    }

                    break;
                case YamlMappingNode:
                    break;
                case { } other:
                    form.Report(other, "A file is a path, or a mapping with path, from, size and sha256.", where + "files");
                    break;
            }
        }

        return files;
    }

    private FetchedFile? Fetch(YamlMappingNode map, string where)
    {
        form.Known(map, where, FileKeys);
        var path = form.Text(map, "path", where, must: true, max: SafePath.MaxLength);
        var from = form.Text(map, "from", where, must: true, max: 2000);
        var size = form.Text(map, "size", where, must: true);
        var sha256 = form.Text(map, "sha256", where, must: true)?.ToLowerInvariant();
        if (path is null || from is null || size is null || sha256 is null)
        {
            return null;
        }

        var isAddress = Uri.TryCreate(from, UriKind.Absolute, out var address) && address.Scheme is "http" or "https";
        if (isAddress ? address!.UserInfo.Length > 0 : !from.StartsWith('/') && !from.StartsWith(@"\\", StringComparison.Ordinal))
        {
            form.Report(
                YamlForm.Child(map, "from")!,
                isAddress
                    ? "'from' has a name and password in it, which everybody could read; leave them out."
                    : "'from' is an address such as https://example.org/setup.msi, or the path of a share, such as /mnt/installers/setup.msi.",
                where + "from");
            return null;
        }

        if (!long.TryParse(size, NumberStyles.None, CultureInfo.InvariantCulture, out var bytes) || !SafePath.IsSha256(sha256))
        {
            form.Report(
                YamlForm.Child(map, SafePath.IsSha256(sha256) ? "size" : "sha256")!,
                "A file that is fetched has its 'size' in bytes and its 'sha256', 64 hexadecimal digits, so that nobody can put another in its place.",
                where + "size");
            return null;
        }

        return new FetchedFile(path, from, bytes, sha256);
    }

    /// <summary>The apps that must be there first.</summary>
    /// <param name="own">The app itself, which it cannot need.</param>
    public IReadOnlyList<Need> Needs(YamlMappingNode root, string own)
    {
        var needs = new List<Need>();
        foreach (var (map, where) in Maps(root, "needs", "", "'{ app: spark-runtime, at-least: \"3.1\" }'"))
        {
            form.Known(map, where, NeedKeys);
            if (form.Text(map, "app", where, must: true, max: 64) is not { } app)
            {
                continue;
            }

            if (FactCatalog.Slug(app) != app || app == own || needs.Exists(need => need.App == app))
            {
                form.Report(
                    YamlForm.Child(map, "app")!,
                    app == own ? "A package does not need its own app."
                        : FactCatalog.Slug(app) == app ? $"'{app}' is needed twice."
                        : $"'{app}' must be lower-case letters, digits and hyphens, such as '{FactCatalog.Slug(app)}'.",
                    where + "app");
                continue;
            }

            var least = form.Text(map, "at-least", where, must: false, max: AppVersion.MaxLength);
            if (least is not null && !AppVersion.TryParse(least, out _))
            {
                form.Report(YamlForm.Child(map, "at-least")!, $"'{least}' is not a version.", where + "at-least");
                continue;
            }

            needs.Add(new Need(app, least is null ? null : AppVersion.Parse(least)));
        }

        return needs;
    }

    /// <summary>The handlings that variants may name.</summary>
    public IReadOnlyDictionary<string, Handling> Handlings(YamlMappingNode root)
    {
        var handlings = new Dictionary<string, Handling>(StringComparer.Ordinal);
        if (YamlForm.Child(root, "handlings") is not { } node)
        {
            return handlings;
        }

        if (node is not YamlMappingNode { Children.Count: <= Most } map)
        {
            form.Report(node, "'handlings' is a mapping from a name to a handling, such as 'quietly: { during: { priority: low } }'.", "handlings");
            return handlings;
        }

        foreach (var (key, value) in map.Children)
        {
            var name = (key as YamlScalarNode)?.Value ?? "";
            if (value is YamlMappingNode inner)
            {
                handlings[name] = Read(inner, $"handlings.{name}.");
            }
            else
            {
                form.Report(value, "A handling is a mapping with 'before', 'during' and 'after'.", $"handlings.{name}");
            }
        }

        return handlings;
    }

    /// <summary>The handling of a variant: one that it names, or one of its own.</summary>
    public Handling Handling(YamlMappingNode variant, string where, IReadOnlyDictionary<string, Handling> named)
    {
        switch (YamlForm.Child(variant, "handling"))
        {
            case null:
                return Packages.Handling.Usual;
            case YamlMappingNode own:
                return Read(own, where + "handling.");
            case YamlScalarNode { Value: { } name } when named.TryGetValue(name, out var handling):
                return handling;
            case { } other:
                var near = Suggest.Nearest((other as YamlScalarNode)?.Value ?? "", named.Keys);
                form.Report(
                    other,
                    near is null
                        ? "'handling' is the name of one of 'handlings', or a mapping with 'before', 'during' and 'after'."
                        : $"There is no such handling. Did you mean '{near}'?",
                    where + "handling");
                return Packages.Handling.Usual;
        }
    }

    /// <summary>What goes with a variant.</summary>
    public IReadOnlyList<Companion> Companions(YamlMappingNode variant, string where)
    {
        var companions = new List<Companion>();
        foreach (var (map, inner) in Maps(variant, "companions", where, "'{ certificate: county.pem }'"))
        {
            form.Known(map, inner, CompanionKeys);
            var kinds = CompanionKeys.Take(4).Where(key => YamlForm.Child(map, key) is not null).ToList();
            if (kinds.Count != 1)
            {
                form.Report(map, $"A companion has exactly one of: {string.Join(", ", CompanionKeys.Take(4))}.", inner);
            }
            else if (Companion(map, inner, kinds[0]) is { } companion)
            {
                companions.Add(companion);
            }
        }

        return companions;
    }

    /// <summary>How builds go that the package's own removal is not for.</summary>
    public IReadOnlyList<Removal> Removals(YamlMappingNode variant, string where)
    {
        var removals = new List<Removal>();
        foreach (var (map, inner) in Maps(variant, "removals", where, "'{ what: Inkpress, when: app \"inkpress\" is present, run: [sh, no-inkpress.sh] }'"))
        {
            form.Known(map, inner, RemovalKeys);
            if (YamlForm.Child(map, "when") is null)
            {
                form.Report(map, "'when' is missing: a rule that holds on devices that have it, and not any more once it is gone.", inner + "when");
            }

            removals.Add(new Removal(
                form.Text(map, "what", inner, must: true) ?? "", form.Rule(map, "when", inner),
                Enum.Parse<RemovalMoment>(OneOf(map, "at", inner, "remove", "install", "both"), ignoreCase: true), steps.Read(map, inner)));
        }

        return removals;
    }

    private Companion? Companion(YamlMappingNode map, string where, string kind)
    {
        var subject = form.Text(map, kind, where, must: true) ?? "";
        var to = form.Text(map, "to", where, must: false, max: 400);
        var with = form.Texts(map, "with", where);
        if (kind == "opens")
        {
            if (!subject.TrimStart('.').All(sign => char.IsAsciiLetterOrDigit(sign) || sign is '.' or '-' or '+'))
            {
                form.Report(YamlForm.Child(map, kind)!, "'opens' is the ending of files, such as 'fold'.", where + kind);
            }

            if (with.Count == 0)
            {
                form.Report(map, "'with' needs the command that opens such a file, such as [/opt/foldline/foldline].", where + "with");
            }

            Only(map, where, kind, "to", "key");
            return new Companion(CompanionKind.Opens, subject.TrimStart('.').ToLowerInvariant(), null, with, form.Text(map, "says", where, must: false) ?? "");
        }

        if (kind == "setting")
        {
            Only(map, where, kind, "with", "says");
            return new Companion(
                CompanionKind.Setting, subject.TrimStart('/'), null, [], "") { Key = form.Text(map, "key", where, must: true), Value = to ?? Missing() };
        }

        Only(map, where, kind, kind == "file" ? ["with", "says", "key"] : ["to", "with", "says", "key"]);
        if (SafePath.Problem(subject) is { } problem)
        {
            form.Report(YamlForm.Child(map, kind)!, $"'{subject}' {problem}", where + kind);
        }

        if (kind == "file" && (to is null || SafePath.Problem(to.TrimStart('/')) is not null || !to.Contains('/')))
        {
            form.Report(YamlForm.Child(map, "to") ?? map, "'to' is where the file belongs on the device, such as '/opt/foldline/licence.txt'.", where + "to");
        }

        return new Companion(kind == "file" ? CompanionKind.File : CompanionKind.Certificate, subject, to?.TrimStart('/'), [], "");

        string? Missing()
        {
            form.Report(map, "'to' is missing: what the setting is set to.", where + "to");
            return null;
        }
    }

    private void Only(YamlMappingNode map, string where, string kind, params string[] not)
    {
        foreach (var key in not)
        {
            if (YamlForm.Child(map, key) is { } node)
            {
                form.Report(node, $"'{key}' means nothing for '{kind}'.", where + key);
            }
        }
    }

    private Handling Read(YamlMappingNode map, string where)
    {
        form.Known(map, where, HandlingKeys);
        var (before, during, after) = (Phase(map, "before", where, BeforeKeys), Phase(map, "during", where, DuringKeys), Phase(map, "after", where, AfterKeys));
        var log = form.Text(during, "log", where + "during.", must: false, max: 400)?.TrimStart('/');
        if (log is not null && SafePath.OnDevice(log) is { } problem)
        {
            form.Report(YamlForm.Child(during, "log")!, $"'{log}' {problem}", where + "during.log");
        }

        var reset = form.Texts(after, "reset", where + "after.").Select(path => path.TrimStart('/').TrimEnd('/')).ToList();
        foreach (var wrong in reset.Select(PackageForm.ResetProblem).OfType<string>())
        {
            form.Report(YamlForm.Child(after, "reset")!, wrong, where + "after.reset");
        }

        return new Handling
        {
            Close = form.Texts(before, "close", where + "before."),
            NobodySignedIn = OneOf(before, "signed-in", where + "before.", "anybody", "nobody") == "nobody",
            LowPriority = OneOf(during, "priority", where + "during.", "usual", "low") == "low",
            Log = log,
            Restart = Packages.Handling.Restarts[OneOf(after, "restart", where + "after.", [.. Packages.Handling.Restarts.Keys])],
            Reset = reset,
        };
    }

    private YamlMappingNode Phase(YamlMappingNode map, string key, string where, IReadOnlyList<string> keys)
    {
        switch (YamlForm.Child(map, key))
        {
            case null:
                return [];
            case YamlMappingNode phase:
                form.Known(phase, where + key + ".", keys);
                return phase;
            case { } other:
                form.Report(other, $"'{key}' is a mapping; it may have: {string.Join(", ", keys)}.", where + key);
                return [];
        }
    }

    private string OneOf(YamlMappingNode map, string key, string where, params string[] words)
    {
        var word = form.Text(map, key, where, must: false) ?? words[0];
        if (words.Contains(word))
        {
            return word;
        }

        form.Report(YamlForm.Child(map, key)!, $"'{key}' is one of: {string.Join(", ", words)}; not '{word}'.", where + key);
        return words[0];
    }

    private IEnumerable<(YamlMappingNode Map, string Where)> Maps(YamlMappingNode parent, string key, string where, string such)
    {
        switch (YamlForm.Child(parent, key))
        {
            case null:
                yield break;
            case YamlScalarNode { Value: null or "" }:
                // Beneath it everything is a comment: a list that nothing is in yet.
                yield break;
            case YamlSequenceNode { Children.Count: <= Most } list:
                for (var i = 0; i < list.Children.Count; i++)
                {
                    if (list.Children[i] is YamlMappingNode map)
                    {
                        yield return (map, string.Create(CultureInfo.InvariantCulture, $"{where}{key}[{i}]."));
                    }
                    else
                    {
                        form.Report(list.Children[i], $"This is a mapping such as {such}.", string.Create(CultureInfo.InvariantCulture, $"{where}{key}[{i}]"));
                    }
                }

                yield break;
            case { } other:
                form.Report(other, $"'{key}' is a list of at most {Most}, each such as {such}.", where + key);
                yield break;
        }
    }
}
