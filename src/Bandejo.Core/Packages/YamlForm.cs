using System.Globalization;
using Bandejo.Core.Rules;
using YamlDotNet.Core;
using YamlDotNet.Core.Events;
using YamlDotNet.RepresentationModel;

namespace Bandejo.Core.Packages;

/// <summary>Reads a YAML text field by field and collects everything that is wrong with its form, with places.</summary>
public sealed class YamlForm
{
    /// <summary>The longest YAML text that is read, in characters.</summary>
    public const int MaxLength = 256 * 1024;

    private const int MaxDepth = 12;

    private readonly List<Finding> _findings;

    private YamlForm(List<Finding> findings) => _findings = findings;

    /// <summary>
    /// The mapping at the top of the text; null after a finding where there is none. Anchors and aliases are refused: nothing in a manifest needs them and
    /// they let a small text grow without bound.
    /// </summary>
    public static (YamlForm Form, YamlMappingNode? Root) Read(string text, List<Finding> findings)
    {
        var form = new YamlForm(findings);
        if (text.Length > MaxLength)
        {
            findings.Add(new Finding($"The text has {text.Length} characters; at most {MaxLength} are read."));
            return (form, null);
        }

        try
        {
            if (text.IndexOf('\uFFFD', StringComparison.Ordinal) is >= 0 and var lost)
            {
                findings.Add(At(
                    text, lost, "A sign was lost here: the text was saved in another encoding than UTF-8. Save it as UTF-8, and write the sign again."));
                return (form, null);
            }

            if (!form.IsPlain(text))
            {
                return (form, null);
            }

            var stream = new YamlStream();
            stream.Load(new StringReader(text));
            if (stream.Documents.Count == 1 && stream.Documents[0].RootNode is YamlMappingNode root)
            {
                form.CheckPaths(root, text);
                return (form, root);
            }

            findings.Add(new Finding("The text must be one YAML mapping, such as 'app: foldline'.", null, 1, 1));
        }
        catch (YamlException error)
        {
            findings.Add(WhyNot(text, error));
        }

        catch (Exception error) when (error is InvalidOperationException or ArgumentException)
        {
            // The YAML library ends this way at some broken texts, without a place.
            findings.Add(new Finding("This is not YAML; look at brackets, quotes and indentation.", null, 1, 1));
        }

        return (form, null);
    }

    /// <summary>Why a text is not YAML; where that is one of the usual mistakes, with its cure.</summary>
    internal static Finding WhyNot(string text, YamlException error)
    {
        var line = text.Split('\n').ElementAtOrDefault((int)error.Start.Line - 1) ?? "";
        if (error.Message.Contains("escape", StringComparison.OrdinalIgnoreCase))
        {
            return new Finding($"{InQuotes} Write a path in single quotes, or double each backslash.", null, (int)error.Start.Line, (int)error.Start.Column);
        }

        var indented = text.Split('\n')
            .Select((each, number) => (Tab: each[..(each.Length - each.TrimStart().Length)].IndexOf('\t', StringComparison.Ordinal), Line: number + 1))
            .FirstOrDefault(each => each.Tab >= 0);
        return indented.Line > 0 && (indented.Line >= error.Start.Line - 1 || line.Contains('\t', StringComparison.Ordinal))
            ? new Finding("A tab stands in the indentation, where YAML takes blanks alone; put blanks in its place.", null, indented.Line, indented.Tab + 1)
            : new Finding(InWords(error.Message), null, (int)error.Start.Line, (int)error.Start.Column);
    }

    /// <summary>What stands against a text, told by what the library looked for in vain.</summary>
    private static string InWords(string message) =>
        message.Contains("quoted scalar", StringComparison.OrdinalIgnoreCase) ? "A quote is opened here that is not closed."
            : message.Contains("flow", StringComparison.OrdinalIgnoreCase) || message.Contains("','", StringComparison.Ordinal)
                ? "A bracket is opened here that is not closed, or a comma is missing between two things in it."
            : message.Contains("':'", StringComparison.Ordinal) || message.Contains("simple key", StringComparison.OrdinalIgnoreCase)
                ? "This is neither 'name: value' nor '- item': a colon is missing, or the blank behind it."
            : message.Contains("uplicate", StringComparison.Ordinal) ? "The same name stands twice in one mapping."
            : "This is not YAML; look at brackets, quotes, colons and the indentation, here and in the line before.";

    private const string InQuotes = "In double quotes a backslash begins a sign of another kind, such as \\n for the end of a line.";

    /// <summary>Finds paths of Windows in double quotes, in which <c>\n</c> of <c>C:\new</c> became the end of a line.</summary>
    private void CheckPaths(YamlMappingNode root, string text)
    {
        foreach (var scalar in root.AllNodes.OfType<YamlScalarNode>().Where(each => each.Style == ScalarStyle.DoubleQuoted))
        {
            var (from, to) = ((int)scalar.Start.Index, (int)scalar.End.Index);
            var written = from >= 0 && to <= text.Length && from < to ? text[from..to] : "";
            for (var at = 0; (at = written.IndexOf(@":\", at, StringComparison.Ordinal)) >= 0; at += 2)
            {
                if (at > 0 && char.IsAsciiLetter(written[at - 1]) && (at < 2 || !char.IsAsciiLetterOrDigit(written[at - 2])) && at + 2 < written.Length
                    && written[at + 2] != '\\')
                {
                    Report(scalar, $"{InQuotes} Write the path in single quotes: '{written.Trim('"')}'.");
                    break;
                }
            }
        }
    }

    private static Finding At(string text, int index, string message) =>
        new(message, null, text.AsSpan(0, index).Count('\n') + 1, index - text.LastIndexOf('\n', index));

    /// <summary>Adds a finding at a node.</summary>
    public void Report(YamlNode at, string message, string? where = null) =>
        _findings.Add(new Finding(
            message, where, (int)at.Start.Line, (int)at.Start.Column,
            at is YamlScalarNode scalar ? Math.Max(1, (int)(scalar.End.Column - scalar.Start.Column)) : 1));

    /// <summary>A finding with the line and column of its place, or of the nearest place around it that stands in the text.</summary>
    /// <param name="root">The whole of the text.</param>
    /// <param name="finding">With a place such as <c>variants[0].present[1]</c>.</param>
    public Finding Placed(YamlMappingNode root, Finding finding)
    {
        YamlNode at = root;
        foreach (var part in (finding.Where ?? "").Split('.', '[').Select(part => part.TrimEnd(']')))
        {
            var next = at switch
            {
                YamlMappingNode map => Child(map, part),
                YamlSequenceNode list when int.TryParse(part, CultureInfo.InvariantCulture, out var number) && number < list.Children.Count =>
                    list.Children[number],
                _ => null,
            };
            if (next is null)
            {
                break;
            }

            at = next;
        }

        return finding with { Line = (int)at.Start.Line, Column = (int)at.Start.Column };
    }

    /// <summary>Reports every key that is not among the known ones.</summary>
    public void Known(YamlMappingNode map, string where, params IReadOnlyList<string> keys)
    {
        foreach (var key in map.Children.Keys)
        {
            var name = (key as YamlScalarNode)?.Value ?? "";
            if (!keys.Contains(name))
            {
                var near = Suggest.Nearest(name, keys);
                Report(
                    key,
                    near is null
                        ? $"'{name}' means nothing here. Possible: {string.Join(", ", keys)}."
                        : $"'{name}' means nothing here. Did you mean '{near}'?",
                    where + name);
            }
        }
    }

    public static YamlNode? Child(YamlMappingNode map, string key) => map.Children.TryGetValue(new YamlScalarNode(key), out var node) ? node : null;

    /// <summary>A text; null where it is missing (with a finding if it must be there) or is not one.</summary>
    public string? Text(YamlMappingNode map, string key, string where, bool must, int max = 200)
    {
        switch (Child(map, key))
        {
            case null:
                if (must)
                {
                    Report(map, $"'{key}' is missing.", where + key);
                }

                return null;
            case YamlScalarNode { Value: { } value } scalar:
                if (value.Length > max)
                {
                    Report(scalar, $"'{key}' has {value.Length} characters; at most {max} are possible.", where + key);
                    return null;
                }

                if (must && value.Trim().Length == 0)
                {
                    Report(scalar, $"'{key}' is empty.", where + key);
                    return null;
                }

                return value.Trim();
            case { } other:
                Report(other, $"'{key}' must be one text.", where + key);
                return null;
        }
    }

    /// <summary>A list of texts; one text alone counts as a list of one. Empty where it is missing.</summary>
    public IReadOnlyList<string> Texts(YamlMappingNode map, string key, string where)
    {
        switch (Child(map, key))
        {
            case null:
                return [];
            case YamlScalarNode { Value: { } value }:
                return [value];
            case YamlSequenceNode list when list.Children.All(child => child is YamlScalarNode):
                return [.. list.Children.Select(child => ((YamlScalarNode)child).Value ?? "")];
            case { } other:
                Report(other, $"'{key}' must be a list of texts.", where + key);
                return [];
        }
    }

    /// <summary>A mapping from texts to texts. Empty where it is missing.</summary>
    /// <param name="form">What it looks like, for whoever wrote something else.</param>
    public IReadOnlyDictionary<string, string> Pairs(YamlMappingNode map, string key, string where, string form)
    {
        switch (Child(map, key))
        {
            case null:
                return new Dictionary<string, string>();
            case YamlMappingNode pairs when pairs.Children.All(pair => pair is { Key: YamlScalarNode { Value.Length: > 0 }, Value: YamlScalarNode }):
                return pairs.Children.ToDictionary(
                    pair => ((YamlScalarNode)pair.Key).Value!, pair => ((YamlScalarNode)pair.Value).Value ?? "", StringComparer.Ordinal);
            case { } other:
                Report(other, $"'{key}' is a mapping of texts, {form}.", where + key);
                return new Dictionary<string, string>();
        }
    }

    public TimeSpan Duration(YamlMappingNode map, string key, string where, TimeSpan otherwise)
    {
        if (Text(map, key, where, must: false) is not { } text)
        {
            return otherwise;
        }

        if (Units.TryParseDuration(text, out var duration) && duration > TimeSpan.Zero)
        {
            return duration;
        }

        Report(Child(map, key)!, $"'{text}' is not a length of time such as 20m or 2h.", where + key);
        return otherwise;
    }

    public bool YesNo(YamlMappingNode map, string key, string where, bool otherwise)
    {
        var text = Text(map, key, where, must: false);
        if (text is "yes" or "true")
        {
            return true;
        }

        if (text is "no" or "false")
        {
            return false;
        }

        if (text is not null)
        {
            Report(Child(map, key)!, $"'{key}' is yes or no, not '{text}'.", where + key);
        }

        return otherwise;
    }

    /// <summary>A rule, or the rule everything fits where it is missing. Errors in it point at their place in the YAML text.</summary>
    public Rule Rule(YamlMappingNode map, string key, string where)
    {
        if (Text(map, key, where, must: false, max: Rules.Rule.MaxLength) is not { } text)
        {
            return Rules.Rule.Everything;
        }

        var rule = Rules.Rule.Parse(text);
        if (rule.Ok)
        {
            return rule.Value;
        }

        var scalar = (YamlScalarNode)Child(map, key)!;
        var quote = scalar.Style is ScalarStyle.SingleQuoted or ScalarStyle.DoubleQuoted ? 1 : 0;
        var isFolded = scalar.Style is ScalarStyle.Literal or ScalarStyle.Folded;
        foreach (var finding in rule.Failure!.Findings)
        {
            _findings.Add(isFolded
                ? finding with { Where = where + key, Line = (int)scalar.Start.Line + finding.Line, Column = 1, Length = 1 }
                : finding with
                {
                    Where = where + key, Line = (int)scalar.Start.Line + finding.Line - 1, Column = (int)scalar.Start.Column + finding.Column - 1 + quote,
                });
        }

        if (rule.Failure.Findings.Count == 0)
        {
            Report(scalar, rule.Failure.Message, where + key);
        }

        return Rules.Rule.Everything;
    }

    private bool IsPlain(string text)
    {
        var parser = new YamlDotNet.Core.Parser(new StringReader(text));
        var depth = 0;
        while (parser.MoveNext())
        {
            var now = parser.Current!;
            depth += now is MappingStart or SequenceStart ? 1 : now is MappingEnd or SequenceEnd ? -1 : 0;
            if (now is AnchorAlias || (now is NodeEvent { Anchor.IsEmpty: false }))
            {
                _findings.Add(new Finding("Anchors and aliases are not read here; write the value out.", null, (int)now.Start.Line, (int)now.Start.Column));
                return false;
            }

            if (depth > MaxDepth)
            {
                _findings.Add(new Finding(
                    string.Create(CultureInfo.InvariantCulture, $"This nests deeper than {MaxDepth}."), null, (int)now.Start.Line, (int)now.Start.Column));
                return false;
            }
        }

        return true;
    }
}
