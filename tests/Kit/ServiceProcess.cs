using System.Diagnostics;

namespace Bandejo.Kit;

/// <summary>A real service on loopback with a folder of its own.</summary>
public sealed class ServiceProcess : IAsyncDisposable
{
    public const string FirstPassword = "root-admin-1234";

    private readonly SemaphoreSlim _logged = new(0);
    private readonly string[] _options;
    private Process? _process;
    private string _listen = "http://127.0.0.1:0";

    /// <summary>Where it listens; loopback without TLS unless set.</summary>
    public string Listen
    {
        init => _listen = value;
    }

    /// <summary>Who it is over TLS; null without.</summary>
    public string? Identity { get; private set; }

    public ServiceProcess(params string[] options) => _options = options.Contains("--check-in-seconds") ? options : [.. options, "--check-in-seconds", "1"];

    /// <summary>What it finds in its environment besides the usual.</summary>
    public Dictionary<string, string> Environment { get; } = [];

    public string Folder { get; } = Directory.CreateTempSubdirectory("bandejo-service").FullName;

    public string Address { get; private set; } = "";

    /// <summary>All that it wrote to its log.</summary>
    public List<string> Log { get; } = [];

    /// <summary>Starts it, on the address it had before where it had one, and returns when it answers.</summary>
    public async Task Start()
    {
        _process = Programs.Start(
            Programs.Service,
            ["--data", Path.Combine(Folder, "data"), "--listen", _listen, "--first-password", FirstPassword, "--sign-ins-per-minute", "1000", .. _options],
            Environment);
        _process.ErrorDataReceived += (_, line) =>
        {
            lock (Log)
            {
                Log.Add(line.Data ?? "");
            }

            _logged.Release();
        };
        _process.BeginErrorReadLine();
        while (true)
        {
            var line = await _process.StandardOutput.ReadLineAsync() ?? throw new InvalidOperationException($"The service ended: {string.Join('\n', Log)}");
            if (line.StartsWith("Bandejo listens at ", StringComparison.Ordinal))
            {
                Address = _listen = line["Bandejo listens at ".Length..];
                Identity = Address.StartsWith("https", StringComparison.Ordinal)
                    ? (await _process.StandardOutput.ReadLineAsync())?["Over TLS it is ".Length..]
                    : null;
                return;
            }
        }
    }

    /// <summary>Waits until one line of the log holds all of these words.</summary>
    public async Task Logs(params string[] words)
    {
        using var limit = new CancellationTokenSource(TimeSpan.FromSeconds(30));
        while (!Holds())
        {
            await _logged.WaitAsync(limit.Token);
        }

        bool Holds()
        {
            lock (Log)
            {
                return Log.Any(line => Array.TrueForAll(words, word => line.Contains(word)));
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

    /// <summary>Tells it to stop, as the system does, and waits until it has.</summary>
    public async Task Stop()
    {
        using (var told = Process.Start("kill", ["-TERM", $"{_process!.Id}"]))
        {
            await told.WaitForExitAsync();
        }

        await _process.WaitForExitAsync();
    }

    public async ValueTask DisposeAsync()
    {
        if (_process is { HasExited: false })
        {
            await Kill();
        }

        Directory.Delete(Folder, recursive: true);
    }
}
