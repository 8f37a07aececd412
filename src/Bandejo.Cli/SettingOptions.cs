using System.CommandLine;
using System.CommandLine.Parsing;
using Bandejo.Core;

namespace Bandejo.Cli;

/// <summary>The options with which values for a package's settings are given.</summary>
internal static class SettingOptions
{
    public static readonly Option<string[]> Setting = Shared.Several(
        "--setting", "NAME=VALUE", "A value of a setting; NAME=@FILE takes it from a file, so that a secret is in no command line", "-s");
    public static readonly Option<string?> Preset = new("--preset") { Description = "A preset of the package: a named set of values" };

    /// <summary>The values that were given; null for none.</summary>
    /// <exception cref="WrongUseException">One is not written as it must be, or its file cannot be read.</exception>
    public static IReadOnlyDictionary<string, string>? Read(ParseResult parsed)
    {
        var values = new Dictionary<string, string>(StringComparer.Ordinal);
        foreach (var text in parsed.GetValue(Setting)!)
        {
            var at = text.IndexOf('=', StringComparison.Ordinal);
            if (at <= 0)
            {
                throw new WrongUseException($"A setting is given as NAME=VALUE, such as updater=no; this is not: '{text}'.");
            }

            var (name, value) = (text[..at], text[(at + 1)..]);
            if (!values.TryAdd(name, value.StartsWith('@') ? FromFile(name, value[1..]) : value))
            {
                throw new WrongUseException($"'{name}' is given twice.");
            }
        }

        return values.Count == 0 ? null : values;
    }

    private static string FromFile(string name, string path)
    {
        try
        {
            return File.ReadAllText(path).TrimEnd('\r', '\n');
        }
        catch (Exception error) when (error is IOException or UnauthorizedAccessException)
        {
            throw new WrongUseException($"The value of '{name}' cannot be read: {Troubles.InWords(error)}.");
        }
    }
}
