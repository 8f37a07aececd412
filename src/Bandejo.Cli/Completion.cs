using System.CommandLine;
using System.CommandLine.Completions;
using Bandejo.Contract;

namespace Bandejo.Cli;

/// <summary>Shell completion: of commands and options, and of the names of what there is, from the service.</summary>
internal static class Completion
{
    /// <summary>Whoever types waits no longer for names than this.</summary>
    private static readonly TimeSpan Patience = TimeSpan.FromSeconds(1);

    private const int MostNames = 50;

    // Where nothing of ours fits, the shell completes names of files as it does without this.
    private const string Bash = """
        _bandejo() {
            local each cur="${COMP_WORDS[COMP_CWORD]}"
            COMPREPLY=()
            while IFS= read -r each; do
                [[ -n $each && ( $each == "$cur"* || $(printf '%q' "$each") == "$cur"* ) ]] && COMPREPLY+=("$(printf '%q' "$each")")
            done < <(bandejo "[suggest:${COMP_POINT}]" "${COMP_LINE}" 2>/dev/null)
        }
        complete -o default -F _bandejo bandejo
        """;

    private const string Zsh = """
        _bandejo() {
            local completions=("${(@f)$(bandejo "[suggest:${CURSOR}]" "${BUFFER}" 2>/dev/null)}")
            completions=(${completions:#})
            (( ${#completions} )) && compadd -a completions || _files
        }
        compdef _bandejo bandejo
        """;

    private const string Fish = """
        complete -c bandejo -a '(bandejo "[suggest:"(commandline -C)"]" (commandline -cp) 2>/dev/null)'
        """;

    private static readonly Dictionary<string, string> Scripts = new() { ["bash"] = Bash, ["zsh"] = Zsh, ["fish"] = Fish };

    public static Command All()
    {
        var shell = new Argument<string>("shell") { Description = "bash, zsh or fish" };
        shell.CompletionSources.Add([.. Scripts.Keys]);
        var command = new Command("completion", "Prints the completion script for a shell\n\nExample:\n  source <(bandejo completion bash)") { shell };
        command.SetAction(parsed =>
        {
            if (!Scripts.TryGetValue(parsed.GetValue(shell)!, out var script))
            {
                Console.Error.WriteLine($"There is completion for bash, zsh and fish, not for '{parsed.GetValue(shell)}'.");
                return ExitCode.WrongUse;
            }

            Console.WriteLine(script);
            return ExitCode.Done;
        });
        return command;
    }

    /// <summary>Lets names be completed wherever a command takes some.</summary>
    public static void OfNames(Command command)
    {
        foreach (var argument in command.Arguments)
        {
            if (SourceOf(argument.Name.TrimEnd('s')) is { } names)
            {
                argument.CompletionSources.Add(names);
            }
        }

        foreach (var option in command.Options)
        {
            if (SourceOf(option.Name.TrimStart('-')) is { } names)
            {
                option.CompletionSources.Add(names);
            }
        }

        foreach (var each in command.Subcommands)
        {
            OfNames(each);
        }
    }

    private static Func<CompletionContext, IEnumerable<CompletionItem>>? SourceOf(string what) => what switch
    {
        "device" => Names(async (client, word, end) =>
            (await client.Get($"/api/v1/devices?limit={MostNames}&filter={Uri.EscapeDataString(word)}", ContractJson.Default.PageDeviceInfo, end)).Items.Select(
                each => each.Name)),
        "deployment" => Names(async (client, _, end) =>
            (await client.Get("/api/v1/deployments", ContractJson.Default.IReadOnlyListDeploymentInfo, end)).SelectMany(each => (string[])[each.Id,
                each.Name])),
        "group" or "to" or "except" => Names(async (client, _, end) =>
            (await client.Get("/api/v1/groups", ContractJson.Default.IReadOnlyListGroupInfo, end)).Select(each => each.Slug)),
        "app" or "package" => Names(async (client, _, end) =>
            (await client.Get("/api/v1/apps", ContractJson.Default.IReadOnlyListAppInfo, end)).Select(each => each.App)),
        "plan" => Names(async (client, _, end) =>
            (await client.Get("/api/v1/wave-plans", ContractJson.Default.IReadOnlyListWavePlanInfo, end)).Select(each => each.Slug)),
        "calendar" => Names(async (client, _, end) =>
            (await client.Get("/api/v1/calendars", ContractJson.Default.IReadOnlyListCalendarInfo, end)).Select(each => each.Slug)),
        "handling" => Names(async (client, _, end) =>
            (await client.Get("/api/v1/handlings", ContractJson.Default.IReadOnlyListHandlingInfo, end)).Select(each => each.Slug)),
        _ => null,
    };

    private static Func<CompletionContext, IEnumerable<CompletionItem>> Names(Func<Client, string, CancellationToken, Task<IEnumerable<string>>> ask) =>
        context =>
    {
        try
        {
            using var end = new CancellationTokenSource(Patience);
            using var client = Client.Open(context.ParseResult.GetValue(Shared.Service));
            var word = context.WordToComplete.Trim('"', '\'');
            return [.. ask(client, word, end.Token).GetAwaiter().GetResult().Where(name => name.StartsWith(word, StringComparison.OrdinalIgnoreCase)).Distinct()
                .Select(name => new CompletionItem(name))];
        }
        catch (Exception error) when (error is NotReachableException or RefusedException or WrongUseException or OperationCanceledException)
        {
            // Whoever types is told nothing: there are just no names.
            return [];
        }
    };
}
