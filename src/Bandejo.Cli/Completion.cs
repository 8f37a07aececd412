using System.CommandLine;

namespace Bandejo.Cli;

/// <summary>Shell completion.</summary>
internal static class Completion
{
    private const string Bash = """
        _bandejo() {
            local IFS=$'\n'
            COMPREPLY=( $(compgen -W "$(bandejo "[suggest:${COMP_POINT}]" "${COMP_LINE}" 2>/dev/null)" -- "${COMP_WORDS[COMP_CWORD]}") )
        }
        complete -F _bandejo bandejo
        """;

    private const string Zsh = """
        _bandejo() {
            local completions=("${(@f)$(bandejo "[suggest:${CURSOR}]" "${BUFFER}" 2>/dev/null)}")
            compadd -a completions
        }
        compdef _bandejo bandejo
        """;

    public static Command All()
    {
        var shell = new Argument<string>("shell") { Description = "bash or zsh" };
        shell.AcceptOnlyFromAmong("bash", "zsh");
        var command = new Command("completion", "Prints the completion script for a shell\n\nExample:\n  source <(bandejo completion bash)") { shell };
        command.SetAction(parsed => Console.WriteLine(parsed.GetValue(shell) == "bash" ? Bash : Zsh));
        return command;
    }
}
