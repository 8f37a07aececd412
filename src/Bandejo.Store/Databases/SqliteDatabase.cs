using System.Data.Common;
using Dapper;
using Microsoft.Data.Sqlite;

namespace Bandejo.Store.Databases;

/// <summary>One SQLite file (write-ahead log, flushed at each commit).</summary>
internal sealed class SqliteDatabase : Database
{
    /// <summary>
    /// At how many pages of its log the writer brings them into the database by itself, which keeps all waiting: 256 MiB, for what is done beside it does not
    /// keep up.
    /// </summary>
    private const int LargestLog = 65536;

    private readonly string _file;
    private readonly string _connectionString;

    public SqliteDatabase(string file)
    {
        _file = file.Length == 0 ? throw new StoreException("A database has no name.") : Path.GetFullPath(file);
        _connectionString = new SqliteConnectionStringBuilder { DataSource = _file, Pooling = true, DefaultTimeout = 5 }.ToString();
    }

    public override string Name => _file;

    public override DbConnection Connect() => Connect(_connectionString);

    public override DbConnection ConnectToWrite()
    {
        // Many pages are written again and again: they stay in memory (64 MiB). The connection is not lent to others: when it is let go after a failure, what
        // it had begun is over.
        var connection = Connect(new SqliteConnectionStringBuilder(_connectionString) { Pooling = false }.ToString());
        connection.Execute($"PRAGMA synchronous = FULL; PRAGMA cache_size = -65536; PRAGMA wal_autocheckpoint = {LargestLog}");
        return connection;
    }

    public override DbTransaction Still(DbConnection connection) => ((SqliteConnection)connection).BeginTransaction(deferred: true);

    public override Statements Statements(DbConnection connection) => new SqliteStatements((SqliteConnection)connection);

    public override Claim Claim(Func<string> holder, Action<string>? waits) => Wait(() => FileClaim.Try(_file), holder, waits);

    public override void Upgrade(DbConnection connection, Action<string>? tells = null)
    {
        connection.Execute("PRAGMA journal_mode = WAL");
        SqliteSchema.Upgrade((SqliteConnection)connection, _file, tells);
    }

    public override bool IsThere() => File.Exists(_file);

    public override int Version(DbConnection connection) => connection.ExecuteScalar<int>("PRAGMA user_version");

    /// <summary>
    /// Brings what was written from SQLite's log of pages into the database: whoever commits meanwhile does not wait for it. Where it fails, that log grows on
    /// until the next time, or until the writer does it by itself; what is durable stays so.
    /// </summary>
    public override void Tidy()
    {
        using var connection = Connect();
        connection.Execute("PRAGMA wal_checkpoint(PASSIVE)");
    }

    // Connections are kept open for all databases of this process together; only those of this one are let go.
    public override void Close()
    {
        using var connection = new SqliteConnection(_connectionString);
        SqliteConnection.ClearPool(connection);
    }

    private static SqliteConnection Connect(string connectionString)
    {
        var connection = new SqliteConnection(connectionString);
        connection.Open();
        return connection;
    }
}
