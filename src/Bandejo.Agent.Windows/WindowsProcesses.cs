using System.Diagnostics;
using System.Text.Json;
using Bandejo.Device;

namespace Bandejo.Agent;

/// <summary>Runs each step by a process of its own in a job (<see cref="StepShell"/>).</summary>
internal sealed class WindowsProcesses(string stateFolder, FolderCache cache, TimeProvider time) : StepProcesses(stateFolder, cache, time)
{
    protected override void Start(StepRun run, string folder, string work)
    {
        if (run.As is not null)
        {
            throw new InvalidOperationException("no step runs as somebody else on Windows yet.");
        }

        var environment = new Dictionary<string, string>(run.Environment) { ["BANDEJO_RUN"] = folder };
        using (var file = Home.Open(StepShell.FileOf(folder), FileMode.Create))
        {
            file.Write(JsonSerializer.SerializeToUtf8Bytes(new StepWritten(run.Command, environment, run.IsGentle), StepJson.Default.StepWritten));
        }

        var start = new ProcessStartInfo(Environment.ProcessPath!) { UseShellExecute = false, CreateNoWindow = true, WorkingDirectory = work };
        start.ArgumentList.Add("step");
        start.ArgumentList.Add(folder);
        using var process = Process.Start(start);
    }

    protected override bool Claims(string folder) => StepShell.Claims(folder);

    // The job is there for as long as anything in it runs, and its name is that of the run: no other process is taken for it.
    protected override bool IsAlive(int pid, string folder)
    {
        using var job = JobObject.Of(folder);
        return job?.Running > 0;
    }

    protected override async Task End(int pid, string folder, CancellationToken cancellation)
    {
        using var timer = new PeriodicTimer(Pace, Time);
        using var job = JobObject.Of(folder);
        while (job?.Running > 0)
        {
            job.End();
            await timer.WaitForNextTickAsync(cancellation);
        }
    }

    protected override string? CouldNotRun(int code) => code == StepShell.CouldNotRun ? "The step's command could not be run" : null;

    public override Task<(int Code, string Output)?> Ask(IReadOnlyList<string> command, TimeSpan limit, CancellationToken cancellation)
    {
        var start = new ProcessStartInfo(Environment.ExpandEnvironmentVariables(command[0])) { Arguments = WindowsCommandLine.Of(command) };
        return Answer(start, string.Join(' ', command), limit, cancellation);
    }

    protected override IEnumerable<(string Name, int Pid)> Running(IReadOnlyList<string> names)
    {
        foreach (var process in Process.GetProcesses())
        {
            using (process)
            {
                var name = names.FirstOrDefault(name => Path.GetFileNameWithoutExtension(name).Equals(process.ProcessName, StringComparison.OrdinalIgnoreCase));
                if (name is not null && process.Id != Environment.ProcessId)
                {
                    yield return (name, process.Id);
                }
            }
        }
    }

    protected override void AskToClose(int pid) => With(pid, process => process.CloseMainWindow());

    protected override void Kill(int pid) => With(pid, process => process.Kill());

    protected override Stream? OpenOwn(string path)
    {
        var place = Environment.ExpandEnvironmentVariables(path);
        if (!File.Exists(place))
        {
            return null;
        }

        var stream = new FileStream(place, FileMode.Open, FileAccess.Read, FileShare.ReadWrite | FileShare.Delete);
        if (WindowsFolder.IsOwn(stream))
        {
            return stream;
        }

        stream.Dispose();
        throw new IOException($"{place} belongs to somebody without rights on this machine, and is not read.");
    }

    protected override string PlaceOf(string path) => path;

    private static void With(int pid, Action<Process> does)
    {
        try
        {
            using var process = Process.GetProcessById(pid);
            does(process);
        }
        catch (Exception error) when (error is ArgumentException or InvalidOperationException or System.ComponentModel.Win32Exception)
        {
            // It ended while we looked, or is the system's own.
        }
    }
}
