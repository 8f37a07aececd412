namespace Bandejo.Kit;

/// <summary>A real service on loopback with a folder of its own.</summary>
public abstract class RunningService : IAsyncDisposable
{
    public const string FirstPassword = "root-admin-1234";

    private readonly SemaphoreSlim _logged = new(0);
    private readonly string[] _options;

    protected RunningService(params string[] options) =>
        _options = options.Contains("--check-in-seconds") ? options : [.. options, "--check-in-seconds", "1"];

    /// <summary>Where it listens; loopback without TLS unless set.</summary>
    public string Listen { get; init; } = "http://127.0.0.1:0";

    /// <summary>Who it is over TLS; null without.</summary>
    public string? Identity { get; protected set; }

    public string Folder { get; } = Directory.CreateTempSubdirectory("bandejo-service").FullName;

    public string Address { get; protected set; } = "";

    /// <summary>All that it wrote to its log.</summary>
    public List<string> Log { get; } = [];

    /// <summary>What it is started with; on the address it had before, where it had one.</summary>
    protected string[] Options =>
    [
        "--data", Path.Combine(Folder, "data"), "--listen", Address.Length > 0 ? Address : Listen, "--first-password", FirstPassword,
        "--sign-ins-per-minute", "1000", .. _options,
    ];

    /// <summary>Starts it and returns when it answers.</summary>
    public abstract Task Start();

    /// <summary>Waits until one line of the log holds all of these words.</summary>
    public async Task Logs(params string[] words)
    {
        using var limit = new CancellationTokenSource(TimeSpan.FromSeconds(240));
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

    public virtual ValueTask DisposeAsync()
    {
        Directory.Delete(Folder, recursive: true);
        return ValueTask.CompletedTask;
    }

    protected void Heard(string line)
    {
        lock (Log)
        {
            Log.Add(line);
        }

        _logged.Release();
    }
}
