using System.CommandLine;
using System.CommandLine.Parsing;
using System.Net;
using Bandejo.Core;

namespace Bandejo.Cli;

/// <summary>What the exit codes of the program say.</summary>
internal static class ExitCode
{
    public const int Done = 0;

    /// <summary>The answer is no: a check that did not hold.</summary>
    public const int No = 1;

    public const int WrongUse = 2;

    /// <summary>The service refused.</summary>
    public const int Refused = 3;

    public const int NotReachable = 4;

    /// <summary>Somebody ended it (Ctrl-C), as shells count it.</summary>
    public const int Stopped = 130;
}

/// <summary>What all commands share.</summary>
internal static class Shared
{
    /// <summary>How often something is looked at again that changes meanwhile.</summary>
    private const int MostLooks = 5;

    public static readonly Option<string?> Service = new("--service") { Description = "The service's address [where you signed in]", Recursive = true };

    /// <summary>The commands that print a table.</summary>
    private static readonly HashSet<Command> Tables = [];

    /// <summary>The values of options that have only a few.</summary>
    public static readonly Dictionary<Option, IReadOnlyList<string>> Choices = [];

    public static readonly Option<string> Output = AsOutput(Choice("--output", "How to print: table, json or csv", "table", "json", "csv"));

    public static readonly Option<bool> Yes = new("--yes", "-y") { Description = "Do not ask" };

    public static readonly Option<int> Patience = new("--timeout")
    {
        Description = "For how many seconds an answer is waited for, 1 to 3600 [60; or BANDEJO_TIMEOUT]", HelpName = "SECONDS", Recursive = true,
    };

    public static readonly Option<string?> Once = new("--once")
    {
        Description = "A key: with it a change is made once, however often the same is said within a day", HelpName = "KEY", Recursive = true,
    };

    /// <summary>The option for a reason.</summary>
    /// <param name="stays">Where it stays.</param>
    /// <param name="needed">Whether and when it must be given, such as <c>needed after a halt</c>; null where it need not.</param>
    public static Option<string> Reason(string stays, string? needed = null) =>
        new("--reason", "-r") { Description = $"Why{(needed is null ? "" : $" ({needed})")}; it stays {stays}", DefaultValueFactory = _ => "" };

    /// <summary>An option that takes several names: given again and again, or once with all of them behind it, with spaces or commas in between.</summary>
    /// <param name="what">What it takes, such as <c>group</c>.</param>
    public static Option<string[]> Names(string name, string what, string description, string? alias = null)
    {
        var option = Several(name, what, description, alias);
        option.AllowMultipleArgumentsPerToken = true;
        option.CustomParser = result => [.. result.Tokens.SelectMany(token => token.Value.Split(
            ',', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries))];
        return option;
    }

    /// <summary>An option that takes several texts in which a comma or a space may stand, such as paths: given again and again.</summary>
    /// <inheritdoc cref="Names" path="/param"/>
    public static Option<string[]> Several(string name, string what, string description, string? alias = null)
    {
        return new Option<string[]>(name, alias is null ? [] : [alias])
        {
            Description = description, HelpName = $"{what}...", DefaultValueFactory = _ => [],
        };
    }

    /// <summary>An option with a few possible values, the first of which is the default.</summary>
    public static Option<string> Choice(string name, string description, params string[] values)
    {
        var option = new Option<string>(name) { Description = description, DefaultValueFactory = _ => values[0] };
        option.CompletionSources.Add(values);
        Choices[option] = values;
        return option;
    }

    /// <summary>A command that speaks with the service.</summary>
    /// <param name="name">Its verb.</param>
    /// <param name="description">What it does.</param>
    /// <param name="example">A call that works on the demo data, without the program's name.</param>
    /// <param name="act">Does it, and returns the exit code.</param>
    /// <param name="symbols">Its arguments and options.</param>
    public static Command Verb(
        string name, string description, string example, Func<ParseResult, Client, CancellationToken, Task<int>> act, params Symbol[] symbols)
    {
        var command = new Command(name, $"{description}\n\nExample:\n  bandejo {example}");
        foreach (var symbol in symbols)
        {
            if (symbol is Argument argument)
            {
                command.Arguments.Add(argument);
            }
            else
            {
                command.Options.Add((Option)symbol);
            }
        }

        command.SetAction((parsed, cancellation) => Guarded(async () =>
        {
            var output = parsed.GetValue(Output);
            Say.IsForScripts = output == "csv";
            if (output == "csv" && !Tables.Contains(command))
            {
                throw new WrongUseException($"'{PathOf(command)}' prints no table that could be CSV; --output json gives all of it.");
            }

            using var client = Client.Open(parsed.GetValue(Service), parsed.GetValue(Patience), parsed.GetValue(Once));
            if (output != "json")
            {
                var code = await act(parsed, client, cancellation);
                Now.SayZone();
                return code;
            }

            // Whoever asks for JSON gets nothing else: what has no form of its own is told as the sentence that a person would read.
            using var told = Say.Hold();
            return await act(parsed, client, cancellation);
        }));
        return command;
    }

    /// <summary>A command that prints a table, which can be CSV too.</summary>
    /// <inheritdoc cref="Verb" path="/param"/>
    public static Command Table(
        string name, string description, string example, Func<ParseResult, Client, CancellationToken, Task<int>> act, params Symbol[] symbols)
    {
        var command = Verb(name, description, example, act, symbols);
        Tables.Add(command);
        return command;
    }

    /// <summary>Runs an action and turns what can go wrong into a line and an exit code.</summary>
    public static async Task<int> Guarded(Func<Task<int>> action)
    {
        try
        {
            return await action();
        }
        catch (RefusedException refused)
        {
            Findings.Print(refused);
            return ExitCode.Refused;
        }
        catch (NotReachableException error)
        {
            Console.Error.WriteLine(error.Message);
            return ExitCode.NotReachable;
        }
        catch (WrongUseException error)
        {
            Console.Error.WriteLine(error.Message);
            return ExitCode.WrongUse;
        }
        catch (Exception error) when (error is IOException or UnauthorizedAccessException)
        {
            Console.Error.WriteLine(Troubles.AsSentence(error));
            return ExitCode.WrongUse;
        }
        catch (OperationCanceledException)
        {
            return ExitCode.Stopped;
        }
    }

    /// <summary>A noun: a command that only holds verbs.</summary>
    public static Command Noun(string name, string description, params Command[] verbs)
    {
        var noun = new Command(name, description);
        foreach (var verb in verbs)
        {
            noun.Subcommands.Add(verb);
        }

        return noun;
    }

    /// <summary>The words with which a command is called.</summary>
    public static string PathOf(Command command)
    {
        var names = new List<string>();
        for (Symbol? symbol = command; symbol is not null and not RootCommand; symbol = symbol.Parents.FirstOrDefault())
        {
            names.Insert(0, symbol.Name);
        }

        return string.Join(' ', ["bandejo", .. names]);
    }

    /// <summary>
    /// Acts upon what it looks at first, and looks again where that changed in between, which a deployment does by itself too: a gate passes, a device is met.
    /// </summary>
    /// <param name="act">Looks, shows and asks where it has something to show, and acts on just that.</param>
    public static async Task<int> LookingFirst(Func<Task<int>> act)
    {
        for (var left = MostLooks; ; left--)
        {
            try
            {
                return await act();
            }
            catch (RefusedException refused) when (refused.Problem.Status == (int)HttpStatusCode.PreconditionFailed && left > 0)
            {
                // Once more.
            }
        }
    }

    /// <summary>Asks a person for consent; without a terminal it must have been given with <c>--yes</c>.</summary>
    public static async Task<bool> Agrees(bool yes, string question, CancellationToken cancellation)
    {
        if (yes)
        {
            return true;
        }

        return Prompt.IsPossible
            ? await Prompt.Agrees(question, cancellation)
            : throw new WrongUseException($"{question} Nothing was done: say --yes to do it without being asked.");
    }

    private static Option<string> AsOutput(Option<string> option)
    {
        option.Aliases.Add("-o");
        option.Recursive = true;
        return option;
    }
}

/// <summary>The command was called in a way that cannot be meant.</summary>
internal sealed class WrongUseException(string message) : Exception(message);
