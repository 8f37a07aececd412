using Bandejo.Core.World;
using Bandejo.Kit;
using Bandejo.Store;
using Xunit;

[assembly: AssemblyFixture(typeof(Bandejo.Store.Tests.OnePostgres))]

namespace Bandejo.Store.Tests;

/// <summary>One server for all tests that need none for themselves; started when the first asks.</summary>
public sealed class OnePostgres : IDisposable
{
    private readonly Lazy<PostgresServer> _server = new(() => new PostgresServer("fsync=off", "full_page_writes=off"));
    private int _made;

    public PostgresServer Server => _server.Value;

    /// <summary>A new, empty database.</summary>
    public string Make() => Server.Make($"test{Interlocked.Increment(ref _made)}");

    /// <summary>The version that this program makes a database in.</summary>
    public static string Newest(PostgresServer server, string place)
    {
        DatabaseStore.Open(place).DisposeAsync().AsTask().GetAwaiter().GetResult();
        return server.Execute(place[(place.LastIndexOf('=') + 1)..], "SELECT version FROM schema_version");
    }

    public void Dispose()
    {
        if (_server.IsValueCreated)
        {
            _server.Value.Dispose();
        }
    }
}

/// <summary>The store in a database of a PostgreSQL server.</summary>
public sealed class PostgresTests(OnePostgres postgres) : StoreContract
{
    private static readonly DateTimeOffset At = new(2026, 1, 14, 10, 0, 0, TimeSpan.Zero);

    protected override string Place { get; } = postgres.Make();

    [Fact]
    public async Task A_store_goes_from_a_file_into_a_server_and_back_and_is_the_same()
    {
        var folder = Directory.CreateTempSubdirectory("bandejo-copy");
        try
        {
            var (file, back, server) = (Path.Combine(folder.FullName, "a.db"), Path.Combine(folder.FullName, "b.db"), postgres.Make());
            await using (var store = DatabaseStore.Open(file))
            {
                // More than go one by one, and a text with what not every database keeps.
                await store.Commit(At, [.. Enumerable.Range(1, 100).Select(number => new AddEvent(new EventRecord(
                    number, At, "journal", "what", null, null, $"d{number}", $"zero \0 and half \ud83d of one, {number}", null)))]);
                await store.Commit(At, [new PutSetting("a", "b"), new DeleteDevice("d3")]);
                Assert.Contains("writes into", Assert.Throws<StoreException>(() => DatabaseStore.Copy(file, server)).Message);
            }

            Assert.Equal(2, DatabaseStore.Copy(file, server));
            Assert.Contains("holds something already (2 records", Assert.Throws<StoreException>(() => DatabaseStore.Copy(file, server)).Message);
            Assert.Equal(2, DatabaseStore.Copy(server, back));
            Assert.Equal("2: ", DatabaseStore.Check(back) is var (records, differing) ? $"{records}: {string.Join(", ", differing)}" : "");
            await using var again = DatabaseStore.Open(back);
            Assert.Equal(100, again.Load().LastEvent);
        }
        finally
        {
            folder.Delete(recursive: true);
        }
    }

    [Fact]
    public async Task A_connection_that_is_cut_costs_what_was_under_way_and_nothing_else()
    {
        var place = postgres.Make();
        await using var store = DatabaseStore.Open(place);
        await store.Commit(At, [new PutSetting("a", "1")]);
        postgres.Server.Cut(NameOf(place));
        await Assert.ThrowsAsync<StoreException>(() => store.Commit(At, [new PutSetting("a", "2")]));
        await Assert.ThrowsAsync<StoreException>(() => store.Commit(At, [new PutSetting("a", "on top of what is lost")]));
        Assert.Equal("1", store.Load().SiteSettings["a"]);
        await store.Commit(At, [new PutSetting("a", "3")]);
        Assert.Equal("3", store.Load().SiteSettings["a"]);
    }

    [Fact]
    public async Task A_slow_server_is_waited_for_and_one_that_does_not_answer_in_time_costs_what_was_under_way_and_nothing_else()
    {
        var place = postgres.Make();
        await using var store = DatabaseStore.Open(place + ";Command Timeout=3");
        await store.Commit(At, [new PutSetting("a", "1")]);

        // Slow, but in time.
        var slow = await Held(1);
        await store.Commit(At, [new PutSetting("a", "2")]);
        await slow;
        Assert.Equal("2", store.Load().SiteSettings["a"]);

        var stuck = await Held(6);
        Assert.Contains(
            "the server does not answer in time", (await Assert.ThrowsAsync<StoreException>(() => store.Commit(At, [new PutSetting("a", "3")]))).Message);
        await stuck;
        Assert.Equal("2", store.Load().SiteSettings["a"]);
        await store.Commit(At, [new PutSetting("a", "4")]);
        Assert.Equal("4", store.Load().SiteSettings["a"]);

        // The server keeps everybody from its log for so many seconds.
        async Task<Task> Held(int seconds)
        {
            var held = Task.Run(() => postgres.Server.Execute(
                NameOf(place), $"BEGIN; LOCK TABLE log_head IN ACCESS EXCLUSIVE MODE; SELECT pg_sleep({seconds}); COMMIT"));
            const string Locked = "SELECT count(*) FROM pg_locks JOIN pg_class ON pg_class.oid = relation WHERE relname = 'log_head' AND mode = 'AccessExclusiveLock'";
            while (!postgres.Server.Execute(NameOf(place), Locked).Contains('1', StringComparison.Ordinal))
            {
                await Task.Yield();
            }

            return held;
        }
    }

    [Fact]
    public async Task A_server_that_is_killed_and_comes_back_has_all_that_was_acknowledged()
    {
        using var server = new PostgresServer();
        await using var store = DatabaseStore.Open(server.Make("bandejo"));
        for (var round = 1; round <= 3; round++)
        {
            await store.Commit(At, [new PutSetting("round", $"{round}")]);
            server.Kill();
            Assert.Contains(
                "cannot be written", (await Assert.ThrowsAsync<StoreException>(() => store.Commit(At, [new PutSetting("round", "lost")]))).Message);
            Assert.Contains("Look whether it runs", Assert.Throws<StoreException>(() => store.Load()).Message);
            Assert.Throws<StoreException>(() => store.Attempt("a1"));
            server.Start();
            Assert.Equal($"{round}", store.Load().SiteSettings["round"]);
        }
    }

    [Fact]
    public async Task Whoever_lost_the_right_to_write_while_the_server_was_away_writes_nothing_on_top_of_the_other()
    {
        using var server = new PostgresServer();
        var place = server.Make("bandejo");
        var first = DatabaseStore.Open(place, "process 1");
        await first.Commit(At, [new PutSetting("a", "1")]);
        Assert.Contains("(process 1) writes into bandejo on ", Assert.Throws<StoreException>(() => DatabaseStore.Open(place)).Message);
        server.Kill();
        server.Start();

        // It has not noticed yet, and another comes first.
        var second = DatabaseStore.Open(place, "process 2");
        await second.Commit(At, [new PutSetting("a", "2")]);
        await Assert.ThrowsAsync<StoreException>(() => first.Commit(At, [new PutSetting("a", "3")]));
        Assert.Contains("(process 2) writes into", Assert.Throws<StoreException>(() => first.Load()).Message);
        Assert.Equal("2", second.Load().SiteSettings["a"]);
        await second.DisposeAsync();

        // That one has ended: the first may again, as one that begins anew.
        Assert.Equal("2", first.Load().SiteSettings["a"]);
        await first.Commit(At, [new PutSetting("a", "4")]);
        await first.DisposeAsync();
        Assert.Empty(DatabaseStore.Check(place).Differing);
    }

    [Theory]
    [InlineData("Host=/nowhere;Database=a;Username=b", "cannot be reached")]
    [InlineData("Host=127.0.0.1;Port=1;Database=a;Username=b", "Look whether it runs, and at Host and Port")]
    [InlineData("Host=db.example", "Which database of the server?")]
    [InlineData("Host=db.example;Datenbank=a", "this cannot be")]
    [InlineData("", "no name")]
    public void A_place_that_is_none_is_refused_with_what_to_do(string place, string says) =>
        Assert.Contains(says, Assert.Throws<StoreException>(() => DatabaseStore.Open(place)).Message);

    [Fact]
    public async Task What_a_server_refuses_is_told_with_what_to_do_and_nothing_is_made()
    {
        var server = postgres.Server;
        Refused(server.Database("not_there"), "Make an empty one first");

        // A user with another password, and one who may make nothing.
        server.Execute("postgres", "CREATE ROLE clerk LOGIN PASSWORD 'right'");
        var place = postgres.Make();
        var asClerk = place.Replace("Username=postgres", "Username=clerk", StringComparison.Ordinal);
        Refused($"{asClerk};Password=wrong", "Look at Username and Password");
        Refused($"{asClerk};Password=right", "Let the database belong to it");
        Assert.Equal("0", server.Execute(NameOf(place), "SELECT count(*) FROM pg_tables WHERE schemaname = 'public'"));

        server.Execute("postgres", $"ALTER DATABASE {NameOf(place)} SET default_transaction_read_only = on");
        Refused(place, "Name the server that writes");
        server.Execute("postgres", $"ALTER DATABASE {NameOf(place)} RESET default_transaction_read_only");
        await DatabaseStore.Open(place).DisposeAsync();
        server.Execute(NameOf(place), "UPDATE schema_version SET version = 99");
        Refused(place, "has version 99; this program reads up to version");
        server.Execute(NameOf(place), $"UPDATE schema_version SET version = {OnePostgres.Newest(server, postgres.Make())}");
        await using (var store = DatabaseStore.Open(place))
        {
            await store.Commit(At, [new PutSetting("a", "1")]);
            await store.Commit(At, [new PutSetting("a", "2")]);
        }

        server.Execute(NameOf(place), "DELETE FROM log WHERE number = 1");
        Refused(place, "Record 1 of the log is missing");

        static void Refused(string place, string says) =>
            Assert.Contains(says, Assert.Throws<StoreException>(() => DatabaseStore.Open(place)).Message);
    }

    private static string NameOf(string place) => place[(place.LastIndexOf('=') + 1)..];
}
