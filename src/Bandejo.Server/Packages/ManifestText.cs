using System.Globalization;
using System.Text;
using System.Text.Encodings.Web;
using System.Text.Json;
using Bandejo.Contract.Device;
using Bandejo.Core.Installers;
using Bandejo.Core.World;

namespace Bandejo.Server.Packages;

/// <summary>
/// The manifest that makes a package again: what its document says, in the words of <c>package.yaml</c>. Comments and names of handlings are not in a document
/// and do not come back; built with the same files, the text gives the same document.
/// </summary>
internal static class ManifestText
{
    private static readonly JsonSerializerOptions Quotes = new() { Encoder = JavaScriptEncoder.UnsafeRelaxedJsonEscaping };

    public static string Of(PackageDocument document)
    {
        var text = new Lines();
        text.Add("app", document.App);
        text.Add("name", document.Name);
        text.Add("version", document.Version);
        text.Add("publisher", document.Publisher);
        text.Add("category", document.Category);
        text.Add("summary", document.Summary);
        text.Add("icon", document.Icon?.Path);
        text.Add("replaces", document.Replaces);
        text.Each("needs", document.Needs, need => Flow(("app", need.App), ("at-least", need.AtLeast)));
        text.Each("settings", document.Settings, setting => Flow(
            ("name", setting.Name), ("says", setting.Says.Length == 0 ? null : setting.Says), ("type", setting.Type == "text" ? null : setting.Type),
            ("default", setting.Default), ("choices", setting.Choices), ("writes", setting.Writes)));
        if (document.Presets is { Count: > 0 } presets)
        {
            text.Begin("presets");
            foreach (var (name, values) in presets)
            {
                text.Add(name, values);
            }

            text.End();
        }

        text.Line("");
        text.Begin("variants");
        foreach (var variant in document.Variants)
        {
            Write(text, document, variant);
        }

        text.End();
        return text.ToString();
    }

    private static void Write(Lines text, PackageDocument document, DocumentVariant variant)
    {
        text.Item("name", variant.Name);
        text.Add("fits", variant.Fits);
        text.Add("requires", variant.Requires);
        text.Add("files", Patterns(document, variant));
        text.Add("close", variant.Close);
        if (variant.Handling is { } handling)
        {
            text.Begin("handling");
            text.Add("before", handling.NobodySignedIn ? new Dictionary<string, string> { ["signed-in"] = "nobody" } : null);
            text.AddFlow("during", Flow(("priority", handling.LowPriority ? "low" : null), ("log", handling.Log is { } log ? "/" + log : null)));
            text.AddFlow("after", Flow(("restart", handling.Restart == "as-told" ? null : handling.Restart), ("reset", handling.Reset?.Select(
                path => "/" + path))));
            text.End();
        }

        Step(text, "install", variant.Install.Run.Count == 0 ? null : variant.Install);
        Step(text, "change", variant.Change);
        Step(text, "repair", variant.Repair);
        Step(text, "remove", variant.Remove is { Run.Count: 0 } ? null : variant.Remove);
        text.AddFlow(
            "launch",
            variant.Launch is { } launch ? Flow(("run", launch.Run), ("environment", launch.Environment), ("stays", Duration(launch.StaysSeconds))) : "");
        text.Each("companions", variant.Companions, companion => Flow(
            (companion.Kind, companion.Subject), ("key", companion.Key), ("to", companion.Value ?? (companion.To is { } to ? "/" + to : null)),
            ("with", companion.With), ("says", companion.Says)));
        if (variant.Removals is { Count: > 0 } removals)
        {
            text.Begin("removals");
            foreach (var removal in removals)
            {
                text.Item("what", removal.What);
                text.Add("when", removal.When);
                text.Add("at", removal.At);
                Inside(text, removal.Step);
                text.End();
            }

            text.End();
        }

        text.Each("present", variant.Present, check => Flow(
            (
                check.Kind,
                check.Kind == "command" ? (IEnumerable<string>)[check.Subject, .. check.Arguments]
                    : check.Subject.Length > 0 ? check.Subject
                    : check.Kind == "receipt" ? "yes"
                    : ""),
            ("key", check.Key), ("is", check.Expected), ("pattern", check.Pattern)));
        if (!variant.PutBack)
        {
            text.Add("put-back", "no");
        }

        text.End();
    }

    private static void Step(Lines text, string name, DocumentStep? step)
    {
        if (step is not null)
        {
            text.Begin(name);
            Inside(text, step);
            text.End();
        }
    }

    private static void Inside(Lines text, DocumentStep step)
    {
        text.Add("run", step.Run);
        text.Add("environment", step.Environment);
        text.Add("answers", step.Answers);
        text.Add("limit", Duration(step.LimitSeconds));
        text.Add("expected", Duration(step.ExpectedSeconds));
        text.Add("at-limit", step.EndAtLimit ? null : "ask");
        text.Add("exit-codes", step.ExitCodes);
    }

    /// <summary>The files of a variant, where it has all that lies below a folder by that folder.</summary>
    private static IEnumerable<string> Patterns(PackageDocument document, DocumentVariant variant)
    {
        var own = variant.Files.Select(file => file.Path).ToHashSet(StringComparer.Ordinal);
        var all = Documents.FilesOf(document).Select(file => file.Path).Distinct(StringComparer.Ordinal).ToLookup(Folder);
        return own.GroupBy(Folder)
            .SelectMany(
                group => group.Key is { } folder && all[folder].Count() > 1 && all[folder].All(own.Contains) ? [folder + "/**"] : (IEnumerable<string>)group)
            .Order(StringComparer.Ordinal);

        static string? Folder(string path) => path.IndexOf('/', StringComparison.Ordinal) is > 0 and var end ? path[..end] : null;
    }

    private static string Duration(int seconds) =>
        seconds > 0 && seconds % 3600 == 0 ? $"{seconds / 3600}h" : seconds > 0 && seconds % 60 == 0 ? $"{seconds / 60}m" : $"{seconds}s";

    /// <summary>A mapping in one line, of what is there; empty where nothing is.</summary>
    private static string Flow(params ReadOnlySpan<(string Key, object? Value)> entries)
    {
        var parts = new List<string>();
        foreach (var (key, value) in entries)
        {
            if (Value(value) is { } written)
            {
                parts.Add($"{key}: {written}");
            }
        }

        return parts.Count == 0 ? "" : $"{{ {string.Join(", ", parts)} }}";
    }

    private static string? Value(object? value) => value switch
    {
        null => null,
        string text => Quoted(text),
        IEnumerable<KeyValuePair<string, string>> map =>
            map.Any() ? $"{{ {string.Join(", ", map.Select(pair => $"{Quoted(pair.Key)}: {Quoted(pair.Value)}"))} }}" : null,
        IEnumerable<string> list => list.Any() ? $"[{string.Join(", ", list.Select(Quoted))}]" : null,
        _ => throw new InvalidOperationException($"A manifest cannot hold {value.GetType().Name}."),
    };

    // What has line breaks goes into double quotes, whose escapes in YAML 1.2 (section 7.3.1) have all of JSON's.
    private static string Quoted(string text) => text.Any(char.IsControl) ? JsonSerializer.Serialize(text, Quotes) : ManifestDraft.Quoted(text);

    /// <summary>Lines, further in for what belongs to something.</summary>
    private sealed class Lines
    {
        private readonly StringBuilder _text = new();
        private int _depth;

        public void Line(string line) => _text.Append(line.Length == 0 ? "" : new string(' ', _depth * 2)).Append(line).Append('\n');

        /// <summary>A key with its value, where there is one.</summary>
        public void Add(string key, object? value) => AddFlow(key, value is "" ? "" : Value(value) ?? "");

        /// <summary>A key with a value that is written already; nothing where it is empty.</summary>
        public void AddFlow(string key, string written)
        {
            if (written.Length > 0)
            {
                Line(string.Create(CultureInfo.InvariantCulture, $"{Quoted(key)}: {written}"));
            }
        }

        public void Begin(string key)
        {
            Line($"{key}:");
            _depth++;
        }

        public void End() => _depth--;

        /// <summary>An entry of a list that has more keys than this one; they follow until <see cref="End"/>.</summary>
        public void Item(string key, string value)
        {
            Line($"- {key}: {Quoted(value)}");
            _depth++;
        }

        public void Each<T>(string key, IReadOnlyList<T>? all, Func<T, string> written)
        {
            if (all is { Count: > 0 })
            {
                Begin(key);
                foreach (var each in all)
                {
                    Line($"- {written(each)}");
                }

                End();
            }
        }

        public override string ToString() => _text.ToString();
    }
}
