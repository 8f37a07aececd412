using System.Diagnostics;

namespace Bandejo.Kit;

/// <summary>A real agent on a folder that is its machine.</summary>
public sealed class AgentProcess(string service, string name, string? clock = null) : IAsyncDisposable
{
    private Process? _process;

    public string Name => name;

    /// <summary>The machine's root.</summary>
    public string Root { get; } = Directory.CreateTempSubdirectory("bandejo-machine").FullName;

    private string[] Clock => clock is null ? [] : ["--demo-clock", clock];

    /// <summary>Whether the agent was started and is not at work any more.</summary>
    public bool HasEnded => _process is { HasExited: true };

    /// <summary>The most memory that it has held so far, in bytes.</summary>
    public long MemoryPeak()
    {
        var line = File.ReadLines($"/proc/{_process!.Id}/status").First(each => each.StartsWith("VmHWM:", StringComparison.Ordinal));
        return long.Parse(new string([.. line.Where(char.IsAsciiDigit)])) * 1024;
    }

    /// <summary>Writes a file of the machine.</summary>
    public void Write(string path, string text)
    {
        var file = Path.Combine(Root, path);
        Directory.CreateDirectory(Path.GetDirectoryName(file)!);
        File.WriteAllText(file, text);
    }

    /// <summary>Reads a file of the machine; null where there is none.</summary>
    public string? Read(string path) => File.Exists(Path.Combine(Root, path)) ? File.ReadAllText(Path.Combine(Root, path)).TrimEnd() : null;

    /// <summary>Somebody restarts the machine, as it is rehearsed: its system is another start of it.</summary>
    public void Restart() => Write("run/boot-id", Guid.NewGuid().ToString());

    /// <summary>Enrols the machine.</summary>
    public async Task<(int Code, string Output)> Join(string code)
    {
        using var process = Programs.Start(Programs.Agent, ["join", "--root", Root, "--service", service, "--code", code, "--name", name, .. Clock]);
        var output = await process.StandardOutput.ReadToEndAsync() + await process.StandardError.ReadToEndAsync();
        await process.WaitForExitAsync();
        return (process.ExitCode, output);
    }

    /// <summary>Starts the agent and returns when it is at work.</summary>
    public async Task Start()
    {
        _process = Programs.Start(Programs.Agent, ["run", "--root", Root, .. Clock]);
        var line = await _process.StandardOutput.ReadLineAsync() ?? throw new InvalidOperationException(await _process.StandardError.ReadToEndAsync());
        if (!line.Contains("is at work"))
        {
            throw new InvalidOperationException(line);
        }

        _ = Drain(_process.StandardOutput);
    }

    /// <summary>What the agent said since its last start.</summary>
    public List<string> Lines { get; } = [];

    /// <summary>Waits until the agent has said something so often.</summary>
    public async Task Says(string words, int times)
    {
        using var limit = new CancellationTokenSource(TimeSpan.FromSeconds(240));
        while (Count() < times)
        {
            await _said.WaitAsync(limit.Token);
        }

        int Count()
        {
            lock (Lines)
            {
                return Lines.Count(line => line.Contains(words));
            }
        }
    }

    private readonly SemaphoreSlim _said = new(0);

    private async Task Drain(StreamReader output)
    {
        while (await output.ReadLineAsync() is { } line)
        {
            lock (Lines)
            {
                Lines.Add(line);
            }

            _said.Release();
        }
    }

    /// <summary>Says something as the machine's user.</summary>
    public async Task<(int Code, string Output)> Tell(params string[] words)
    {
        using var process = Programs.Start(Programs.Agent, [.. words, "--root", Root]);
        var output = await process.StandardOutput.ReadToEndAsync() + await process.StandardError.ReadToEndAsync();
        await process.WaitForExitAsync();
        return (process.ExitCode, output);
    }

    /// <summary>Tries to start a second agent on the same machine and returns what it says.</summary>
    public async Task<(int Code, string Output)> StartSecond()
    {
        using var process = Programs.Start(Programs.Agent, ["run", "--root", Root]);
        var output = await process.StandardError.ReadToEndAsync();
        await process.WaitForExitAsync();
        return (process.ExitCode, output);
    }

    /// <summary>Ends the agent at once; what it started goes on.</summary>
    public async Task Kill()
    {
        _process!.Kill();
        await _process.WaitForExitAsync();
    }

    /// <summary>Ends every process whose environment names this machine, as a power cut would.</summary>
    public async Task CutPower()
    {
        await Kill();
        foreach (var folder in Directory.EnumerateDirectories("/proc").Where(folder => int.TryParse(Path.GetFileName(folder), out _)))
        {
            try
            {
                if (File.ReadAllText(Path.Combine(folder, "environ")).Contains($"BANDEJO_ROOT={Root}\0"))
                {
                    using var process = Process.GetProcessById(int.Parse(Path.GetFileName(folder)));
                    process.Kill();
                }
            }
            catch (Exception error) when (error is IOException or UnauthorizedAccessException or ArgumentException or InvalidOperationException)
            {
                // It ended by itself.
            }
        }
    }

    /// <summary>Waits until a file of the machine is there.</summary>
    public async Task Appears(string path)
    {
        var file = Path.Combine(Root, path);
        Directory.CreateDirectory(Path.GetDirectoryName(file)!);
        using var watcher = new FileSystemWatcher(Path.GetDirectoryName(file)!) { EnableRaisingEvents = true };
        var appeared = new TaskCompletionSource(TaskCreationOptions.RunContinuationsAsynchronously);
        watcher.Created += (_, _) => Look();
        watcher.Renamed += (_, _) => Look();
        Look();
        await appeared.Task.WaitAsync(TimeSpan.FromSeconds(240));

        void Look()
        {
            if (File.Exists(file))
            {
                appeared.TrySetResult();
            }
        }
    }

    public async ValueTask DisposeAsync()
    {
        if (_process is { HasExited: false })
        {
            await CutPower();
        }

        Directory.Delete(Root, recursive: true);
    }
}
