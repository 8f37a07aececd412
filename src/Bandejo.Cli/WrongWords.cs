using System.CommandLine;
using System.CommandLine.Parsing;
using System.Globalization;
using Bandejo.Core;

namespace Bandejo.Cli;

/// <summary>
/// Finds what cannot be meant in the words of a call, and says it with what would be right. Nothing that looks like an option is ever taken for a name, a rule
/// or a value; who means such a word puts it behind <c>--</c>.
/// </summary>
internal static class WrongWords
{
    private const int MostNamed = 12;

    /// <summary>What it takes are the options of another program.</summary>
    private const string SilentWith = "--silent-with";

    /// <summary>What is wrong, in the order of the words; empty where all can be meant.</summary>
    public static IReadOnlyList<string> Of(ParseResult parsed)
    {
        var command = parsed.CommandResult.Command;
        var (path, wrong) = (Shared.PathOf(command), new List<string>());
        var taken = Behind(parsed);
        var isItsValue = false;
        foreach (var word in parsed.UnmatchedTokens)
        {
            // What stands behind an option that does not exist was meant for it.
            if (IsOption(word) || !isItsValue)
            {
                wrong.Add(IsOption(word) ? NoOption(word, command, path) : NoPlace(word, command, path));
            }

            isItsValue = IsOption(word);
        }

        foreach (var result in parsed.CommandResult.Children.Concat(Parents(parsed.CommandResult)))
        {
            switch (result)
            {
                case ArgumentResult argument:
                    wrong.AddRange(argument.Tokens.Where(token => IsOption(token.Value) && !taken.Contains(token.Value)).Select(
                        token => NoOption(token.Value, command, path)));
                    break;
                case OptionResult option when !option.Implicit:
                    wrong.AddRange(Of(option, command, path, taken));
                    break;
            }
        }

        if (command.Subcommands.Any(each => !each.Hidden) && command.Action is null && parsed.UnmatchedTokens.Count == 0)
        {
            var verbs = command.Subcommands.Where(each => !each.Hidden).Select(each => each.Name).Take(MostNamed);
            wrong.Add($"Say what to do: {path} {string.Join(" | ", verbs)}.");
        }

        if (wrong.Count == 0)
        {
            wrong.AddRange(command.Arguments.Where(argument => argument.Arity.MinimumNumberOfValues > (parsed.GetResult(argument)?.Tokens.Count ?? 0)).Select(
                argument => $"'{path}' needs {Article(argument.Name)} {argument.Name}: {Lower(argument.Description)}."));
            wrong.AddRange(command.Options.Where(option => option.Required && parsed.GetResult(option) is null or { Implicit: true }).Where(option =>
                option.Required)
                .Select(option => $"'{path}' needs {option.Name}: {Lower(option.Description)}."));
        }

        return wrong.Count > 0 ? wrong : [.. parsed.Errors.Select(error => error.Message)];
    }

    private static IEnumerable<string> Of(OptionResult result, Command command, string path, HashSet<string> taken)
    {
        var option = result.Option;
        if (result.Tokens.Count < option.Arity.MinimumNumberOfValues)
        {
            yield return $"{option.Name} needs a value: {Lower(option.Description)}.";
            yield break;
        }

        if (option.Arity.MaximumNumberOfValues == 1 && option.ValueType != typeof(bool) && result.IdentifierTokenCount > 1)
        {
            yield return $"{option.Name} stands more than once; it takes one value.";
        }

        foreach (var token in result.Tokens.Select(token => token.Value))
        {
            if (IsOption(token) && !taken.Contains(token) && !(option.Name == "--sort" && !token.StartsWith("--", StringComparison.Ordinal))
                && option.Name != SilentWith
                && !double.TryParse(token, CultureInfo.InvariantCulture, out _))
            {
                yield return OptionsOf(command).Any(each => each.Name == token || each.Aliases.Contains(token))
                    ? $"{option.Name} needs a value before {token}: {Lower(option.Description)}."
                    : NoOption(token, command, path);
            }
            else if (Shared.Choices.TryGetValue(option, out var choices) && !choices.Contains(token))
            {
                yield return $"{option.Name} is {Listed(choices)}, not '{token}'.{Meant(token, choices)}";
            }
            else if (option.ValueType == typeof(int) || option.ValueType == typeof(int?))
            {
                if (!int.TryParse(token, NumberStyles.AllowLeadingSign, CultureInfo.InvariantCulture, out _))
                {
                    yield return $"{option.Name} takes a whole number, not '{token}'.";
                }
            }
            else if (option.ValueType == typeof(double) && !double.TryParse(token, CultureInfo.InvariantCulture, out _))
            {
                yield return $"{option.Name} takes a number, not '{token}'.";
            }
        }
    }

    /// <summary>The words behind <c>--</c>, which are what they are.</summary>
    private static HashSet<string> Behind(ParseResult parsed) =>
        [.. parsed.Tokens.SkipWhile(token => token.Type != TokenType.DoubleDash).Skip(1).Select(token => token.Value)];

    private static IEnumerable<SymbolResult> Parents(CommandResult result)
    {
        for (var parent = result.Parent as CommandResult; parent is not null; parent = parent.Parent as CommandResult)
        {
            foreach (var child in parent.Children.OfType<OptionResult>())
            {
                yield return child;
            }
        }
    }

    private static bool IsOption(string word) => word.Length > 1 && word[0] == '-';

    private static string NoOption(string word, Command command, string path)
    {
        var name = word.Split('=')[0];
        var names = OptionsOf(command).SelectMany(option => (string[])[option.Name, .. option.Aliases]).ToList();

        // An identity may begin so: behind -- a word is what it is.
        var isName = command.Arguments.Count > 0 && Suggest.Nearest(name, names) is null ? " If it is a name, write -- before it." : "";
        return $"'{path}' has no option '{name}'.{Meant(name, names)}{isName}";
    }

    private static string NoPlace(string word, Command command, string path)
    {
        var verbs = command.Subcommands.Where(each => !each.Hidden).Select(each => each.Name).ToList();
        return verbs.Count > 0
            ? $"There is no '{path} {word}'.{Meant(word, verbs)}{(Suggest.Nearest(word, verbs) is null ? $" There is: {string.Join(", ", verbs)}." : "")}"
            : $"'{word}' is one word too many for '{path}'. What has spaces in it stands in quotes.";
    }

    private static IEnumerable<Option> OptionsOf(Command command)
    {
        for (Symbol? symbol = command; symbol is Command at; symbol = symbol.Parents.FirstOrDefault())
        {
            foreach (var option in at.Options.Where(option => !option.Hidden && (at == command || option.Recursive)))
            {
                yield return option;
            }
        }
    }

    private static string Meant(string word, IEnumerable<string> names) => Suggest.Nearest(word, names) is { } near ? $" Did you mean '{near}'?" : "";

    private static string Listed(IReadOnlyList<string> choices) =>
        choices.Count == 1 ? choices[0] : $"{string.Join(", ", choices.Take(choices.Count - 1))} or {choices[^1]}";

    private static string Article(string name) => "aeiou".Contains(name[0]) ? "an" : "a";

    private static string Lower(string? description)
    {
        var text = (description ?? "").TrimEnd('.');
        return text.Length > 1 && char.IsUpper(text[0]) && char.IsLower(text[1]) ? char.ToLowerInvariant(text[0]) + text[1..] : text;
    }
}
