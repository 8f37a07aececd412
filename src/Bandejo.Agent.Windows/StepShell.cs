using System.ComponentModel;
using System.Diagnostics;
using System.Globalization;
using System.Text.Json;
using System.Text.Json.Serialization;
using Bandejo.Device;

namespace Bandejo.Agent;

/// <summary>What runs a step: a process of its own that goes on when the agent ends, in a job with all that the step starts.</summary>
internal static class StepShell
{
    /// <summary>The exit code of a step whose command could not be run.</summary>
    public const int CouldNotRun = 0x7FFF_FF7E;

    /// <summary>So long after the step has ended what its children print is still taken.</summary>
    private static readonly TimeSpan LastWords = TimeSpan.FromMilliseconds(300);

    /// <summary>Runs the step that is written in a folder, if nobody has claimed it before.</summary>
    public static async Task<int> Run(string folder, CancellationToken cancellation)
    {
        if (!Claims(folder))
        {
            return 125;
        }

        using var job = JobObject.Enter(folder);
        await File.WriteAllTextAsync(Path.Combine(folder, "pid.part"), Environment.ProcessId.ToString(CultureInfo.InvariantCulture), cancellation);
        File.Move(Path.Combine(folder, "pid.part"), Path.Combine(folder, "pid"));
        var step = JsonSerializer.Deserialize(await File.ReadAllTextAsync(FileOf(folder), cancellation), StepJson.Default.StepWritten)!;
        var code = await Step(folder, step);
        await File.WriteAllTextAsync(Path.Combine(folder, "exit.part"), code.ToString(CultureInfo.InvariantCulture), cancellation);
        File.Move(Path.Combine(folder, "exit.part"), Path.Combine(folder, "exit"), overwrite: true);
        return code;
    }

    /// <summary>Where what is to be run is written.</summary>
    public static string FileOf(string folder) => Path.Combine(folder, "step.json");

    /// <summary>Makes the claim of a run; a file is made by exactly one of all who try.</summary>
    public static bool Claims(string folder)
    {
        try
        {
            using var claim = new FileStream(Path.Combine(folder, "claim"), FileMode.CreateNew);
            return true;
        }
        catch (IOException) when (File.Exists(Path.Combine(folder, "claim")))
        {
            return false;
        }
    }

    private static async Task<int> Step(string folder, StepWritten step)
    {
        await using var log = new FileStream(
            Path.Combine(folder, "..", "log"), FileMode.Append, FileAccess.Write, FileShare.ReadWrite | FileShare.Delete, bufferSize: 0);
        var work = Path.Combine(folder, "work");
        var program = Path.Combine(work, step.Command[0].Replace('/', '\\'));
        var start = new ProcessStartInfo(File.Exists(program) ? program : step.Command[0])
        {
            Arguments = WindowsCommandLine.Of(step.Command), UseShellExecute = false, CreateNoWindow = true, WorkingDirectory = work,
            RedirectStandardOutput = true, RedirectStandardError = true, RedirectStandardInput = true,
        };
        foreach (var (name, value) in step.Environment)
        {
            start.Environment[name] = value;
        }

        try
        {
            using var process = Process.Start(start)!;
            if (step.IsGentle)
            {
                process.PriorityClass = ProcessPriorityClass.BelowNormal;
            }

            process.StandardInput.Close();
            var printed = Task.WhenAll(Copy(process.StandardOutput.BaseStream, log), Copy(process.StandardError.BaseStream, log));
            await process.WaitForExitAsync();

            // What a step left running may hold its output open for as long as it likes.
            await Task.WhenAny(printed, Task.Delay(LastWords));
            return process.ExitCode;
        }
        catch (Win32Exception error)
        {
            log.Write(System.Text.Encoding.UTF8.GetBytes($"'{step.Command[0]}' could not be started: {error.Message}\n"));
            return CouldNotRun;
        }
    }

    private static async Task Copy(Stream from, FileStream log)
    {
        var part = new byte[16 * 1024];
        for (int read; (read = await from.ReadAsync(part)) > 0;)
        {
            lock (log)
            {
                log.Write(part, 0, read);
            }
        }
    }
}

/// <summary>A step as the agent writes it down for what runs it.</summary>
internal sealed record StepWritten(IReadOnlyList<string> Command, IReadOnlyDictionary<string, string> Environment, bool IsGentle);

/// <summary>JSON of what the agent and a step's process tell each other.</summary>
[JsonSerializable(typeof(StepWritten))]
internal sealed partial class StepJson : JsonSerializerContext;
