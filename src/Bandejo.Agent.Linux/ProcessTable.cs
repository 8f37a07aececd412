using System.Globalization;

namespace Bandejo.Agent;

/// <summary>What runs on a Linux machine (proc(5)).</summary>
internal static class ProcessTable
{
    /// <summary>Running programs by the name of their file or script. With a root of its own, only programs below it count.</summary>
    /// <param name="root">The machine's root.</param>
    public static IEnumerable<(string Name, int Pid)> Running(IReadOnlyList<string> names, string root)
    {
        foreach (var (pid, arguments) in All())
        {
            // By what it was started as, or a script's name behind its interpreter; and by its executable, whatever title it has given itself.
            var program = arguments.Take(2).Append(Executable(pid)).OfType<string>()
                .FirstOrDefault(argument => names.Contains(Path.GetFileName(argument)) && (root == "/" || argument.StartsWith(root, StringComparison.Ordinal)));
            if (program is not null && pid != Environment.ProcessId)
            {
                yield return (Path.GetFileName(program), pid);
            }
        }
    }

    /// <summary>The file that a process runs (proc(5), <c>exe</c>), also where another was put in its place meanwhile; null where it cannot be told.</summary>
    private static string? Executable(int pid)
    {
        const string Replaced = " (deleted)";
        try
        {
            var target = new FileInfo($"/proc/{pid}/exe").LinkTarget;
            return target is not null && target.EndsWith(Replaced, StringComparison.Ordinal) ? target[..^Replaced.Length] : target;
        }
        catch (Exception error) when (error is IOException or UnauthorizedAccessException)
        {
            return null;
        }
    }

    /// <summary>All that run, with what each was started as; those that end meanwhile are left out.</summary>
    public static IEnumerable<(int Pid, string[] Arguments)> All()
    {
        foreach (var folder in Directory.EnumerateDirectories("/proc"))
        {
            if (!int.TryParse(Path.GetFileName(folder), NumberStyles.None, CultureInfo.InvariantCulture, out var pid))
            {
                continue;
            }

            string[] arguments;
            try
            {
                arguments = File.ReadAllText(Path.Combine(folder, "cmdline")).Split('\0', StringSplitOptions.RemoveEmptyEntries);
            }
            catch (Exception error) when (error is IOException or UnauthorizedAccessException)
            {
                continue;
            }

            yield return (pid, arguments);
        }
    }
}
