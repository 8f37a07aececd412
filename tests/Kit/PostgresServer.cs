using System.Diagnostics;

namespace Bandejo.Kit;

/// <summary>A PostgreSQL server of its own, on a socket in a folder of its own; gone with all its data when it is let go.</summary>
public sealed class PostgresServer : IDisposable
{
    private readonly string _programs;
    private readonly string _settings;
    private readonly string? _faults;

    /// <param name="settings">Settings of the server, such as <c>shared_buffers=2GB</c>.</param>
    /// <exception cref="InvalidOperationException">None is installed.</exception>
    public PostgresServer(params string[] settings)
        : this(false, settings)
    {
    }

    /// <param name="canFail">Whether its disk can be made full (<see cref="IsFull"/>), where this machine can make what that takes.</param>
    public PostgresServer(bool canFail, params string[] settings)
    {
        _programs = Installed ?? throw new InvalidOperationException("No PostgreSQL is installed; build/prerequisites.sh tests installs one.");
        Folder = Directory.CreateTempSubdirectory("bandejo-pg").FullName;

        // It refuses to run as root.
        if (Environment.IsPrivilegedProcess)
        {
            Run("chown", "postgres", Folder);
        }

        _faults = canFail ? Programs.Faults(Folder) : null;
        _settings = string.Join(
            ' ', settings.Append("listen_addresses=''").Append($"unix_socket_directories={Folder}").Append("max_connections=300").Select(each => $"-c {each}"));
        AsServer("initdb", "-D", $"{Folder}/data", "--auth-local=trust", "-U", "postgres", "-E", "UTF8", "--locale=C.UTF-8", "--no-sync");
        var doors = $"{Folder}/data/pg_hba.conf";
        File.WriteAllText(doors, "local all postgres trust\nlocal all all scram-sha-256\n");
        foreach (var file in new[] { doors, _faults }.OfType<string>())
        {
            // Whatever mask the tests run under: the server's account reads them.
            Run("chmod", "644", file);
        }

        Start();
    }

    /// <summary>Whether one can be started here.</summary>
    public static bool IsInstalled => Installed is not null;

    /// <summary>Where its socket is, and its data.</summary>
    public string Folder { get; }

    /// <summary>Whether its disk is full.</summary>
    public bool IsFull
    {
        set
        {
            if (value)
            {
                File.WriteAllText(FullFlag, "");
            }
            else
            {
                File.Delete(FullFlag);
            }
        }
    }

    private string FullFlag => Path.Combine(Folder, "full");

    private static string? Installed => Directory.Exists("/usr/lib/postgresql")
        ? Directory.GetDirectories("/usr/lib/postgresql").Select(version => Path.Combine(version, "bin")).LastOrDefault(
            bin => File.Exists(Path.Combine(bin, "initdb")))
        : null;

    /// <summary>How one of its databases is named to whoever connects.</summary>
    public string Database(string name) => $"Host={Folder};Username=postgres;Database={name}";

    /// <summary>Makes an empty database.</summary>
    public string Make(string name)
    {
        AsServer("createdb", "-h", Folder, "-U", "postgres", name);
        return Database(name);
    }

    /// <summary>Carries out statements in one of its databases.</summary>
    /// <returns>What they answer, without frames.</returns>
    public string Execute(string database, string sql)
    {
        var start = new ProcessStartInfo(
            Path.Combine(_programs, "psql"), ["-h", Folder, "-U", "postgres", "-d", database, "-X", "-q", "-A", "-t", "-v", "ON_ERROR_STOP=1", "-c", sql])
        {
            RedirectStandardOutput = true, RedirectStandardError = true,
        };
        using var process = Process.Start(start)!;
        var (said, complained) = (process.StandardOutput.ReadToEndAsync(), process.StandardError.ReadToEndAsync());
        process.WaitForExit();
        return process.ExitCode == 0 ? said.Result.Trim() : throw new InvalidOperationException(complained.Result);
    }

    public void Start() => AsServer("pg_ctl", "-w", "-D", $"{Folder}/data", "-l", $"{Folder}/log", "-o", _settings, "start");

    /// <summary>Returns when it answers; starts it where a fault ended it, now or while it is waited for.</summary>
    public async Task StartAgain()
    {
        using var again = new PeriodicTimer(TimeSpan.FromMilliseconds(200));
        while (!Does(() => Execute("postgres", "SELECT 1")))
        {
            if (!Does(() => AsServer("pg_ctl", "-D", $"{Folder}/data", "status")))
            {
                Does(Start);
            }

            await again.WaitForNextTickAsync();
        }

        static bool Does(Action act)
        {
            try
            {
                act();
                return true;
            }
            catch (InvalidOperationException)
            {
                return false;
            }
        }
    }

    /// <summary>Ends all connections to one of its databases.</summary>
    public void Cut(string database) => Execute(
        "postgres", $"SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = '{database}' AND pid <> pg_backend_pid()");

    /// <summary>Ends it at once, as a power cut would.</summary>
    public void Kill() => AsServer("pg_ctl", "-w", "-m", "immediate", "-D", $"{Folder}/data", "stop");

    public void Dispose()
    {
        Kill();
        Directory.Delete(Folder, recursive: true);
    }

    private void AsServer(string program, params string[] arguments)
    {
        var path = Path.Combine(_programs, program);
        if (Environment.IsPrivilegedProcess)
        {
            Run("runuser", ["-u", "postgres", "--", .. Prefix(), path, .. arguments]);
        }
        else
        {
            var prefix = Prefix();
            Run(prefix[0], [.. prefix[1..], path, .. arguments]);
        }
    }

    private string[] Prefix() => _faults is null ? ["env"] : ["env", $"LD_PRELOAD={_faults}", $"BANDEJO_FAULT_FULL={FullFlag}"];

    private static void Run(string program, params string[] arguments)
    {
        // What it starts keeps its output open: it goes nowhere, so that nobody waits for its end.
        using var process = Process.Start(new ProcessStartInfo("sh", ["-c", "cd / && exec \"$0\" \"$@\" >/dev/null 2>&1", program, .. arguments]))!;
        process.WaitForExit();
        if (process.ExitCode != 0)
        {
            throw new InvalidOperationException($"{Path.GetFileName(program)} {string.Join(' ', arguments)} ended with {process.ExitCode}.");
        }
    }
}
