using System.ComponentModel;
using System.Diagnostics;

namespace Bandejo.Cli;

/// <summary>Systems that a sandbox can be laid upon instead of this machine's own.</summary>
internal static class SystemRoots
{
    private const string Tool = "debootstrap";

    /// <summary>The folder with a system: one that is named, or a release of the system's own kind that is made with debootstrap(8) once, and kept.</summary>
    /// <exception cref="WrongUseException">It is neither, or cannot be made.</exception>
    public static async Task<string> Find(string named, CancellationToken cancellation)
    {
        if (Directory.Exists(named))
        {
            return Path.GetFullPath(named);
        }

        if (!named.All(sign => char.IsAsciiLetterLower(sign) || char.IsAsciiDigit(sign) || sign is '-' or '.') || named.StartsWith('.')
            || named.Length is 0 or > 40)
        {
            throw new WrongUseException($"There is no folder '{named}', and it is no name of a release such as trixie.");
        }

        var cache = Environment.GetEnvironmentVariable("XDG_CACHE_HOME") is { Length: > 0 } set
            ? set
            : Path.Combine(Environment.GetFolderPath(Environment.SpecialFolder.UserProfile), ".cache");
        var kept = Path.Combine(cache, "bandejo/systems", named);
        if (Directory.Exists(kept))
        {
            return kept;
        }

        var making = $"{kept}.{Environment.ProcessId}";
        Directory.CreateDirectory(Path.GetDirectoryName(kept)!);
        try
        {
            Console.Error.WriteLine($"Making the system '{named}' in {kept}; this is done once, and takes minutes.");
            using var process = Process.Start(
                new ProcessStartInfo(Tool, ["--variant=minbase", named, making]) { RedirectStandardOutput = true, RedirectStandardError = true })!;
            var (output, errors) = (process.StandardOutput.ReadToEndAsync(cancellation), process.StandardError.ReadToEndAsync(cancellation));
            try
            {
                await process.WaitForExitAsync(cancellation);
            }
            catch (OperationCanceledException)
            {
                process.Kill(entireProcessTree: true);
                throw;
            }

            if (process.ExitCode != 0)
            {
                var said = $"{await output}\n{await errors}".Split('\n', StringSplitOptions.RemoveEmptyEntries)
                    .LastOrDefault(line => line.StartsWith("E:", StringComparison.Ordinal))
                    ?? (await errors).Trim();
                throw new WrongUseException($"{Tool} could not make the system '{named}': {Harmless.Text(said)}");
            }

            Directory.Move(making, kept);
            return kept;
        }
        catch (Win32Exception)
        {
            throw new WrongUseException(
                $"There is no folder '{named}'. To make the release of that name, {Tool} is needed, which is missing on this machine; it comes with the "
                    + $"package '{Tool}' of Debian and its kin.");
        }
        finally
        {
            if (Directory.Exists(making))
            {
                Directory.Delete(making, recursive: true);
            }
        }
    }
}
