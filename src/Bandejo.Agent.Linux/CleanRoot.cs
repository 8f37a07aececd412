using System.Diagnostics;
using System.Runtime.InteropServices;

namespace Bandejo.Agent;

/// <summary>What is run on a clean root.</summary>
/// <param name="Command">The words behind the agent's own program.</param>
/// <param name="Plan">The text that the inside finds as <c>plan.json</c>.</param>
/// <param name="Readable">Folders of this machine that it may read, with their places inside.</param>
/// <param name="Writable">Folders of this machine that it may write to, with their places inside.</param>
/// <param name="HasTerminal">Whether it has the terminal of whoever called; else it has none, and nothing to read from.</param>
/// <param name="Root">The folder whose system folders lie beneath, without a slash at its end; empty for this machine's own.</param>
internal sealed record CleanRootUse(
    IReadOnlyList<string> Command, string Plan, IReadOnlyDictionary<string, string> Readable, IReadOnlyDictionary<string, string> Writable, bool HasNetwork,
    bool HasTerminal, string Root = "");

/// <summary>
/// A clean root of this machine: its system folders lie beneath a layer that takes all changes (overlayfs), its homes and optional folders are empty, and it
/// has neither display nor user. Made with unshare and bwrap; all of it goes at the end.
/// </summary>
internal static class CleanRoot
{
    /// <summary>Where the inside finds what it needs.</summary>
    public const string Inside = "/run/trial";

    /// <summary>The folders that a layer takes the changes of; the layers lie in <c>changes</c> of <see cref="Inside"/>.</summary>
    public static readonly IReadOnlyList<string> Layered = ["usr", "etc", "var"];

    /// <summary>Where the inside finds what lies beneath the layers.</summary>
    public const string Beneath = $"{Inside}/beneath";

    /// <summary>The folders that are empty.</summary>
    public static readonly IReadOnlyList<string> Empty = ["opt", "srv", "home", "root", "tmp", "mnt", "media"];

    private const int NoLayers = 97;

    private static readonly long KilledAtStart = KilledForMemory();

    /// <summary>What the system account of a device may do, less what reaches out of the sandbox.</summary>
    private static readonly string[] Rights = [
        "CAP_CHOWN", "CAP_DAC_OVERRIDE", "CAP_FOWNER", "CAP_FSETID", "CAP_KILL", "CAP_SETGID", "CAP_SETUID", "CAP_SETPCAP", "CAP_SETFCAP", "CAP_SYS_CHROOT"];

    /// <summary>Runs the agent's own program on a new clean root.</summary>
    /// <returns>Its exit code, and what it said on standard error where it has no terminal.</returns>
    /// <exception cref="InvalidDataException">This machine cannot make one; says what is missing.</exception>
    public static async Task<(int Code, string Errors)> Run(CleanRootUse use, CancellationToken cancellation)
    {
        foreach (var (tool, package) in new[] { ("bwrap", "bubblewrap"), ("unshare", "util-linux"), ("mount", "mount") })
        {
            if (!IsThere(tool))
            {
                throw new InvalidDataException(
                    $"A clean sandbox needs {tool}, which is missing on this machine; it comes with the package '{package}' of Debian and its kin.");
            }
        }

        var work = Directory.CreateTempSubdirectory("bandejo-trial-").FullName;
        try
        {
            if (Layered.Any(folder => work.StartsWith($"/{folder}/", StringComparison.Ordinal)))
            {
                throw new InvalidDataException(
                    $"The sandbox cannot be made in {work}, which is beneath what it lays layers over; set TMPDIR to a folder below /tmp.");
            }

            if (Layered.FirstOrDefault(folder => !Directory.Exists($"{use.Root}/{folder}")) is { } missing)
            {
                throw new InvalidDataException(
                    $"{(use.Root.Length == 0 ? "This machine" : use.Root)} has no folder '{missing}', so it is not the root of a system.");
            }

            // They part or end the options of a mount (mount(8), overlayfs), or the words of the shell that asks for it.
            if (use.Root.IndexOfAny(['\'', ',', ':', '\\', '\n']) >= 0)
            {
                throw new InvalidDataException(
                    $"No layer can be laid over {use.Root}: its name has a quote, comma, colon, backslash or line break. Give the folder another name, or "
                        + $"name a link to it.");
            }

            await Prepare(work, use, cancellation);
            var (code, errors) = await Start(work, use, cancellation);
            return code != NoLayers
                ? (code, errors)
                : throw new InvalidDataException(
                    $"This machine cannot lay a layer over its system folders ({errors}). It needs overlayfs, and a kernel that lets this account use it.");
        }
        finally
        {
            Delete(work);
        }
    }

    /// <summary>What ended a program, from its exit code, to go on with a sentence. Above 128 it is the signal that ended it (sh(1)).</summary>
    public static string HowItEnded(int code) => (code - 128) switch
    {
        9 => HasRunOutOfMemory() ? "the kernel ended it because the memory ran out" : "something on this machine ended it (signal 9, KILL)",
        11 => "it crashed (signal 11, SEGV)",
        15 => "something on this machine asked it to end (signal 15, TERM)",
        > 0 and < 65 and var signal => $"signal {signal} ended it",
        _ => $"it ended with code {code}",
    };

    /// <summary>Whether the kernel has ended something for want of memory since this program started (proc(5), <c>oom_kill</c> in vmstat).</summary>
    private static bool HasRunOutOfMemory() => KilledForMemory() > KilledAtStart;

    private static long KilledForMemory() =>
        File.ReadLines("/proc/vmstat").FirstOrDefault(line => line.StartsWith("oom_kill ", StringComparison.Ordinal)) is { } line
            && long.TryParse(line["oom_kill ".Length..], out var count)
            ? count
            : 0;

    private static async Task Prepare(string work, CleanRootUse use, CancellationToken cancellation)
    {
        foreach (var folder in (string[])[.. Layered, .. Empty, "dev", "proc", "run"])
        {
            Directory.CreateDirectory(Path.Combine(work, "root", folder));
        }

        foreach (var folder in Layered)
        {
            Directory.CreateDirectory(Path.Combine(work, "changes", folder));
            Directory.CreateDirectory(Path.Combine(work, "work", folder));
        }

        foreach (var link in new DirectoryInfo($"{use.Root}/").EnumerateDirectories("*").Where(
            each => each.LinkTarget is not null && each.Name is "bin" or "sbin" or "lib" or "lib32" or "lib64" or "libx32"))
        {
            Directory.CreateSymbolicLink(Path.Combine(work, "root", link.Name), link.LinkTarget!);
        }

        File.SetUnixFileMode(Path.Combine(work, "root/tmp"), (UnixFileMode)0x3FF);
        Directory.CreateDirectory(Path.Combine(work, "state"));
        await File.WriteAllTextAsync(Path.Combine(work, "plan.json"), use.Plan, cancellation);
    }

    private static async Task<(int Code, string Errors)> Start(string work, CleanRootUse use, CancellationToken cancellation)
    {
        var isRoot = Geteuid() == 0;
        var mounts = string.Join("\n", Layered.Select(
            folder =>
                $"mount -t overlay overlay -o 'lowerdir={use.Root}/{folder},upperdir={work}/changes/{folder},workdir={work}/work/{folder}"
                    + $"{(isRoot ? "" : ",userxattr")}' {work}/root/{folder} || exit {NoLayers}"));
        var start = new ProcessStartInfo("unshare")
        {
            UseShellExecute = false, RedirectStandardInput = !use.HasTerminal, RedirectStandardError = !use.HasTerminal,
        };
        foreach (var word in (string[])[
            "--mount", .. isRoot ? [] : MayBeOthers() ? new[] { "--map-root-user", "--map-auto" } : ["--map-root-user"], "sh", "-c", mounts + "\nexec \"$@\"",
            "sh", .. Sandbox(work, use)])
        {
            start.ArgumentList.Add(word);
        }

        // Not disposed: the thread waits for it as long as it lives.
        var isOver = new ManualResetEventSlim();
        using var process = StartFromItsOwnThread(start, isOver);
        var errors = Task.FromResult("");
        if (!use.HasTerminal)
        {
            process.StandardInput.Close();
            errors = process.StandardError.ReadToEndAsync(CancellationToken.None);
        }

        try
        {
            await process.WaitForExitAsync(cancellation);
        }
        catch (OperationCanceledException)
        {
            process.Kill(entireProcessTree: true);
            throw;
        }
        finally
        {
            isOver.Set();
        }

        return (process.ExitCode, (await errors).Trim());
    }

    /// <summary>
    /// Starts a process from a thread that stays until it is over. What is to die with its parent dies with the thread that started it (prctl(2),
    /// PR_SET_PDEATHSIG), and a thread of the pool goes when it has had nothing to do for some seconds.
    /// </summary>
    private static Process StartFromItsOwnThread(ProcessStartInfo start, ManualResetEventSlim isOver)
    {
        var started = new TaskCompletionSource<Process>(TaskCreationOptions.RunContinuationsAsynchronously);
        new Thread(() =>
        {
            try
            {
                started.SetResult(Process.Start(start)!);
            }
            catch (Exception error) when (error is System.ComponentModel.Win32Exception or InvalidOperationException)
            {
                started.SetException(error);
                return;
            }

            isOver.Wait();
        })
        { IsBackground = true, Name = "sandbox" }.Start();
        return started.Task.GetAwaiter().GetResult();
    }

    private static List<string> Sandbox(string work, CleanRootUse use)
    {
        List<string> words = [
            "bwrap", "--bind", $"{work}/root", "/", "--dev", "/dev", "--proc", "/proc", "--tmpfs", "/run", "--bind", $"{work}/state", Inside, "--ro-bind",
            $"{work}/plan.json", $"{Inside}/plan.json", "--ro-bind", AppContext.BaseDirectory, $"{Inside}/agent"];
        foreach (var folder in Layered)
        {
            words.AddRange(["--ro-bind", $"{work}/changes/{folder}", $"{Inside}/changes/{folder}", "--ro-bind", $"{use.Root}/{folder}", $"{Beneath}/{folder}"]);
        }

        foreach (var (from, to) in use.Readable)
        {
            words.AddRange(["--ro-bind", from, to]);
        }

        foreach (var (from, to) in use.Writable)
        {
            words.AddRange(["--bind", from, to]);
        }

        foreach (var right in Rights)
        {
            words.AddRange(["--cap-add", right]);
        }

        words.AddRange([
            "--unshare-ipc", "--unshare-pid", "--unshare-uts", "--hostname", "trial", "--die-with-parent", "--clearenv", "--setenv", "PATH",
            "/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin", "--setenv", "LANG", "C.UTF-8", "--setenv", "HOME", "/root", "--chdir", "/"]);
        if (use.Root.Length > 0 && RuntimeFolder() is { } runtime)
        {
            words.AddRange(["--ro-bind", runtime, $"{Inside}/dotnet", "--setenv", "DOTNET_ROOT", $"{Inside}/dotnet"]);
        }

        words.AddRange(use.HasTerminal ? ["--setenv", "TERM", Environment.GetEnvironmentVariable("TERM") ?? "dumb"] : ["--new-session"]);
        words.AddRange(use.HasNetwork ? [] : ["--unshare-net"]);
        words.AddRange([$"{Inside}/agent/{Path.GetFileName(Environment.ProcessPath)}", .. use.Command, $"{Inside}/plan.json", "--inside"]);
        return words;
    }

    /// <summary>The runtime that this program needs, which another root need not have; null where it is compiled ahead of time and needs none.</summary>
    private static string? RuntimeFolder() =>
        File.Exists(Path.Combine(AppContext.BaseDirectory, "bandejo-agent.dll"))
            ? Path.GetFullPath(Path.Combine(RuntimeEnvironment.GetRuntimeDirectory(), "../../.."))
            : null;

    /// <summary>Whether this account was given numbers of others, to be used in its sandbox (subuid(5)), and has the tool that does (newuidmap(1)).</summary>
    private static bool MayBeOthers() =>
        IsThere("newuidmap") && File.Exists("/etc/subuid")
            && File.ReadLines("/etc/subuid").Any(line => line.StartsWith($"{Environment.UserName}:", StringComparison.Ordinal));

    /// <summary>Whether a program is where the system keeps its programs.</summary>
    public static bool IsThere(string tool) =>
        (Environment.GetEnvironmentVariable("PATH") ?? "").Split(':').Append("/usr/sbin").Append("/usr/bin")
            .Any(folder => folder.Length > 0 && File.Exists(Path.Combine(folder, tool)));

    /// <summary>The kernel leaves a folder without rights in the layers' own; it is given some, and goes.</summary>
    private static void Delete(string work)
    {
        foreach (var folder in Layered.Select(each => Path.Combine(work, "work", each, "work")).Where(Directory.Exists))
        {
            File.SetUnixFileMode(folder, UnixFileMode.UserRead | UnixFileMode.UserWrite | UnixFileMode.UserExecute);
        }

        Directory.Delete(work, recursive: true);
    }

    [DllImport("libc", EntryPoint = "geteuid")]
    private static extern uint Geteuid();
}
