using System.Diagnostics;

namespace Bandejo.Kit;

/// <summary>The built program in a process of its own, which can be killed.</summary>
public sealed class ServiceProcess(params string[] options) : RunningService(options)
{
    private Process? _process;

    /// <summary>What it finds in its environment besides the usual.</summary>
    public Dictionary<string, string> Environment { get; } = [];

    /// <summary>The number of its process.</summary>
    public int Pid => _process!.Id;

    public override async Task Start()
    {
        _process = Programs.Start(Programs.Service, Options, Environment);
        _process.ErrorDataReceived += (_, line) => Heard(line.Data ?? "");
        _process.BeginErrorReadLine();
        while (true)
        {
            var line = await _process.StandardOutput.ReadLineAsync() ?? throw new InvalidOperationException($"The service ended: {string.Join('\n', Log)}");
            Heard(line);
            if (line.StartsWith("Bandejo listens at ", StringComparison.Ordinal))
            {
                Address = line["Bandejo listens at ".Length..];
                Identity = Address.StartsWith("https", StringComparison.Ordinal)
                    ? (await _process.StandardOutput.ReadLineAsync())?["Over TLS it is ".Length..]
                    : null;
                return;
            }
        }
    }

    /// <summary>Main memory that it holds now, in bytes.</summary>
    public long Memory()
    {
        var line = File.ReadLines($"/proc/{_process!.Id}/status").First(each => each.StartsWith("VmRSS:", StringComparison.Ordinal));
        return long.Parse(new string([.. line.Where(char.IsAsciiDigit)])) * 1024;
    }

    /// <summary>Ends it as a power cut would.</summary>
    public async Task Kill()
    {
        _process!.Kill();
        await _process.WaitForExitAsync();
    }

    /// <summary>Lets it answer nothing any more, while its connections stay open.</summary>
    public Task Freeze() => Tell("-STOP");

    /// <summary>Lets it go on.</summary>
    public Task GoOn() => Tell("-CONT");

    /// <summary>Tells it to stop, as the system does, and waits until it has.</summary>
    public async Task Stop()
    {
        await Tell("-TERM");
        await _process!.WaitForExitAsync();
    }

    private async Task Tell(string signal)
    {
        using var told = Process.Start("kill", [signal, $"{_process!.Id}"]);
        await told.WaitForExitAsync();
    }

    public override async ValueTask DisposeAsync()
    {
        if (_process is { HasExited: false })
        {
            await Kill();
        }

        await base.DisposeAsync();
    }
}
