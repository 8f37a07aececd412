using System.Data.Common;
using Dapper;
using Npgsql;

namespace Bandejo.Store.Databases;

/// <summary>Brings a PostgreSQL database to this program's version. Each migration is carried out wholly or not at all.</summary>
internal static class PostgresSchema
{
    /// <summary>The version that a database has; 0 where nothing was made in it yet.</summary>
    public static int VersionOf(DbConnection connection) => connection.ExecuteScalar<string?>("SELECT to_regclass('schema_version')::text") is null
        ? 0
        : (int)connection.ExecuteScalar<long>("SELECT version FROM schema_version");

    public static void Upgrade(NpgsqlConnection connection, string name, Action<string>? tells)
    {
        var found = VersionOf(connection);
        if (found > Migrations.Newest)
        {
            throw Migrations.Newer(name, found);
        }

        foreach (var (number, sql) in Migrations.Of("Postgres").Where(migration => migration.Number > found))
        {
            using var transaction = connection.BeginTransaction();
            connection.Execute(sql, transaction: transaction);
            if (number == Migrations.Newest && found is > 0 and < Migrations.LastRebuilt && Rebuilding.IsAnyThere(connection))
            {
                // New tables are what the log makes of them, from its beginning on.
                using var statements = new PostgresStatements(connection);
                tells?.Invoke(Rebuilding.InWords(connection, name));
                Rebuilding.Rebuild(connection, statements);
            }

            connection.Execute("UPDATE schema_version SET version = @number", new { number = (long)number }, transaction);
            transaction.Commit();
        }
    }
}
