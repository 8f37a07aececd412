using System.Diagnostics;
using System.Text;

namespace Bandejo.Kit;

/// <summary>A machine with Windows, under Wine in a folder of its own, that lives as long as somebody holds it.</summary>
public sealed class WineMachine : IAsyncDisposable
{
    private static readonly TimeSpan Patience = TimeSpan.FromMinutes(3);

    private readonly string _folder = Directory.CreateTempSubdirectory("bandejo-wine").FullName;
    private Process? _held;

    private WineMachine()
    {
    }

    /// <summary>Why there can be none here; null where there can.</summary>
    public static string? WhyNot =>
        !File.Exists("/usr/bin/wine") ? "Wine is not installed (apt-get install wine wine64), so nothing that runs on Windows is tried."
        : !File.Exists(Path.Combine(Programs.Windows, "bandejo-agent.exe")) ? "The programs for Windows are not built (make windows)."
        : null;

    /// <summary>The drive <c>C:</c>.</summary>
    public string Drive => Path.Combine(_folder, "drive_c");

    /// <summary>Whether it runs: false while it restarts.</summary>
    public bool IsUp { get; private set; }

    /// <summary>What the agent's service has written into its log; empty where there is none.</summary>
    public string AgentLog
    {
        get
        {
            var file = Path.Combine(Drive, "ProgramData/bandejo-agent/agent.log");
            if (!File.Exists(file))
            {
                return "";
            }

            using var stream = new FileStream(file, FileMode.Open, FileAccess.Read, FileShare.ReadWrite | FileShare.Delete);
            return new StreamReader(stream).ReadToEnd();
        }
    }

    /// <summary>Starts one that nothing was ever installed on.</summary>
    public static async Task<WineMachine> Start()
    {
        var machine = new WineMachine();
        await machine.Run("wineboot", ["-i"], isFirst: true);

        // What was begun by that knows nothing of .NET, and would start services so.
        await machine.Run("wineserver", ["-k"], isFirst: false);
        await machine.Run("wine", ["winecfg", "-v", "win10"]);

        machine.Hold();
        return machine;
    }

    /// <summary>Ends all that runs, as a restart does, and starts it again with its services.</summary>
    public async Task Restart()
    {
        IsUp = false;
        await Run("wineserver", ["-k"]);
        using var limit = new CancellationTokenSource(Patience);
        using var pace = new PeriodicTimer(TimeSpan.FromMilliseconds(50));
        while (Processes("").Count > 0)
        {
            await pace.WaitForNextTickAsync(limit.Token);
        }

        Hold();
    }

    /// <summary>Runs a program of Windows to its end.</summary>
    public Task<(int Code, string Output)> Run(params string[] command) => Run("wine", command);

    /// <summary>The same, and it must end with 0.</summary>
    public async Task<string> Must(params string[] command)
    {
        var (code, output) = await Run(command);
        return code == 0 ? output : throw new InvalidOperationException($"'{string.Join(' ', command)}' ended with {code}: {output}");
    }

    /// <summary>The identities of the processes of a program, as the system that Wine runs on knows them.</summary>
    public IReadOnlyList<int> Processes(string name) =>
    [
        .. Process.GetProcesses().Where(process =>
        {
            try
            {
                return File.ReadAllText($"/proc/{process.Id}/cmdline").Replace('\0', ' ').Contains(name, StringComparison.OrdinalIgnoreCase)
                    && File.ReadAllText($"/proc/{process.Id}/environ").Contains($"WINEPREFIX={_folder}\0", StringComparison.Ordinal);
            }
            catch (Exception error) when (error is IOException or UnauthorizedAccessException)
            {
                return false;
            }
        }).Select(process => process.Id),
    ];

    /// <summary>Ends all processes of a program at once, without a word.</summary>
    public void Kill(string name)
    {
        foreach (var id in Processes(name))
        {
            Process.GetProcessById(id).Kill();
        }
    }

    public async ValueTask DisposeAsync()
    {
        await Run("wineserver", ["-k"], isFirst: false);
        _held?.Dispose();
        using var pace = new PeriodicTimer(TimeSpan.FromMilliseconds(100));
        for (var tries = 0; Directory.Exists(_folder) && await pace.WaitForNextTickAsync(); tries++)
        {
            try
            {
                Directory.Delete(_folder, recursive: true);
            }
            catch (IOException) when (tries < 50)
            {
                // Something of it was still about to write.
            }
        }
    }

    // Its services end when nobody is at the machine any more.
    private void Hold()
    {
        _held?.Dispose();
        _held = Begin("wine", ["cmd.exe"], isFirst: false);
        IsUp = true;
    }

    private async Task<(int Code, string Output)> Run(string program, string[] arguments, bool isFirst = false)
    {
        using var process = Begin(program, arguments, isFirst);
        using var limit = new CancellationTokenSource(Patience);
        process.StandardInput.Close();
        var output = new StringBuilder();

        // What it starts may hold its output open for as long as it lives.
        process.OutputDataReceived += (_, line) => output.AppendLine(line.Data?.TrimEnd('\r'));
        process.ErrorDataReceived += (_, line) => output.AppendLine(line.Data?.TrimEnd('\r'));
        process.BeginOutputReadLine();
        process.BeginErrorReadLine();
        using var pace = new PeriodicTimer(TimeSpan.FromMilliseconds(20));
        while (!process.HasExited)
        {
            await pace.WaitForNextTickAsync(limit.Token);
        }

        return (process.ExitCode, output.ToString());
    }

    private Process Begin(string program, string[] arguments, bool isFirst)
    {
        var start = new ProcessStartInfo(program, arguments)
        {
            UseShellExecute = false, RedirectStandardInput = true, RedirectStandardOutput = true, RedirectStandardError = true, WorkingDirectory = _folder,
        };
        foreach (var (name, value) in new[] { ("WINEPREFIX", _folder), ("WINEARCH", "win64"), ("WINEDEBUG", "-all"), ("DISPLAY", "") })
        {
            start.Environment[name] = value;
        }

        // Neither its .NET nor its browser is asked for.
        start.Environment["WINEDLLOVERRIDES"] = isFirst ? "mscoree,mshtml=" : "";
        return Process.Start(start)!;
    }
}
