using System.Diagnostics;
using System.Globalization;
using System.Runtime.InteropServices;
using Bandejo.Device;

namespace Bandejo.Agent;

/// <summary>
/// Runs steps as processes of their own session, so that they outlive the agent and can be ended as a whole. Each run has a folder
/// <c>runs/ATTEMPT/STEP</c>: <c>claim</c> is made by whoever comes first, the step or an agent that takes it up again, <c>pid</c> and <c>exit</c> are
/// written by the step's shell, <c>work</c> holds the payload; <c>runs/ATTEMPT/log</c> is the log.
/// </summary>
/// <param name="isGuarded">Whether what is run may write below the root alone (<see cref="RootGuard"/>).</param>
internal sealed partial class LinuxProcesses(string root, string stateFolder, FolderCache cache, TimeProvider time, bool isGuarded = false) : IMachineProcesses
{
    private const int Terminate = 15;
    private const int Kill = 9;

    /// <summary>How much of what a short command prints is taken, in characters.</summary>
    private const int AnswerLimit = 64 * 1024;

    private const long LogLimit = 64L * 1024 * 1024;

    /// <summary>How much of a log that an installer wrote by itself is kept.</summary>
    private const int LogTail = 256 * 1024;

    // The claim decides between this shell and an agent that was restarted in the same moment. The exit code is moved into place, so that it is never half
    // there.
    private const string Shell = """
        umask 077
        mkdir "$BANDEJO_RUN/claim" 2>/dev/null || exit 125
        echo $$ > "$BANDEJO_RUN/pid"
        exec >> "$BANDEJO_RUN/../log" 2>&1 < /dev/null
        cd "$BANDEJO_RUN/work" || exit 126
        umask 022
        "$@"
        code=$?
        umask 077
        echo $code > "$BANDEJO_RUN/exit.part" && mv "$BANDEJO_RUN/exit.part" "$BANDEJO_RUN/exit"
        exit $code
        """;

    /// <summary>So often programs that must end are ended: others of the same name may start meanwhile.</summary>
    private const int EndTries = 20;

    private static readonly TimeSpan Pace = TimeSpan.FromMilliseconds(100);

    private readonly string _runs = Home.Make(Path.Combine(stateFolder, "runs"));
    private readonly RootFolder _root = new(root);

    public async Task<StepEnd> Run(StepRun run, TimeSpan limit, bool endAtLimit, CancellationToken cancellation)
    {
        var folder = FolderOf(run.Attempt, run.Name);
        if (Directory.Exists(folder))
        {
            Directory.Delete(folder, recursive: true);
        }

        Home.Make(Path.Combine(_runs, run.Attempt));
        Home.Make(folder);
        var work = Home.Make(Path.Combine(folder, "work"));
        foreach (var (path, digest) in run.Files)
        {
            Place(work, path, digest);
        }

        foreach (var (path, text) in run.Answers)
        {
            var target = TargetOf(work, path);
            using var file = new FileStream(
                target,
                new FileStreamOptions { Mode = FileMode.Create, Access = FileAccess.Write, UnixCreateMode = UnixFileMode.UserRead | UnixFileMode.UserWrite });
            file.Write(System.Text.Encoding.UTF8.GetBytes(text));
        }

        // A program that is named with its place stands below the machine's root, as in a presence check.
        var program = run.Command[0].StartsWith('/') && _root.Program(run.Command[0]) is { } below ? below : run.Command[0];
        string[] command = [
            .. run.IsGentle ? (string[])["nice", "-n", "10"] : [], .. isGuarded ? RootGuard.Before(root, Path.Combine(_runs, run.Attempt)) : [], "setsid", "sh",
            "-c", Shell, "step", .. run.As is { } person ? As(person) : [], program, .. run.Command.Skip(1)];
        var start = new ProcessStartInfo(command[0]) { UseShellExecute = false, WorkingDirectory = work };
        foreach (var argument in command.Skip(1))
        {
            start.ArgumentList.Add(argument);
        }

        start.Environment.Clear();
        start.Environment["PATH"] = "/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin";
        start.Environment["LANG"] = "C.UTF-8";
        start.Environment["HOME"] = work;
        start.Environment["BANDEJO_ROOT"] = root;
        start.Environment["BANDEJO_RUN"] = folder;
        foreach (var (name, value) in run.Environment)
        {
            start.Environment[name] = value;
        }

        try
        {
            using var process = Process.Start(start);
        }
        catch (Exception error) when (error is System.ComponentModel.Win32Exception or InvalidOperationException)
        {
            return new StepEnd(null, $"The step could not be started: {error.Message}", false);
        }

        return await Await(run.Attempt, run.Name, limit, endAtLimit, cancellation);
    }

    /// <summary>The words before a command that is to run as a person (setpriv of util-linux, env of coreutils).</summary>
    private static string[] As(MachinePerson person)
    {
        var number = person.Number.ToString(CultureInfo.InvariantCulture);
        return [
            "setpriv", "--reuid", number, "--regid", number, "--clear-groups", "--inh-caps=-all", "env", "-C", person.Home, $"HOME={person.Home}",
            $"USER={person.Name}", $"LOGNAME={person.Name}"];
    }

    public StepTrace Find(string attempt, string name)
    {
        var folder = FolderOf(attempt, name);
        if (!Directory.Exists(folder))
        {
            return StepTrace.NeverStarted;
        }

        if (ExitOf(folder) is not null)
        {
            return StepTrace.Ended;
        }

        // mkdir either makes the folder or says that it is there: exactly one of two wins.
        if (MakeFolder(Path.Combine(folder, "claim"), 0x1C0) == 0)
        {
            return StepTrace.NeverStarted;
        }

        return Leader(folder) is { } pid ? IsOurs(pid, folder) ? StepTrace.Running
            : ExitOf(folder) is not null ? StepTrace.Ended
            : StepTrace.Gone
            : StepTrace.Running;
    }

    public bool HasBegun(string attempt)
    {
        var folder = new DirectoryInfo(Path.Combine(_runs, attempt));
        return folder.Exists && folder.EnumerateDirectories().Any(step => Find(attempt, step.Name) != StepTrace.NeverStarted);
    }

    public async Task<StepEnd> Await(string attempt, string name, TimeSpan limit, bool endAtLimit, CancellationToken cancellation)
    {
        var folder = FolderOf(attempt, name);
        var started = new DateTimeOffset(Directory.GetCreationTimeUtc(folder), TimeSpan.Zero);
        using var timer = new PeriodicTimer(Pace, time);
        var silent = 0;
        do
        {
            if (ExitOf(folder) is { } code)
            {
                return code is 126 or 127 ? new StepEnd(code, $"The step's command could not be run (code {code})", false) : new StepEnd(code, null, false);
            }

            if (Leader(folder) is { } pid)
            {
                if (!IsOurs(pid, folder) && ExitOf(folder) is null)
                {
                    return new StepEnd(null, null, false);
                }

                TrimLog(folder);
                if (time.GetUtcNow() - started > limit)
                {
                    if (endAtLimit)
                    {
                        await EndSession(pid, cancellation);
                    }

                    return new StepEnd(null, null, true);
                }
            }
            else if (++silent > 100)
            {
                return new StepEnd(null, "The step's shell did not start", false);
            }
        }
        while (await timer.WaitForNextTickAsync(cancellation));

        return new StepEnd(null, null, false);
    }

    public async Task<(int Code, string Output)?> Ask(IReadOnlyList<string> command, TimeSpan limit, CancellationToken cancellation)
    {
        // A command named with a path stands below the machine's root; a bare name is looked up in the system's folders.
        var name = command[0].Contains('/') ? _root.Program(command[0]) : command[0];
        if (name is null)
        {
            return null;
        }

        string[] guarded = [.. isGuarded ? RootGuard.Before(root, root) : [], name, .. command.Skip(1)];
        var start = new ProcessStartInfo(guarded[0])
        {
            UseShellExecute = false, RedirectStandardOutput = true, RedirectStandardError = true, RedirectStandardInput = true, WorkingDirectory = root,
        };
        foreach (var argument in guarded.Skip(1))
        {
            start.ArgumentList.Add(argument);
        }

        start.Environment["BANDEJO_ROOT"] = root;
        try
        {
            using var process = Process.Start(start)!;
            using var timeout = new CancellationTokenSource(limit, time);
            using var either = CancellationTokenSource.CreateLinkedTokenSource(timeout.Token, cancellation);
            try
            {
                process.StandardInput.Close();
                var output = Begin(process.StandardOutput, either.Token);
                var errors = Begin(process.StandardError, either.Token);
                await process.WaitForExitAsync(either.Token);
                await errors;
                return (process.ExitCode, await output);
            }
            catch (OperationCanceledException)
            {
                process.Kill(entireProcessTree: true);
                cancellation.ThrowIfCancellationRequested();
                throw new TimeoutException($"'{string.Join(' ', command)}' did not answer in time");
            }
        }
        catch (System.ComponentModel.Win32Exception)
        {
            return null;
        }
    }

    /// <summary>The beginning of what a program prints; the rest is read and let go, so that it is not held up.</summary>
    private static async Task<string> Begin(StreamReader reader, CancellationToken cancellation)
    {
        var begin = new char[AnswerLimit];
        var length = await reader.ReadBlockAsync(begin, cancellation);
        var rest = new char[4096];
        while (await reader.ReadAsync(rest, cancellation) > 0)
        {
            // Nobody asked for more.
        }

        return new string(begin, 0, length);
    }

    public IReadOnlyList<string> InUse(IReadOnlyList<string> names) =>
        names.Count == 0 ? [] : [.. ProcessTable.Running(names, root).Select(found => found.Name).Distinct()];

    public async Task<IReadOnlyList<string>> Close(IReadOnlyList<string> names, TimeSpan patience, bool ends, CancellationToken cancellation)
    {
        var until = time.GetUtcNow() + patience;
        using var timer = new PeriodicTimer(Pace, time);
        foreach (var (_, pid) in ProcessTable.Running(names, root))
        {
            _ = Signal(pid, Terminate);
        }

        while (ProcessTable.Running(names, root).Any() && time.GetUtcNow() < until)
        {
            await timer.WaitForNextTickAsync(cancellation);
        }

        if (ends)
        {
            // They are gone a moment after that.
            for (var tries = 0; tries < EndTries && ProcessTable.Running(names, root).Any(); tries++)
            {
                foreach (var (_, pid) in ProcessTable.Running(names, root))
                {
                    _ = Signal(pid, Kill);
                }

                await timer.WaitForNextTickAsync(cancellation);
            }
        }

        return InUse(names);
    }

    public Stream? OpenLog(string attempt)
    {
        var log = FolderOf(attempt, "log");
        return File.Exists(log) ? new FileStream(log, FileMode.Open, FileAccess.Read, FileShare.ReadWrite | FileShare.Delete) : null;
    }

    public void AddToLog(string attempt, string path)
    {
        if (!Directory.Exists(Path.Combine(_runs, attempt)))
        {
            return;
        }

        using var log = new FileStream(
            Path.Combine(_runs, attempt, "log"),
            new FileStreamOptions { Mode = FileMode.Append, Access = FileAccess.Write, Share = FileShare.ReadWrite, UnixCreateMode = Home.OwnFile });
        try
        {
            using var from = _root.OpenOwn(path);
            if (from is null)
            {
                return;
            }

            from.Position = Math.Max(0, from.Length - LogTail);
            log.Write(System.Text.Encoding.UTF8.GetBytes($"--- /{path}\n"));
            var tail = new byte[LogTail];
            log.Write(tail, 0, from.ReadAtLeast(tail, tail.Length, throwOnEndOfStream: false));
        }
        catch (IOException error)
        {
            // Whoever reads the log is told why it lacks what the installer wrote.
            log.Write(System.Text.Encoding.UTF8.GetBytes($"--- {error.Message}\n"));
        }
    }

    public void Hide(string attempt, IReadOnlyList<string> secrets)
    {
        var log = Path.Combine(_runs, attempt, "log");
        if (secrets.Count == 0 || !File.Exists(log))
        {
            return;
        }

        // One character for each byte, so that whatever else is in the log stays as it is.
        var text = File.ReadAllText(log, System.Text.Encoding.Latin1);
        foreach (var secret in secrets)
        {
            text = text.Replace(System.Text.Encoding.Latin1.GetString(System.Text.Encoding.UTF8.GetBytes(secret)), "***", StringComparison.Ordinal);
        }

        using (var stream = new FileStream(
            log + ".new", new FileStreamOptions { Mode = FileMode.Create, Access = FileAccess.Write, UnixCreateMode = Home.OwnFile }))
        {
            stream.Write(System.Text.Encoding.Latin1.GetBytes(text));
        }

        File.Move(log + ".new", log, overwrite: true);
    }

    public void Forget(string attempt)
    {
        var folder = Path.GetDirectoryName(FolderOf(attempt, "log"))!;
        if (Directory.Exists(folder))
        {
            Directory.Delete(folder, recursive: true);
        }
    }

    /// <summary>Where a file of the package lies in the working folder; the folder for it is made.</summary>
    private static string TargetOf(string work, string path)
    {
        var target = Path.GetFullPath(Path.Combine(work, path));
        if (!target.StartsWith(work + Path.DirectorySeparatorChar, StringComparison.Ordinal))
        {
            throw new PackageException($"The package names the file '{path}', which climbs out of its folder");
        }

        Directory.CreateDirectory(Path.GetDirectoryName(target)!, Home.OwnFolder);
        return target;
    }

    private void Place(string work, string path, string digest)
    {
        var target = TargetOf(work, path);
        File.Copy(cache.PathOf(digest), target);
        File.SetUnixFileMode(target, Home.OwnFolder);
    }

    /// <summary>The folder of a run. Names are the agent's own, and yet nothing that is no name becomes a place on the disk.</summary>
    private string FolderOf(string attempt, string name) =>
        IsName(attempt) && IsName(name) ? Path.Combine(_runs, attempt, name) : throw new InvalidOperationException($"'{attempt}/{name}' names no run.");

    private static bool IsName(string name) => name.Length is > 0 and <= 160 && name.All(sign => char.IsAsciiLetterOrDigit(sign) || sign is '-' or '_' or ' ');

    private static int? ExitOf(string folder)
    {
        var file = Path.Combine(folder, "exit");
        return File.Exists(file) && int.TryParse(File.ReadAllText(file).Trim(), CultureInfo.InvariantCulture, out var code) ? code : null;
    }

    private static int? Leader(string folder)
    {
        var file = Path.Combine(folder, "pid");
        return File.Exists(file) && int.TryParse(File.ReadAllText(file).Trim(), CultureInfo.InvariantCulture, out var pid) ? pid : null;
    }

    /// <summary>
    /// Whether the process is still the step's shell and not another that got its number. A process that has ended and waits for its parent counts as gone.
    /// </summary>
    private static bool IsOurs(int pid, string folder)
    {
        try
        {
            return File.ReadAllText($"/proc/{pid}/environ").Contains($"BANDEJO_RUN={folder}\0", StringComparison.Ordinal);
        }
        catch (Exception error) when (error is IOException or UnauthorizedAccessException)
        {
            return false;
        }
    }

    /// <summary>Ends a session: politely first, then for good, and sees that nothing of it is left.</summary>
    private async Task EndSession(int session, CancellationToken cancellation)
    {
        using var timer = new PeriodicTimer(Pace, time);
        SignalSession(session, Terminate);
        for (var i = 0; i < 20 && Session(session).Count > 0; i++)
        {
            await timer.WaitForNextTickAsync(cancellation);
        }

        while (Session(session).Count > 0)
        {
            SignalSession(session, Kill);
            await timer.WaitForNextTickAsync(cancellation);
        }
    }

    private static void SignalSession(int session, int signal)
    {
        foreach (var pid in Session(session))
        {
            _ = Signal(pid, signal);
        }
    }

    /// <summary>The living processes of a session (proc(5): field 6 of <c>stat</c>; field 3 is Z for one that only waits for its parent).</summary>
    private static List<int> Session(int session)
    {
        var found = new List<int>();
        foreach (var (pid, _) in ProcessTable.All())
        {
            try
            {
                var stat = File.ReadAllText($"/proc/{pid}/stat");
                var fields = stat[(stat.LastIndexOf(')') + 2)..].Split(' ');
                if (fields[3] == session.ToString(CultureInfo.InvariantCulture) && fields[0] is not ("Z" or "X"))
                {
                    found.Add(pid);
                }
            }
            catch (IOException)
            {
                // It ended while we looked.
            }
        }

        return found;
    }

    /// <summary>A step that writes without end must not fill the disk: past the limit its log begins anew.</summary>
    private static void TrimLog(string folder)
    {
        var log = new FileInfo(Path.Combine(folder, "..", "log"));
        if (log.Exists && log.Length > LogLimit)
        {
            using var stream = new FileStream(log.FullName, FileMode.Open, FileAccess.Write, FileShare.ReadWrite);
            stream.SetLength(0);
        }
    }

    [LibraryImport("libc", EntryPoint = "kill", SetLastError = true)]
    private static partial int Signal(int pid, int signal);

    [LibraryImport("libc", EntryPoint = "mkdir", SetLastError = true, StringMarshalling = StringMarshalling.Utf8)]
    private static partial int MakeFolder(string path, uint mode);
}
