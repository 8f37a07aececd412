using Bandejo.Store;
using Microsoft.Data.Sqlite;
using Xunit;

namespace Bandejo.Store.Tests;

public sealed class SqliteStoreTests : StoreContract, IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("bandejo-store").FullName;

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public async Task A_newer_database_is_refused_with_the_version_it_has()
    {
        var file = Path.Combine(_folder, "newer.db");
        await SqliteStore.Open(file).DisposeAsync();
        using (var connection = new SqliteConnection($"Data Source={file};Pooling=False"))
        {
            connection.Open();
            using var command = connection.CreateCommand();
            command.CommandText = "PRAGMA user_version = 99";
            command.ExecuteNonQuery();
        }

        Assert.Contains("version 99", Assert.Throws<StoreException>(() => SqliteStore.Open(file)).Message);
    }

    [Fact]
    public void What_is_no_database_is_refused_with_its_name()
    {
        var file = Path.Combine(_folder, "text.db");
        File.WriteAllText(file, new string('x', 5000));
        Assert.Contains("text.db", Assert.Throws<StoreException>(() => SqliteStore.Open(file)).Message);
        Assert.Equal(5000, new FileInfo(file).Length);
    }

    [Fact]
    public async Task A_locked_database_fails_the_commit_and_loses_nothing()
    {
        var file = Path.Combine(_folder, "locked.db");
        await using var store = SqliteStore.Open(file);
        await store.Commit([new PutSetting("a", "1")]);
        using (var other = new SqliteConnection($"Data Source={file};Pooling=False"))
        {
            other.Open();
            using var transaction = other.BeginTransaction();
            await Assert.ThrowsAsync<StoreException>(() => store.Commit([new PutSetting("a", "2")]));
        }

        Assert.Equal("1", store.Load().Settings["a"]);
        await store.Commit([new PutSetting("a", "3")]);
        Assert.Equal("3", store.Load().Settings["a"]);
    }

    protected override IStore Open() => SqliteStore.Open(Path.Combine(_folder, "bandejo.db"));
}
