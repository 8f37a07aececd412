using System.Globalization;
using Bandejo.Store.Earlier;
using Dapper;
using Microsoft.Data.Sqlite;

namespace Bandejo.Store.Databases;

/// <summary>
/// Brings a SQLite file to this program's version, after keeping a copy. SQLite's <c>user_version</c> holds the number of the last migration that was carried
/// out.
/// </summary>
internal static class SqliteSchema
{
    public static void Upgrade(SqliteConnection connection, string file, Action<string>? tells)
    {
        var found = connection.ExecuteScalar<int>("PRAGMA user_version");
        if (found > Migrations.Newest)
        {
            throw Migrations.Newer(file, found);
        }

        if (found > 0 && found < Migrations.Newest)
        {
            using var copy = new SqliteConnection(
                new SqliteConnectionStringBuilder { DataSource = string.Create(CultureInfo.InvariantCulture, $"{file}.before-{found + 1}"), Pooling = false }
                    .ToString());
            copy.Open();
            connection.BackupDatabase(copy);
        }

        foreach (var (number, sql) in Migrations.Of("Sqlite").Where(migration => migration.Number > found))
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

            if (number == Migrations.Newest && found is > 0 and < Migrations.LastRebuilt && Rebuilding.IsAnyThere(connection))
            {
                // From now on the tables, new ones too, are what the log makes of them, to the letter.
                using var statements = new SqliteStatements(connection);
                if (LogReading.Last(connection) == 0)
                {
                    // It is from before there was one.
                    LogBeginning.Write(connection, statements);
                }

                tells?.Invoke(Rebuilding.InWords(connection, file));
                Rebuilding.Rebuild(connection, statements);
            }

            connection.Execute(string.Create(CultureInfo.InvariantCulture, $"PRAGMA user_version = {number}"), transaction: transaction);
            transaction.Commit();
        }
    }
}
