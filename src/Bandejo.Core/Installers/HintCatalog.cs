using System.Reflection;
using Bandejo.Core.Packages;
using YamlDotNet.Core;
using YamlDotNet.RepresentationModel;

namespace Bandejo.Core.Installers;

/// <summary>What a mark in a file says of the setup that carries it.</summary>
/// <param name="System">windows or linux: the kind of file it is looked for in.</param>
/// <param name="Name">What sort of setup it is, in plain words.</param>
/// <param name="Look">head, overlay (what is appended to a program), any of the two, or section (the name of one).</param>
/// <param name="Marks">Bytes, one of which must be there.</param>
/// <param name="Install">Words that are added to the setup's own name to install silently.</param>
/// <param name="Remove">Words that are added to the remove program, or to the setup itself.</param>
/// <param name="RemoveProgram">The remove program's usual place; empty where the setup itself removes.</param>
/// <param name="Log">Words that are added to have it keep a log.</param>
/// <param name="Try">What else a packager should know.</param>
/// <param name="Source">Which catalogue it is from.</param>
public sealed record Hint(
    string System, string Name, string Look, IReadOnlyList<byte[]> Marks, Certainty Certainty, IReadOnlyList<string> Install, IReadOnlyList<string> Remove,
    string RemoveProgram, IReadOnlyList<string> Log, string Try, string Source)
{
    public bool RemovesItself => RemoveProgram.Length == 0;
}

/// <summary>The hints that setups are recognised by: those that come with the program, and a site's own before them.</summary>
public sealed class HintCatalog
{
    private static readonly string[] Keys = ["name", "system", "look", "bytes", "sure", "install", "remove", "remove-program", "log", "try"];

    private readonly List<Hint> _hints;

    private HintCatalog(List<Hint> hints) => _hints = hints;

    /// <summary>The hints that come with the program (<c>hints.yaml</c>).</summary>
    public static HintCatalog Own { get; } = ReadOwn();

    public IReadOnlyList<Hint> Hints => _hints;

    /// <summary>A site's own hints from a file of the same form, looked at before those that come with the program.</summary>
    /// <param name="yaml">The text.</param>
    /// <param name="name">The file's name, for messages.</param>
    public Outcome<HintCatalog> With(string yaml, string name)
    {
        var read = Read(yaml, name);
        return read.Ok ? new HintCatalog([.. read.Value, .. _hints]) : read.Failure!;
    }

    /// <summary>The first hint whose mark is there; null for none.</summary>
    internal Hint? Find(string system, ReadOnlySpan<byte> head, ReadOnlySpan<byte> overlay, IEnumerable<string> sections)
    {
        foreach (var hint in _hints)
        {
            if (hint.System != system)
            {
                continue;
            }

            foreach (var mark in hint.Marks)
            {
                var isThere = hint.Look switch
                {
                    "head" => head.IndexOf(mark) >= 0,
                    "overlay" => overlay.IndexOf(mark) >= 0,
                    "any" => head.IndexOf(mark) >= 0 || overlay.IndexOf(mark) >= 0,
                    _ => sections.Any(section => mark.AsSpan().SequenceEqual(global::System.Text.Encoding.ASCII.GetBytes(section))),
                };
                if (isThere)
                {
                    return hint;
                }
            }
        }

        return null;
    }

    private static HintCatalog ReadOwn()
    {
        using var reader = new StreamReader(Assembly.GetExecutingAssembly().GetManifestResourceStream("hints.yaml")!);
        return new HintCatalog(Read(reader.ReadToEnd(), "hints.yaml").Value);
    }

    private static Outcome<List<Hint>> Read(string yaml, string file)
    {
        var (hints, findings) = (new List<Hint>(), new List<Finding>());
        try
        {
            var stream = new YamlStream();
            stream.Load(new StringReader(yaml));
            if (stream.Documents is not [{ RootNode: YamlSequenceNode list }])
            {
                return new Failure(ErrorKind.Invalid, $"{file} must be a list of hints, each beginning with '- name:'.");
            }

            foreach (var node in list.Children)
            {
                if (node is YamlMappingNode map && Hint(map, file, findings) is { } hint)
                {
                    hints.Add(hint);
                }
                else if (node is not YamlMappingNode)
                {
                    findings.Add(At(node, "A hint is a mapping with name, system, look and bytes.", file));
                }
            }
        }
        catch (YamlException error)
        {
            findings.Add(YamlForm.WhyNot(yaml, error) with { Where = file });
        }

        return findings.Count == 0
            ? hints
            : new Failure(ErrorKind.Invalid, $"{file} has {findings.Count} error{(findings.Count == 1 ? "" : "s")}: {findings[0].Message}", findings);
    }

    private static Hint? Hint(YamlMappingNode map, string file, List<Finding> findings)
    {
        var before = findings.Count;
        foreach (var key in map.Children.Keys.Where(key => !Keys.Contains((key as YamlScalarNode)?.Value)))
        {
            findings.Add(At(key, $"'{key}' is no key of a hint; they are {string.Join(", ", Keys)}.", file));
        }

        var (name, system, look, sure) = (Text(map, "name"), Text(map, "system", "windows"), Text(map, "look", "head"), Text(map, "sure", "likely"));
        if (name.Length == 0)
        {
            findings.Add(At(map, "A hint needs a 'name' that says what sort of setup it is.", file));
        }

        if (system is not ("windows" or "linux") || look is not ("head" or "overlay" or "any" or "section") || sure is not ("guess" or "likely"))
        {
            findings.Add(At(map, "'system' is windows or linux, 'look' is head, overlay, any or section, and 'sure' is guess or likely.", file));
        }

        var marks = new List<byte[]>();
        foreach (var bytes in Texts(map, "bytes"))
        {
            try
            {
                marks.Add(Convert.FromHexString(bytes.Replace(" ", "", StringComparison.Ordinal)));
            }
            catch (FormatException)
            {
                findings.Add(At(map, $"'{bytes}' is not a row of bytes such as '4D 5A 90'.", file));
            }
        }

        if (marks.Count == 0 || marks.Exists(mark => mark.Length < 4))
        {
            findings.Add(At(map, "A hint needs 'bytes' with at least four bytes; fewer stand in any file by chance.", file));
        }

        return findings.Count > before ? null : new Hint(
            system, name, look, marks, sure == "guess" ? Certainty.Guess : Certainty.Likely, Texts(map, "install"), Texts(map, "remove"),
            Text(map, "remove-program"), Texts(map, "log"), Text(map, "try"),
            $"hint '{name}' of {file}");
    }

    private static Finding At(YamlNode node, string message, string file) => new(message, file, (int)node.Start.Line, (int)node.Start.Column);

    private static string Text(YamlMappingNode map, string key, string otherwise = "") =>
        map.Children.TryGetValue(key, out var node) && node is YamlScalarNode { Value: { } value } ? value : otherwise;

    private static List<string> Texts(YamlMappingNode map, string key) => !map.Children.TryGetValue(key, out var node) ? [] : node switch
    {
        YamlSequenceNode list => [.. list.Children.OfType<YamlScalarNode>().Select(each => each.Value ?? "")],
        YamlScalarNode { Value: { } value } => [value],
        _ => [],
    };
}
