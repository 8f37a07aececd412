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
    private readonly PostgresServer _server;
    private readonly NpgsqlConnection _connection;

    private RulePostgres(PostgresServer server)
        : base("PostgreSQL")
    {
        _server = server;
        _connection = new NpgsqlConnection($"{server.Database("postgres")};Pooling=false;Command Timeout=600");
        _connection.Open();
    }

    protected override DbConnection Connection => _connection;

    /// <summary>Starts one; null where none is installed.</summary>
    public static RulePostgres? Start() => PostgresServer.IsInstalled
        ? new RulePostgres(new PostgresServer("shared_buffers=2GB", "work_mem=256MB", "maintenance_work_mem=512MB", "fsync=off"))
        : null;

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
        _server.Dispose();
    }
}
