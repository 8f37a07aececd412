using System.Globalization;
using System.Reflection;
using Bandejo.Store.Earlier;
using Dapper;
using Microsoft.Data.Sqlite;

namespace Bandejo.Store;

/// <summary>
/// Brings a database to this program's version. Each migration is a file <c>Migrations/NNNN-name.sql</c>; they are only ever appended. SQLite's
/// <c>user_version</c> holds the number of the last one that was carried out.
/// </summary>
internal static class SchemaVersions
{
    /// <summary>The version that this program reads and writes.</summary>
    public static int Newest => Migrations().Max(migration => migration.Number);

    public static void Upgrade(SqliteConnection connection, string file)
    {
        var found = connection.ExecuteScalar<int>("PRAGMA user_version");
        if (found > Newest)
        {
            throw new StoreException(
                $"The database {file} has version {found}; this program reads up to version {Newest}. Run the program that wrote it, or a newer one.");
        }

        if (found > 0 && found < Newest)
        {
            using var copy = new SqliteConnection(
                new SqliteConnectionStringBuilder { DataSource = string.Create(CultureInfo.InvariantCulture, $"{file}.before-{found + 1}"), Pooling = false }
                    .ToString());
            copy.Open();
            connection.BackupDatabase(copy);
        }

        foreach (var (number, sql) in Migrations().Where(migration => migration.Number > found).OrderBy(migration => migration.Number))
        {
            using var transaction = connection.BeginTransaction();
            connection.Execute(sql, transaction: transaction);
            if (number == 5)
            {
                EarlierDevices.BringOver(connection, transaction);
            }
            else if (number == 14)
            {
                EarlierTargets.BringOver(connection, transaction);
            }

            connection.Execute(string.Create(CultureInfo.InvariantCulture, $"PRAGMA user_version = {number}"), transaction: transaction);
            transaction.Commit();
        }
    }

    private static IEnumerable<(int Number, string Sql)> Migrations()
    {
        var assembly = Assembly.GetExecutingAssembly();
        const string Folder = "Bandejo.Store.Migrations.";
        foreach (var name in assembly.GetManifestResourceNames().Where(name => name.StartsWith(Folder, StringComparison.Ordinal)))
        {
            using var reader = new StreamReader(assembly.GetManifestResourceStream(name)!);
            yield return (int.Parse(name.AsSpan(Folder.Length, 4), CultureInfo.InvariantCulture), reader.ReadToEnd());
        }
    }
}
