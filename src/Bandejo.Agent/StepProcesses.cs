using System.Diagnostics;
using System.Globalization;
using System.Text;
using Bandejo.Device;

namespace Bandejo.Agent;

/// <summary>
/// Steps as processes that outlive the agent and are found again by the one that comes after it. Each run has a folder <c>runs/ATTEMPT/STEP</c>:
/// <c>claim</c> is made by whoever comes first, the step or an agent that takes it up again; <c>pid</c> and <c>exit</c> are written by what runs the step,
/// <c>work</c> holds the payload; <c>runs/ATTEMPT/log</c> is the log. How a process is started, found and ended is the operating system's part.
/// </summary>
internal abstract class StepProcesses(string stateFolder, FolderCache cache, TimeProvider time) : IMachineProcesses
{
    /// <summary>How much of what a short command prints is taken, in characters.</summary>
    private const int AnswerLimit = 64 * 1024;

    private const long LogLimit = 64L * 1024 * 1024;

    /// <summary>How much of a log that an installer wrote by itself is kept, in bytes.</summary>
    private const int LogTail = 256 * 1024;

    /// <summary>So often programs that must end are ended: others of the same name may start meanwhile.</summary>
    private const int EndTries = 20;

    protected static readonly TimeSpan Pace = TimeSpan.FromMilliseconds(100);

    private readonly string _runs = Home.Make(Path.Combine(stateFolder, "runs"));

    protected TimeProvider Time => time;

    public async Task<StepEnd> Run(StepRun run, TimeSpan limit, bool endAtLimit, CancellationToken cancellation)
    {
        var folder = FolderOf(run.Attempt, run.Name);
        if (Directory.Exists(folder))
        {
            Directory.Delete(folder, recursive: true);
        }

        Home.Make(AttemptFolder(run.Attempt));
        Home.Make(folder);
        var work = Home.Make(Path.Combine(folder, "work"));
        foreach (var (path, digest) in run.Files)
        {
            var target = TargetOf(work, path);
            File.Copy(cache.PathOf(digest), target);
            if (!OperatingSystem.IsWindows())
            {
                File.SetUnixFileMode(target, Home.OwnFolder);
            }
        }

        foreach (var (path, text) in run.Answers)
        {
            using var file = Home.Open(TargetOf(work, path), FileMode.Create);
            file.Write(Encoding.UTF8.GetBytes(text));
        }

        try
        {
            Start(run, folder, work);
        }
        catch (Exception error) when (error is System.ComponentModel.Win32Exception or InvalidOperationException)
        {
            return new StepEnd(null, $"The step could not be started: {error.Message}", false);
        }

        return await Await(run.Attempt, run.Name, limit, endAtLimit, cancellation);
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

        if (Claims(folder))
        {
            return StepTrace.NeverStarted;
        }

        return Leader(folder) is { } pid && !IsAlive(pid, folder)
            ? ExitOf(folder) is not null ? StepTrace.Ended : StepTrace.Gone
            : StepTrace.Running;
    }

    public bool HasBegun(string attempt)
    {
        var folder = new DirectoryInfo(AttemptFolder(attempt));
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
                return CouldNotRun(code) is { } why ? new StepEnd(code, why, false) : new StepEnd(code, null, false);
            }

            if (Leader(folder) is { } pid)
            {
                if (!IsAlive(pid, folder) && ExitOf(folder) is null)
                {
                    return new StepEnd(null, null, false);
                }

                TrimLog(folder);
                if (time.GetUtcNow() - started > limit)
                {
                    if (endAtLimit)
                    {
                        await End(pid, folder, cancellation);
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

    public abstract Task<(int Code, string Output)?> Ask(IReadOnlyList<string> command, TimeSpan limit, CancellationToken cancellation);

    public IReadOnlyList<string> InUse(IReadOnlyList<string> names) => names.Count == 0 ? [] : [.. Running(names).Select(found => found.Name).Distinct()];

    public async Task<IReadOnlyList<string>> Close(IReadOnlyList<string> names, TimeSpan patience, bool ends, CancellationToken cancellation)
    {
        var until = time.GetUtcNow() + patience;
        using var timer = new PeriodicTimer(Pace, time);
        foreach (var (_, pid) in Running(names))
        {
            AskToClose(pid);
        }

        while (Running(names).Any() && time.GetUtcNow() < until)
        {
            await timer.WaitForNextTickAsync(cancellation);
        }

        if (ends)
        {
            // They are gone a moment after that.
            for (var tries = 0; tries < EndTries && Running(names).Any(); tries++)
            {
                foreach (var (_, pid) in Running(names))
                {
                    Kill(pid);
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
        if (!Directory.Exists(AttemptFolder(attempt)))
        {
            return;
        }

        using var log = Home.Open(FolderOf(attempt, "log"), FileMode.Append, share: FileShare.ReadWrite);
        try
        {
            using var from = OpenOwn(path);
            if (from is null)
            {
                return;
            }

            var isWide = from.Length >= 2 && from.ReadByte() == 0xFF && from.ReadByte() == 0xFE;
            from.Position = Math.Max(0, from.Length - LogTail) & ~1L;
            log.Write(Encoding.UTF8.GetBytes($"--- {PlaceOf(path)}\n"));
            var tail = new byte[LogTail];
            var length = from.ReadAtLeast(tail, tail.Length, throwOnEndOfStream: false);

            // The Windows Installer writes two bytes for a character and says so at the beginning; the log of an attempt has UTF-8.
            log.Write(isWide ? Encoding.UTF8.GetBytes(Encoding.Unicode.GetString(tail, 0, length).TrimStart('\uFEFF')) : tail.AsSpan(0, length));
        }
        catch (IOException error)
        {
            // Whoever reads the log is told why it lacks what the installer wrote.
            log.Write(Encoding.UTF8.GetBytes($"--- {error.Message}\n"));
        }
    }

    public void Hide(string attempt, IReadOnlyList<string> secrets)
    {
        var log = FolderOf(attempt, "log");
        if (secrets.Count == 0 || !File.Exists(log))
        {
            return;
        }

        // One character for each byte, so that whatever else is in the log stays as it is.
        var text = File.ReadAllText(log, Encoding.Latin1);
        foreach (var secret in secrets)
        {
            text = text.Replace(Encoding.Latin1.GetString(Encoding.UTF8.GetBytes(secret)), "***", StringComparison.Ordinal);
        }

        using (var stream = Home.Open(log + ".new", FileMode.Create))
        {
            stream.Write(Encoding.Latin1.GetBytes(text));
        }

        File.Move(log + ".new", log, overwrite: true);
    }

    public void Forget(string attempt)
    {
        var folder = AttemptFolder(attempt);
        if (Directory.Exists(folder))
        {
            Directory.Delete(folder, recursive: true);
        }
    }

    /// <summary>Starts what runs a step. It claims the run first, and runs nothing where somebody else has.</summary>
    /// <exception cref="System.ComponentModel.Win32Exception">It cannot be started.</exception>
    protected abstract void Start(StepRun run, string folder, string work);

    /// <summary>Makes the claim of a run. Exactly one of all who try at once is told that it has it.</summary>
    protected abstract bool Claims(string folder);

    /// <summary>Whether what runs a step is still there, and no other process that got its number.</summary>
    protected abstract bool IsAlive(int pid, string folder);

    /// <summary>Ends a step with all that it started, and sees that nothing of it is left.</summary>
    protected abstract Task End(int pid, string folder, CancellationToken cancellation);

    /// <summary>Why an exit code means that the command of a step could not be run at all; null where it says nothing of the kind.</summary>
    protected abstract string? CouldNotRun(int code);

    /// <summary>The processes of programs with some names.</summary>
    protected abstract IEnumerable<(string Name, int Pid)> Running(IReadOnlyList<string> names);

    /// <summary>Asks a program to close, as the system does when somebody signs out.</summary>
    protected abstract void AskToClose(int pid);

    /// <summary>Ends a process at once.</summary>
    protected abstract void Kill(int pid);

    /// <summary>Opens a file of the machine that nobody but an administrator can have put there; null where there is none.</summary>
    /// <exception cref="IOException">It may be somebody else's, or cannot be read.</exception>
    protected abstract Stream? OpenOwn(string path);

    /// <summary>How people name a place on the machine.</summary>
    protected abstract string PlaceOf(string path);

    /// <summary>The folder of an attempt.</summary>
    protected string AttemptFolder(string attempt) => Path.GetDirectoryName(FolderOf(attempt, "log"))!;

    /// <summary>Runs a short command and returns its answer; null where it cannot be started.</summary>
    /// <exception cref="TimeoutException">It did not end in time, and was ended.</exception>
    protected async Task<(int Code, string Output)?> Answer(ProcessStartInfo start, string what, TimeSpan limit, CancellationToken cancellation)
    {
        (start.UseShellExecute, start.CreateNoWindow) = (false, true);
        (start.RedirectStandardOutput, start.RedirectStandardError, start.RedirectStandardInput) = (true, true, true);
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
                throw new TimeoutException($"'{what}' did not answer in time");
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

    /// <summary>Where a file of the package lies in the working folder; the folder for it is made.</summary>
    private static string TargetOf(string work, string path)
    {
        var target = Path.GetFullPath(Path.Combine(work, path));
        if (!target.StartsWith(work + Path.DirectorySeparatorChar, StringComparison.Ordinal))
        {
            throw new PackageException($"The package names the file '{path}', which climbs out of its folder");
        }

        Home.MakeBelow(Path.GetDirectoryName(target)!);
        return target;
    }

    /// <summary>The folder of a run. Names are the agent's own, and yet nothing that is no name becomes a place on the disk.</summary>
    private string FolderOf(string attempt, string name) =>
        IsName(attempt) && IsName(name) ? Path.Combine(_runs, attempt, name) : throw new InvalidOperationException($"'{attempt}/{name}' names no run.");

    private static bool IsName(string name) => name.Length is > 0 and <= 160 && name.All(sign => char.IsAsciiLetterOrDigit(sign) || sign is '-' or '_' or ' ');

    private static int? ExitOf(string folder) => Number(Path.Combine(folder, "exit"));

    private static int? Leader(string folder) => Number(Path.Combine(folder, "pid"));

    private static int? Number(string file)
    {
        try
        {
            return File.Exists(file) && int.TryParse(File.ReadAllText(file).Trim(), CultureInfo.InvariantCulture, out var number) ? number : null;
        }
        catch (IOException)
        {
            // It is being written.
            return null;
        }
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
}
