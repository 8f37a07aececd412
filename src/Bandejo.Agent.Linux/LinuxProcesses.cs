using System.Diagnostics;
using System.Globalization;
using System.Runtime.InteropServices;
using Bandejo.Device;

namespace Bandejo.Agent;

/// <summary>Runs each step by a shell in a session of its own, so that it can be ended as a whole.</summary>
/// <param name="isGuarded">Whether what is run may write below the root alone (<see cref="RootGuard"/>).</param>
internal sealed partial class LinuxProcesses(string root, string stateFolder, FolderCache cache, TimeProvider time, bool isGuarded = false)
    : StepProcesses(stateFolder, cache, time)
{
    private const int Terminate = 15;
    private const int KillAtOnce = 9;

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

    private readonly RootFolder _root = new(root);

    protected override void Start(StepRun run, string folder, string work)
    {
        // A program that is named with its place stands below the machine's root, as in a presence check.
        var program = run.Command[0].StartsWith('/') && _root.Program(run.Command[0]) is { } below ? below : run.Command[0];
        string[] command = [
            .. run.IsGentle ? (string[])["nice", "-n", "10"] : [], .. isGuarded ? RootGuard.Before(root, AttemptFolder(run.Attempt)) : [], "setsid", "sh",
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

        using var process = Process.Start(start);
    }

    /// <summary>The words before a command that is to run as a person (setpriv of util-linux, env of coreutils).</summary>
    private static string[] As(MachinePerson person)
    {
        var number = person.Number.ToString(CultureInfo.InvariantCulture);
        return [
            "setpriv", "--reuid", number, "--regid", number, "--clear-groups", "--inh-caps=-all", "env", "-C", person.Home, $"HOME={person.Home}",
            $"USER={person.Name}", $"LOGNAME={person.Name}"];
    }

    // mkdir either makes the folder or says that it is there: exactly one of two wins.
    protected override bool Claims(string folder) => MakeFolder(Path.Combine(folder, "claim"), 0x1C0) == 0;

    protected override string? CouldNotRun(int code) => code is 126 or 127 ? $"The step's command could not be run (code {code})" : null;

    public override async Task<(int Code, string Output)?> Ask(IReadOnlyList<string> command, TimeSpan limit, CancellationToken cancellation)
    {
        // A command named with a path stands below the machine's root; a bare name is looked up in the system's folders.
        var name = command[0].Contains('/') ? _root.Program(command[0]) : command[0];
        if (name is null)
        {
            return null;
        }

        string[] guarded = [.. isGuarded ? RootGuard.Before(root, root) : [], name, .. command.Skip(1)];
        var start = new ProcessStartInfo(guarded[0]) { WorkingDirectory = root };
        foreach (var argument in guarded.Skip(1))
        {
            start.ArgumentList.Add(argument);
        }

        start.Environment["BANDEJO_ROOT"] = root;
        return await Answer(start, string.Join(' ', command), limit, cancellation);
    }

    protected override IEnumerable<(string Name, int Pid)> Running(IReadOnlyList<string> names) => ProcessTable.Running(names, root);

    protected override void AskToClose(int pid) => _ = Signal(pid, Terminate);

    protected override void Kill(int pid) => _ = Signal(pid, KillAtOnce);

    protected override Stream? OpenOwn(string path) => _root.OpenOwn(path);

    protected override string PlaceOf(string path) => "/" + path;

    /// <summary>
    /// Whether the process is still the step's shell and not another that got its number. A process that has ended and waits for its parent counts as gone.
    /// </summary>
    protected override bool IsAlive(int pid, string folder)
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

    /// <summary>Ends the session of a step: politely first, then for good.</summary>
    protected override async Task End(int session, string folder, CancellationToken cancellation)
    {
        using var timer = new PeriodicTimer(Pace, Time);
        SignalSession(session, Terminate);
        for (var i = 0; i < 20 && Session(session).Count > 0; i++)
        {
            await timer.WaitForNextTickAsync(cancellation);
        }

        while (Session(session).Count > 0)
        {
            SignalSession(session, KillAtOnce);
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

    [LibraryImport("libc", EntryPoint = "kill", SetLastError = true)]
    private static partial int Signal(int pid, int signal);

    [LibraryImport("libc", EntryPoint = "mkdir", SetLastError = true, StringMarshalling = StringMarshalling.Utf8)]
    private static partial int MakeFolder(string path, uint mode);
}
