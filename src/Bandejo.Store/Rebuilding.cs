using System.Data.Common;
using System.Globalization;
using System.Security.Cryptography;
using System.Text;
using Bandejo.Store.Databases;
using Dapper;

namespace Bandejo.Store;

/// <summary>Makes the tables anew from the log, and says where they are not what it makes of them.</summary>
internal static class Rebuilding
{
    /// <summary>All tables that are made from the log, each with what its rows are ordered by.</summary>
    private static readonly (string Table, string Key)[] Made =
    [
        ("setting", "name"), ("account", "name"), ("token", "id"), ("join_code", "id"), ("once", "account, key"), ("word", "number"),
        ("user_word", "device, word"),
        ("device_number", "number"), ("device", "id"), ("device_heard", "device"), ("device_group", "slug"), ("group_member", "device_group, device"),
        ("wave_plan", "slug"), ("handling", "slug"), ("calendar", "slug"), ("device_trial", "device"), ("package", "digest"),
        ("deployment", "id"), ("target_book", "number"),
        ("target_page", "place"), ("attempt", "id"), ("event", "number"), ("target_past", "place, number"), ("count_past", "book, number"),
        ("state_past", "book, number"),
        ("device_past", "device, number"), ("device_gone", "device"), ("said_word", "number"), ("member_past", "device_group, number"),
        ("document_past", "kind, id, number"), ("day_count", "subject, part, day"), ("audit_chain", "entry"),
        ("audit_head", "one"),
    ];

    /// <summary>Makes them anew, in the transaction that is under way.</summary>
    /// <param name="progress">Is told of how many records how many are done.</param>
    /// <exception cref="StoreException">The log is not whole, or cannot be read.</exception>
    public static void Rebuild(DbConnection connection, Statements statements, Action<long, long>? progress = null)
    {
        foreach (var (table, _) in Made)
        {
            connection.Execute($"DELETE FROM {table}");
        }

        connection.Execute("INSERT INTO audit_head VALUES (1, 0, @none)", new { none = Array.Empty<byte>() });

        var writer = new StoreWriter(connection, statements, epoch: 0);
        var last = LogReading.Last(connection);
        foreach (var row in LogReading.From(connection))
        {
            writer.Write(row);
            statements.Flush();
            progress?.Invoke(row.Number, last);
        }
    }

    /// <summary>What is said before they are made where nobody asked for it: it is done once, and may take long.</summary>
    public static string InWords(DbConnection connection, string name) => string.Create(
        CultureInfo.InvariantCulture,
        $"{name} is brought to version {Migrations.Newest}: its tables are made anew from the log ({LogReading.Last(connection):N0} records). This is done "
            + $"once, and may take minutes.");

    /// <summary>Whether any of them has something: those of a backup, which is the log alone, have not.</summary>
    public static bool IsAnyThere(DbConnection connection) =>
        Made.Any(made => made.Table != "audit_head" && connection.ExecuteScalar<long?>($"SELECT 1 FROM {made.Table} LIMIT 1") is not null);

    /// <summary>The tables that are not what the log makes of them. Nothing is changed.</summary>
    /// <inheritdoc cref="Rebuild"/>
    public static IReadOnlyList<string> Differing(DbConnection connection, Statements statements, Action<long, long>? progress = null)
    {
        using var transaction = connection.BeginTransaction();
        var before = Digests(connection);
        Rebuild(connection, statements, progress);
        var differing = Differences(before, Digests(connection));
        transaction.Rollback();
        return differing;
    }

    /// <summary>A digest of each table.</summary>
    public static IReadOnlyList<(string Table, string Digest)> Digests(DbConnection connection) =>
        [.. Made.Select(each => (each.Table, Digest(connection, each.Table, each.Key)))];

    /// <summary>The tables that are others in one than in the other.</summary>
    public static IReadOnlyList<string> Differences(IReadOnlyList<(string Table, string Digest)> one, IReadOnlyList<(string Table, string Digest)> other) =>
        [.. one.Except(other).Select(each => each.Table)];

    /// <summary>SHA-256 of all that stands in a table.</summary>
    private static string Digest(DbConnection connection, string table, string key)
    {
        using var hash = IncrementalHash.CreateHash(HashAlgorithmName.SHA256);
        foreach (var row in KeptTables.Rows(connection, $"SELECT * FROM {table} ORDER BY {key}", row => row))
        {
            for (var column = 0; column < row.FieldCount; column++)
            {
                byte[] value = row.GetValue(column) switch
                {
                    byte[] bytes => bytes,
                    DBNull => [],
                    var other => Encoding.UTF8.GetBytes(Convert.ToString(other, CultureInfo.InvariantCulture)!),
                };
                hash.AppendData(Encoding.ASCII.GetBytes(string.Create(CultureInfo.InvariantCulture, $"{row.GetName(column)} {value.Length} ")));
                hash.AppendData(value);
            }
        }

        return Convert.ToHexString(hash.GetHashAndReset());
    }
}
