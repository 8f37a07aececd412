using System.Text.RegularExpressions;

namespace Bandejo.Core.Packages;

/// <summary>Finds what would go wrong with a step that nobody sits in front of: windows, questions, places that only one machine has.</summary>
internal static partial class StepCheck
{
    /// <summary>Words that ask for somebody's password or another session, of which a device has neither.</summary>
    private static readonly Dictionary<string, string> Asking = new(StringComparer.OrdinalIgnoreCase)
    {
        ["sudo"] = "it runs as the system account already; leave 'sudo' out", ["su"] = "it runs as the system account already; leave 'su' out",
        ["pkexec"] = "it asks for a password in a window", ["runas"] = "it asks for a password",
        ["xterm"] = "it opens a window", ["zenity"] = "it opens a window", ["kdialog"] = "it opens a window", ["pause"] = "it waits for a key",
        ["start"] = "it opens a window of its own, and does not wait for its end",
    };

    /// <summary>What every setup understands as "without asking", in one of its spellings.</summary>
    private static readonly string[] Silent = [
        "/s", "/silent", "/verysilent", "/quiet", "/q", "/qn", "/qb", "/passive", "/exenoui", "-q", "-s", "--quiet", "--silent", "--unattended", "-y", "/sp-"];

    /// <summary>Files that are there on every machine of a kind, so that they prove nothing.</summary>
    private static readonly string[] Everywhere = [
        "etc/passwd", "etc/group", "etc/hosts", "etc/hostname", "etc/fstab", "etc/os-release", "usr/bin/env", "bin", "usr", "usr/bin", "usr/lib", "etc", "opt",
        "var", "tmp", "home", "bin/sh", "usr/bin/sh", "bin/bash", "usr/bin/bash"];

    /// <summary>Warnings about a step.</summary>
    /// <param name="where">The place of the step, such as <c>variants[0].install</c>.</param>
    public static IEnumerable<Finding> Step(Step step, string where)
    {
        foreach (var word in step.Run.Where(IsElsewhere))
        {
            yield return Warning($"'{word}' is a place that only this machine may have; put the file into the folder and name it there.", where);
        }

        var program = step.Run.Count == 0 ? "" : step.Run[0][(step.Run[0].LastIndexOfAny(['/', '\\']) + 1)..];
        if (Asking.TryGetValue(Path.GetFileNameWithoutExtension(program), out var why))
        {
            yield return Warning($"'{program}' cannot be answered by anybody: {why}.", where);
        }
        else if (program.Equals("msiexec", StringComparison.OrdinalIgnoreCase) || program.Equals("msiexec.exe", StringComparison.OrdinalIgnoreCase))
        {
            if (!step.Run.Any(word => word.StartsWith("/q", StringComparison.OrdinalIgnoreCase) || word.Equals("/quiet", StringComparison.OrdinalIgnoreCase)))
            {
                yield return Warning("msiexec shows windows unless it is told not to; add /qn.", where);
            }
            else if (!step.Run.Any(word => word.Equals("/norestart", StringComparison.OrdinalIgnoreCase) || word.StartsWith(
                "REBOOT=", StringComparison.OrdinalIgnoreCase)))
            {
                yield return Warning("msiexec may restart the device by itself; add /norestart, and leave restarts to the deployment.", where);
            }
        }
        else if (program.EndsWith(".exe", StringComparison.OrdinalIgnoreCase) && !step.Run.Skip(1).Any(word => Silent.Contains(word.ToLowerInvariant())))
        {
            yield return Warning(
                $"'{program}' has no switch that is known to keep it silent, and may show a window that nobody sees. bandejo package inspect says which it "
                    + $"takes.",
                where);
        }

        if (!IsShell(program))
        {
            foreach (var word in step.Run.Where(word => word is "&&" or "||" or "|" or ";" or "&" or ">" or ">>" or "<" or "2>&1" or ">/dev/null"))
            {
                yield return Warning(
                    $"No shell reads this command: '{word}' is handed to '{program}' as a word. Put the commands into a script of the folder, or write [sh, "
                        + $"-c, '…'] (on Windows [cmd, /c, '…']).",
                    where);
            }

            foreach (var word in step.Run.Where(word => Variable().IsMatch(word)))
            {
                yield return Warning(
                    $"No shell reads this command: '{Variable().Match(word).Value}' is handed to '{program}' as it stands. Use a setting (@{{name}}), or "
                        + $"have a script of the folder look it up.",
                    where);
            }
        }

        if (program is "apt" or "apt-get" && !step.Run.Any(word => word is "-y" or "--yes" or "--assume-yes" or "-qq"))
        {
            yield return Warning($"{program} asks before it installs; add --yes.", where);
        }
    }

    /// <summary>Warnings about a presence check that proves nothing.</summary>
    public static IEnumerable<Finding> Present(PresenceCheck check, string where)
    {
        if (check is { Kind: PresenceKind.File, Expected: null } && Everywhere.Contains(check.Subject.TrimEnd('/')))
        {
            yield return Warning(
                $"'{check.Subject}' is there on every machine, with the software or without; choose a file that only this software brings.", where);
        }
        else if (check.Kind == PresenceKind.Command
            && check.Subject[(check.Subject.LastIndexOf('/') + 1)..] is "true" or "echo" or "uname" or "hostname" or "date")
        {
            yield return Warning($"'{check.Subject}' answers on every machine, with the software or without; ask the software itself.", where);
        }
    }

    private static bool IsShell(string program) =>
        Path.GetFileNameWithoutExtension(program).ToLowerInvariant() is "sh" or "bash" or "dash" or "zsh" or "ksh" or "cmd" or "powershell" or "pwsh" or "env";

    [GeneratedRegex(@"\$\{?[A-Za-z_][A-Za-z0-9_]*\}?|%[A-Za-z_][A-Za-z0-9_()]*%")]
    private static partial Regex Variable();

    private static bool IsElsewhere(string word) =>
        word.StartsWith("/home/", StringComparison.Ordinal) || word.StartsWith("/Users/", StringComparison.Ordinal)
            || word.StartsWith("/mnt/", StringComparison.Ordinal) || word.StartsWith("/media/", StringComparison.Ordinal)
        || word.StartsWith(@"C:\Users\", StringComparison.OrdinalIgnoreCase) || word.StartsWith(@"\\", StringComparison.Ordinal)
            || word.StartsWith("~/", StringComparison.Ordinal)
        || (word.Length > 2 && char.IsAsciiLetterUpper(word[0]) && word[0] != 'C' && word[1] == ':' && word[2] == '\\');

    private static Finding Warning(string message, string where) => new(message, where) { IsWarning = true };
}
