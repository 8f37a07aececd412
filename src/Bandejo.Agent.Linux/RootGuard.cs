using System.Diagnostics;

namespace Bandejo.Agent;

/// <summary>
/// Keeps what a step or a presence check writes within the folder that is the machine, where that is not the whole of this machine: a step that forgets
/// its root then fails instead of changing the machine that the agent runs on. Made with bwrap; processes and network stay those of this machine.
/// </summary>
internal static class RootGuard
{
    /// <summary>What the system account of a device may do in its folder, less what could undo the guard.</summary>
    private static readonly string[] Rights = [
        "CAP_CHOWN", "CAP_DAC_OVERRIDE", "CAP_FOWNER", "CAP_FSETID", "CAP_KILL", "CAP_SETGID", "CAP_SETUID", "CAP_SYS_CHROOT"];

    /// <summary>Whether this machine can guard one of its folders.</summary>
    /// <returns>Null where it can; else why it cannot, as a whole sentence.</returns>
    public static string? WhyNot(string root)
    {
        if (!CleanRoot.IsThere("bwrap"))
        {
            return "bwrap is missing; it comes with the package 'bubblewrap' of Debian and its kin.";
        }

        using var process = Process.Start(
            new ProcessStartInfo("bwrap", [.. Before(root, root).Skip(1), "true"]) { UseShellExecute = false, RedirectStandardError = true })!;
        var errors = process.StandardError.ReadToEnd();
        process.WaitForExit();
        return process.ExitCode == 0 ? null : $"bwrap says: {errors.Trim()}";
    }

    /// <summary>The words before a command that may write below two folders and nowhere else.</summary>
    /// <param name="root">The folder that is the machine.</param>
    /// <param name="run">The folder of the run.</param>
    public static IReadOnlyList<string> Before(string root, string run)
    {
        // Nothing listens in /run then: a step that calls the service manager or another service of this machine does not reach it.
        List<string> words = ["bwrap", "--ro-bind", "/", "/", "--dev-bind", "/dev", "/dev", "--tmpfs", "/tmp", "--tmpfs", "/run"];
        words.AddRange(Directory.Exists("/run/systemd/resolve") ? ["--ro-bind", "/run/systemd/resolve", "/run/systemd/resolve"] : []);
        words.AddRange(["--bind", root, root, "--bind", run, run]);
        foreach (var right in Environment.IsPrivilegedProcess ? Rights : [])
        {
            words.AddRange(["--cap-add", right]);
        }

        return words;
    }
}
