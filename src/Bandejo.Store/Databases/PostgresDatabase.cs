using System.Data;
using System.Data.Common;
using System.Globalization;
using Dapper;
using Npgsql;

namespace Bandejo.Store.Databases;

/// <summary>A database of a PostgreSQL server, version 13 or newer.</summary>
internal sealed class PostgresDatabase : Database
{
    private const int OldestServer = 13;

    /// <summary>What the right to write is locked by in the server: any number, always this one.</summary>
    private const long Lock = 0x42414E44454A4F;

    private readonly NpgsqlDataSource _readers;
    private readonly string _own;

    /// <param name="where">In the form of <c>Host=…;Database=…</c>.</param>
    /// <exception cref="StoreException">It is not in that form.</exception>
    public PostgresDatabase(string where)
    {
        try
        {
            var parts = new NpgsqlConnectionStringBuilder(where) { ApplicationName = "bandejo", MaxAutoPrepare = 100, AutoPrepareMinUsages = 2 };
            if (string.IsNullOrEmpty(parts.Database))
            {
                throw new StoreException("Which database of the server? Say Database=… too, such as Host=db.example;Database=bandejo;Username=bandejo.");
            }

            Name = $"{parts.Database} on {parts.Host}";
            _readers = NpgsqlDataSource.Create(parts);

            // Not lent to others: when it is let go after a failure, what it had begun is over.
            _own = new NpgsqlConnectionStringBuilder(parts.ToString()) { Pooling = false, KeepAlive = 30 }.ToString();
        }
        catch (ArgumentException error)
        {
            throw new StoreException(
                $"A PostgreSQL database is named by Host=…;Database=…;Username=… and more of that kind, and this cannot be: {error.Message}", error);
        }
    }

    public override string Name { get; }

    public override string LikeInAnyCase => "ILIKE";

    public override DbConnection Connect() => _readers.OpenConnection();

    public override void Forget() => _readers.Clear();

    public override DbConnection ConnectToWrite()
    {
        var connection = new NpgsqlConnection(_own);
        connection.Open();
        return connection;
    }

    public override DbTransaction Still(DbConnection connection) => connection.BeginTransaction(IsolationLevel.RepeatableRead);

    public override Statements Statements(DbConnection connection) => new PostgresStatements((NpgsqlConnection)connection);

    public override Claim Claim(Func<string> holder, Action<string>? waits) => Wait(TryClaim, holder, waits);

    public override void Upgrade(DbConnection connection, Action<string>? tells = null)
    {
        var version = ((NpgsqlConnection)connection).PostgreSqlVersion;
        if (version.Major < OldestServer)
        {
            throw new StoreException(
                $"The server of the database {Name} is PostgreSQL {version.Major}; this program needs {OldestServer} or newer.");
        }

        PostgresSchema.Upgrade((NpgsqlConnection)connection, Name, tells);
    }

    public override bool IsThere() => Read(PostgresSchema.VersionOf) > 0;

    public override int Version(DbConnection connection) => PostgresSchema.VersionOf(connection);

    public override void Close() => _readers.Dispose();

    /// <summary>By the codes of the server (PostgreSQL's documentation, appendix A).</summary>
    public override string Explain(DbException error) => error switch
    {
        PostgresException { SqlState: "28P01" or "28000" } refused =>
            $"the server does not let us in ({refused.MessageText}). Look at Username and Password.",
        PostgresException { SqlState: "3D000" } missing => $"the server has no such database ({missing.MessageText}). Make an empty one first (createdb).",
        PostgresException { SqlState: "42501" } forbidden =>
            $"the user may not do what is needed ({forbidden.MessageText}). Let the database belong to it (ALTER DATABASE … OWNER TO …).",
        PostgresException { SqlState: "25006" } readOnly =>
            $"it may only be read ({readOnly.MessageText}). Name the server that writes, or end its read-only mode.",
        PostgresException { SqlState: "53100" } full => $"the server's disk is full ({full.MessageText}). Give it room; the service goes on by itself then.",
        PostgresException { SqlState: "53300" } many => $"the server takes no more connections ({many.MessageText}). Raise its max_connections.",
        PostgresException { SqlState: "57P01" or "57P02" or "57P03" } stopping => $"the server is stopping or starting ({stopping.MessageText}).",
        PostgresException other => $"{other.MessageText} ({other.SqlState})",
        { InnerException: TimeoutException } => "the server does not answer in time.",
        _ => $"the server cannot be reached ({(error.InnerException ?? error).Message}). Look whether it runs, and at Host and Port.",
    };

    private PostgresClaim? TryClaim()
    {
        var connection = new NpgsqlConnection(new NpgsqlConnectionStringBuilder(_own) { MaxAutoPrepare = 0 }.ToString());
        connection.Open();
        if (connection.ExecuteScalar<bool>(string.Create(CultureInfo.InvariantCulture, $"SELECT pg_try_advisory_lock({Lock})")))
        {
            return new PostgresClaim(connection);
        }

        connection.Dispose();
        return null;
    }
}

/// <summary>A lock that a server takes back when the connection ends that holds it.</summary>
internal sealed class PostgresClaim(DbConnection connection) : Claim
{
    public override bool Holds()
    {
        try
        {
            return connection.State == ConnectionState.Open && connection.ExecuteScalar<int>("SELECT 1") == 1;
        }
        catch (Exception)
        {
            // Whatever a dead connection brings forth.
            return false;
        }
    }

    public override void Dispose()
    {
        try
        {
            connection.Execute("SELECT pg_advisory_unlock_all()");
        }
        catch (Exception error) when (error is DbException or InvalidOperationException)
        {
            // The connection is gone, and with it the lock.
        }

        connection.Dispose();
    }
}
