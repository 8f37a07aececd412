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
        Execute(file, "PRAGMA user_version = 99");

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
    public async Task What_a_kill_left_on_its_way_goes_into_its_tables_at_the_next_start_once()
    {
        var file = Path.Combine(_folder, "killed.db");
        await SqliteStore.Open(file).DisposeAsync();
        const string Left = """
            tD1001 {"Device":"d1","Wave":0,"State":"Met","Since":"2026-01-14T10:00:00+00:00"}
            a{"Id":"a1","Deployment":"D1001","Device":"d1","Kind":"install","Version":"7.2.0","StartedAt":"2026-01-14T10:00:00+00:00","Phase":"run","Message":"","HasLog":false}
            e{"Number":1,"At":"2026-01-14T10:00:00+00:00","Topic":"target","What":"met","Deployment":"D1001","Device":"d1","Text":"d1 is met"}
            """;
        Execute(file, "INSERT INTO recent VALUES (1, CAST($data AS BLOB))", Left);

        for (var start = 0; start < 2; start++)
        {
            await using var store = SqliteStore.Open(file);
            var world = store.Load();
            Assert.Equal(("D1001", Core.Deployments.TargetState.Met), Assert.Single(await world.Targets) is var (deployment, target) ? (deployment, target.State) : default);
            Assert.Equal("a1", Assert.Single(world.OpenAttempts).Id);
            Assert.Equal("d1 is met", Assert.Single(store.Events(new EventQuery(null, null, null, 0, null, 10))).Text);
            await store.Commit([new PutAttempt(world.OpenAttempts[0])]);
        }
    }

    [Theory]
    [InlineData("x")]
    [InlineData("tD1001")]
    [InlineData("a{")]
    [InlineData("hd1 soon 9")]
    public async Task What_is_damaged_on_its_way_is_refused_in_words(string line)
    {
        var file = Path.Combine(_folder, "damaged.db");
        await SqliteStore.Open(file).DisposeAsync();
        Execute(file, "INSERT INTO recent VALUES (1, CAST($data AS BLOB))", line);

        Assert.Contains("cannot be written", Assert.Throws<StoreException>(() => SqliteStore.Open(file)).Message);
    }

    [Fact]
    public async Task A_copy_taken_at_any_moment_holds_all_that_was_acknowledged()
    {
        var file = Path.Combine(_folder, "live.db");
        await using var store = SqliteStore.Open(file);
        for (var number = 1; number <= 12; number++)
        {
            await store.Commit([new AddEvent(new StoredEvent(number, DateTimeOffset.UnixEpoch, "target", "met", null, "D1001", "d1", "", null))]);
            var copy = Path.Combine(_folder, $"copy-{number}.db");
            File.Copy(file, copy);
            File.Copy(file + "-wal", copy + "-wal");
            await using var other = SqliteStore.Open(copy);
            Assert.Equal(number, other.Load().LastEvent);
        }
    }

    [Fact]
    public async Task Devices_of_an_earlier_program_come_over_with_all_they_said()
    {
        var file = Path.Combine(_folder, "earlier.db");
        Execute(file, await File.ReadAllTextAsync(Path.Combine(AppContext.BaseDirectory, "Databases", "version-4.sql"), TestContext.Current.CancellationToken));

        await using var store = SqliteStore.Open(file);
        var world = store.Load();
        var device = Assert.Single(world.Devices);
        Assert.Equal(("0198a0", "ALD-DESK-014", "kid", "digest", true), (device.Id, device.Name, device.Key.KeyId, device.FactsDigest, device.IsSorted));
        Assert.Equal(["kind desk 2026-11-02T08:00:00", "site ALD 2026-11-03T09:30:00"], device.Sheet.Facts().Select(fact => $"{world.Words[fact.Name]} {fact.Value} {fact.Since:s}"));
        Assert.Equal(["Foldline 7.1.0 receipt"], device.Sheet.Programs()!.Select(program => $"{world.Words[program.Name]} {world.Words[program.Version]} {world.Words[program.Source]}"));
        Assert.True(File.Exists(file + ".before-5"));
    }

    private static void Execute(string file, string sql, string data = "")
    {
        using var connection = new SqliteConnection($"Data Source={file};Pooling=False");
        connection.Open();
        using var command = connection.CreateCommand();
        command.CommandText = sql;
        command.Parameters.AddWithValue("$data", data);
        command.ExecuteNonQuery();
    }

    protected override IStore Open() => SqliteStore.Open(Path.Combine(_folder, "bandejo.db"));
}
