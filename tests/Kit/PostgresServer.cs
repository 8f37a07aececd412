using System.Diagnostics;

namespace Bandejo.Kit;

/// <summary>A PostgreSQL server of its own, on a socket in a folder of its own; gone with all its data when it is let go.</summary>
public sealed class PostgresServer : IDisposable
{
    private readonly string _programs;
    private readonly string _settings;

    /// <param name="settings">Settings of the server, such as <c>shared_buffers=2GB</c>.</param>
    /// <exception cref="InvalidOperationException">None is installed.</exception>
    public PostgresServer(params string[] settings)
    {
        _programs = Programs ?? throw new InvalidOperationException("No PostgreSQL is installed; build/prerequisites.sh tests installs one.");
        Folder = Directory.CreateTempSubdirectory("bandejo-pg").FullName;

        // It refuses to run as root.
        if (Environment.IsPrivilegedProcess)
        {
            Run("chown", "postgres", Folder);
        }

        _settings = string.Join(
            ' ', settings.Append("listen_addresses=''").Append($"unix_socket_directories={Folder}").Append("max_connections=300").Select(each => $"-c {each}"));
        AsServer("initdb", "-D", $"{Folder}/data", "--auth-local=trust", "-U", "postgres", "-E", "UTF8", "--locale=C.UTF-8", "--no-sync");
        File.WriteAllText($"{Folder}/data/pg_hba.conf", "local all postgres trust\nlocal all all scram-sha-256\n");
        Start();
    }

    /// <summary>Whether one can be started here.</summary>
    public static bool IsInstalled => Programs is not null;

    /// <summary>Where its socket is, and its data.</summary>
    public string Folder { get; }

    private static string? Programs => Directory.Exists("/usr/lib/postgresql")
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
            Run("runuser", ["-u", "postgres", "--", path, .. arguments]);
        }
        else
        {
            Run(path, arguments);
        }
    }

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
