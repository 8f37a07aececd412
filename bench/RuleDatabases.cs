using System.Data.Common;
using System.Diagnostics;
using Bandejo.Kit;
using Dapper;
using Microsoft.Data.Sqlite;
using Npgsql;

namespace Bandejo.Bench;

/// <summary>A database that rules are asked of, with the indexes that serve them best: the alternative to columns in memory.</summary>
/// <param name="name">What it is called in the table.</param>
internal abstract class RuleDatabase(string name) : IAsyncDisposable
{
    /// <summary>A device in four numbers: row, kind, memory in GiB, place of its system's version.</summary>
    internal const string DeviceTable = "device (id INTEGER PRIMARY KEY, kind INTEGER, memory INTEGER, os INTEGER)";

    /// <summary>A program in three: app, version, row of the device.</summary>
    internal const string ProgramTable = "program (app INTEGER, version INTEGER, device INTEGER, PRIMARY KEY (app, version, device))";

    public string Name => name;

    protected abstract DbConnection Connection { get; }

    /// <summary>The rows that a query finds.</summary>
    public List<int> Find(string sql) => Connection.Query<int>(sql).AsList();

    /// <summary>Takes in devices and programs.</summary>
    public abstract void Fill(IEnumerable<int[]> devices, IEnumerable<int[]> programs);

    public abstract ValueTask DisposeAsync();
}

/// <summary>SQLite in one file, all of it in its own memory.</summary>
internal sealed class RuleSqlite : RuleDatabase
{
    private readonly string _file = Path.Combine(Path.GetTempPath(), $"bandejo-bench-{Environment.ProcessId}.db");
    private readonly SqliteConnection _connection;

    public RuleSqlite()
        : base("SQLite")
    {
        _connection = new SqliteConnection($"Data Source={_file};Pooling=False");
        _connection.Open();
    }

    protected override DbConnection Connection => _connection;

    public override void Fill(IEnumerable<int[]> devices, IEnumerable<int[]> programs)
    {
        _connection.Execute(
            $"PRAGMA journal_mode = OFF; PRAGMA synchronous = OFF; PRAGMA cache_size = -1500000; CREATE TABLE {DeviceTable}; CREATE TABLE {ProgramTable} "
                + $"WITHOUT ROWID");
        using var transaction = _connection.BeginTransaction();
        Insert("INSERT INTO device VALUES ($1, $2, $3, $4)", devices);
        Insert("INSERT INTO program VALUES ($1, $2, $3)", programs);
        transaction.Commit();
        _connection.Execute("CREATE INDEX device_by_kind ON device (kind, memory, os); ANALYZE");

        void Insert(string sql, IEnumerable<int[]> all)
        {
            using var command = _connection.CreateCommand();
            command.CommandText = sql;
            command.Transaction = transaction;
            foreach (var values in all)
            {
                while (command.Parameters.Count < values.Length)
                {
                    command.Parameters.AddWithValue($"${command.Parameters.Count + 1}", 0);
                }

                for (var i = 0; i < values.Length; i++)
                {
                    command.Parameters[i].Value = values[i];
                }

                command.ExecuteNonQuery();
            }
        }
    }

    public override async ValueTask DisposeAsync()
    {
        await _connection.DisposeAsync();
        File.Delete(_file);
    }
}

/// <summary>A PostgreSQL server of its own on a socket in a folder of its own, with 2 GB of buffers; where one is installed.</summary>
internal sealed class RulePostgres : RuleDatabase
{
    private readonly string _folder;
    private readonly string _programs;
    private readonly NpgsqlConnection _connection;

    private RulePostgres(string folder, string programs)
        : base("PostgreSQL")
    {
        (_folder, _programs) = (folder, programs);
        _connection = new NpgsqlConnection($"Host={folder};Username=postgres;Database=postgres;Pooling=false;Command Timeout=600");
        _connection.Open();
    }

    protected override DbConnection Connection => _connection;

    /// <summary>Starts one; null where none is installed.</summary>
    public static RulePostgres? Start()
    {
        var programs = Directory.Exists("/usr/lib/postgresql")
            ? Directory.GetDirectories("/usr/lib/postgresql").Select(version => Path.Combine(version, "bin"))
                .LastOrDefault(bin => File.Exists(Path.Combine(bin, "initdb")))
            : null;
        if (programs is null)
        {
            return null;
        }

        // It refuses to run as root.
        var folder = Directory.CreateTempSubdirectory("bandejo-bench-pg").FullName;
        if (Environment.IsPrivilegedProcess)
        {
            Run("chown", "postgres", folder);
        }

        AsPostgres(Path.Combine(programs, "initdb"), "-D", $"{folder}/data", "--auth=trust", "-U", "postgres", "-E", "UTF8", "--locale=C.UTF-8", "--no-sync");
        AsPostgres(
            Path.Combine(programs, "pg_ctl"), "-w", "-D", $"{folder}/data", "-l", $"{folder}/log", "-o",
            $"-c listen_addresses='' -c unix_socket_directories={folder} -c shared_buffers=2GB -c work_mem=256MB -c maintenance_work_mem=512MB -c fsync=off",
            "start");
        return new RulePostgres(folder, programs);
    }

    public override void Fill(IEnumerable<int[]> devices, IEnumerable<int[]> programs)
    {
        _connection.Execute($"CREATE TABLE {DeviceTable}; CREATE TABLE {ProgramTable}");
        Copy("COPY device FROM STDIN (FORMAT binary)", devices);
        Copy("COPY program FROM STDIN (FORMAT binary)", programs);
        _connection.Execute(
            "CREATE INDEX device_by_kind ON device (kind, memory, os); CREATE UNIQUE INDEX device_whole ON device (id) INCLUDE (kind, memory, os)");
        _connection.Execute("VACUUM ANALYZE");

        void Copy(string sql, IEnumerable<int[]> all)
        {
            using var copy = _connection.BeginBinaryImport(sql);
            foreach (var values in all)
            {
                copy.StartRow();
                foreach (var value in values)
                {
                    copy.Write(value);
                }
            }

            copy.Complete();
        }
    }

    public override async ValueTask DisposeAsync()
    {
        await _connection.DisposeAsync();
        AsPostgres(Path.Combine(_programs, "pg_ctl"), "-m", "immediate", "-D", $"{_folder}/data", "stop");
        Directory.Delete(_folder, recursive: true);
    }

    private static void AsPostgres(string program, params string[] arguments)
    {
        if (Environment.IsPrivilegedProcess)
        {
            Run("runuser", ["-u", "postgres", "--", program, .. arguments]);
        }
        else
        {
            Run(program, arguments);
        }
    }

    private static void Run(string program, params string[] arguments)
    {
        // What it starts keeps its output open: it goes nowhere, so that nobody waits for its end.
        using var process = Process.Start(new ProcessStartInfo("sh", ["-c", "exec \"$0\" \"$@\" >/dev/null 2>&1", program, .. arguments]))!;
        process.WaitForExit();
        if (process.ExitCode != 0)
        {
            throw new InvalidOperationException($"{Path.GetFileName(program)} {string.Join(' ', arguments)} ended with {process.ExitCode}.");
        }
    }
}
