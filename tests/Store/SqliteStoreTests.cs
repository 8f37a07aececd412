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

    [Fact]
    public async Task Devices_of_an_earlier_program_come_over_with_all_they_said()
    {
        var file = Path.Combine(_folder, "earlier.db");
        using (var connection = new SqliteConnection($"Data Source={file};Pooling=False"))
        {
            connection.Open();
            using var command = connection.CreateCommand();
            command.CommandText = await File.ReadAllTextAsync(Path.Combine(AppContext.BaseDirectory, "Databases", "version-4.sql"), TestContext.Current.CancellationToken);
            command.ExecuteNonQuery();
        }

        await using var store = SqliteStore.Open(file);
        var world = store.Load();
        var device = Assert.Single(world.Devices);
        Assert.Equal(("0198a0", "ALD-DESK-014", "kid", "digest", true), (device.Id, device.Name, device.Key.KeyId, device.FactsDigest, device.IsSorted));
        Assert.Equal(["kind desk 2026-11-02T08:00:00", "site ALD 2026-11-03T09:30:00"], device.Sheet.Facts().Select(fact => $"{world.Words[fact.Name]} {fact.Value} {fact.Since:s}"));
        Assert.Equal(["Foldline 7.1.0 receipt"], device.Sheet.Programs()!.Select(program => $"{world.Words[program.Name]} {world.Words[program.Version]} {world.Words[program.Source]}"));
        Assert.True(File.Exists(file + ".before-5"));
    }

    protected override IStore Open() => SqliteStore.Open(Path.Combine(_folder, "bandejo.db"));
}
