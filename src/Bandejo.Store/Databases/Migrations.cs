using System.Globalization;
using System.Reflection;

namespace Bandejo.Store.Databases;

/// <summary>
/// What brings a database to this program's version: files <c>Migrations/KIND/NNNN-name.sql</c>, which are only ever appended. Versions are the same for all
/// kinds.
/// </summary>
internal static class Migrations
{
    /// <summary>The version that this program reads and writes.</summary>
    public static int Newest => Of("Sqlite").Max(migration => migration.Number);

    /// <summary>
    /// The last that made tables of what the log held before, or since which documents say more: a database from before it has its tables made anew. Those
    /// after it only add empty ones.
    /// </summary>
    public const int LastRebuilt = 20;

    /// <summary>All of a kind, in their order.</summary>
    public static IReadOnlyList<(int Number, string Sql)> Of(string kind)
    {
        var assembly = Assembly.GetExecutingAssembly();
        var folder = $"Bandejo.Store.Migrations.{kind}.";
        return [.. assembly.GetManifestResourceNames().Where(name => name.StartsWith(folder, StringComparison.Ordinal)).Select(name =>
        {
            using var reader = new StreamReader(assembly.GetManifestResourceStream(name)!);
            return (int.Parse(name.AsSpan(folder.Length, 4), CultureInfo.InvariantCulture), reader.ReadToEnd());
        }).OrderBy(migration => migration.Item1)];
    }

    /// <summary>What is said of a database that a newer program wrote.</summary>
    public static StoreException Newer(string name, int found) => new(
        $"The database {name} has version {found}; this program reads up to version {Newest}. Run the program that wrote it, or a newer one.");
}
