using System.Globalization;

namespace Bandejo.Agent;

/// <summary>Says what processes are in the middle of, for whoever wonders why a step does not end.</summary>
internal static class WaitingProcesses
{
    private const string ForAnother = "waits for a program that it started";

    /// <summary>Whether a process belongs to a step that the agent runs.</summary>
    public static bool IsOfAStep(int pid)
    {
        try
        {
            return File.ReadAllText($"/proc/{pid}/environ").Contains("BANDEJO_RUN=", StringComparison.Ordinal);
        }
        catch (Exception error) when (error is IOException or UnauthorizedAccessException)
        {
            return false;
        }
    }

    /// <summary>A line for each process that is meant, those that wait for another first.</summary>
    public static IReadOnlyList<string> Of(Func<int, bool> isMeant)
    {
        var found = new List<string>();
        foreach (
            var pid in Directory.EnumerateDirectories("/proc").Select(Path.GetFileName).Where(name => name!.All(char.IsAsciiDigit))
                .Select(name => int.Parse(name!, CultureInfo.InvariantCulture)).Order().Where(pid => pid > 1 && pid != Environment.ProcessId && isMeant(pid)))
        {
            try
            {
                var command = File.ReadAllText($"/proc/{pid}/cmdline").TrimEnd('\0').Replace('\0', ' ');
                if (command.Length > 0 && !command.Contains("BANDEJO_RUN/claim", StringComparison.Ordinal)
                    && !command.StartsWith("bwrap ", StringComparison.Ordinal))
                {
                    found.Add($"{(command.Length > 120 ? command[..120] + "…" : command)} {Doing($"/proc/{pid}")}");
                }
            }
            catch (Exception error) when (error is IOException or UnauthorizedAccessException)
            {
                // It ended while we looked.
            }
        }

        // A program that waits for what it started says less than what it started.
        return [.. found.OrderBy(line => line.EndsWith(ForAnother, StringComparison.Ordinal) ? 0 : 1)];
    }

    /// <summary>What a process is in the middle of, from the call to the kernel that it is in (proc(5), <c>wchan</c>).</summary>
    private static string Doing(string folder)
    {
        var place = File.ReadAllText($"{folder}/wchan").Trim();
        return place switch
        {
            _ when place.Contains("nanosleep", StringComparison.Ordinal) => "sleeps",
            "do_wait" or "kernel_waitid" => ForAnother,
            _ when place.Contains("pipe_read", StringComparison.Ordinal) || place.Contains("n_tty_read", StringComparison.Ordinal) =>
                $"waits for input from {Target($"{folder}/fd/0")}",
            "wait_for_partner" or "fifo_open" => "waits for input from a pipe that nobody writes to",
            _ when place.Contains("poll", StringComparison.Ordinal) || place.Contains("select", StringComparison.Ordinal) =>
                "waits for something to answer: a connection, a window, or input",
            _ when place.Contains("connect", StringComparison.Ordinal) || place.Contains("tcp", StringComparison.Ordinal)
                || place.Contains("skb", StringComparison.Ordinal) => "waits for the network",
            _ when place.Contains("futex", StringComparison.Ordinal) => "waits for another part of itself",
            _ when place.Contains("lock", StringComparison.Ordinal) => "waits for a lock on a file",
            "0" or "" => "is at work",
            _ => $"waits in the kernel ({place})",
        };
    }

    private static string Target(string link) => new FileInfo(link).LinkTarget ?? "somewhere";
}
