using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.World;
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

        Assert.Equal("1", store.Load().SiteSettings["a"]);
        await store.Commit([new PutSetting("a", "3")]);
        Assert.Equal("3", store.Load().SiteSettings["a"]);
    }

    [Fact]
    public async Task What_a_kill_left_on_its_way_counts_at_the_next_start_and_goes_into_its_tables_once()
    {
        var (file, killed) = (Path.Combine(_folder, "living.db"), Path.Combine(_folder, "killed.db"));
        var at = new DateTimeOffset(2026, 1, 14, 10, 0, 0, TimeSpan.Zero).AddTicks(1234567);
        var target = new Target
        {
            Device = "d1", Wave = 2, State = TargetState.Retry,
            Reason = new Reason(ReasonCode.CannotGoBack) { Because = new Reason(ReasonCode.EarlierNotKept, "Kein Platz – 日本", "7.1.0") }, Since = at,
            Next = at.AddHours(1), Variant = "desk", Tries = 2, Repairs = 1, HasBegun = true, IsInstalledHere = true, IsGoingBack = true, IsToGoBack = true,
            CannotGoBack = true, WaitsFor = "somebody is signed in",
            HasFailed = true, Before = "", BeforePackage = "cafe", ProvenAt = at.AddDays(-1), TroubleAt = at, TakenAt = at.AddDays(-2), Harms = 300,
            Harm = "It does not print", AppWhenOpened = "7.1.0", Order = 5,
        };
        // A property that is added and not kept would come back as it is by itself, and pass; so the sample must say something of each.
        Assert.DoesNotContain(typeof(Target).GetProperties(), property => Equals(property.GetValue(target), property.GetValue(new Target { Device = "" })));
        var attempt = new AttemptRecord("a1", "D1001", "d1", "install", "7.2.0", at, null, null, "run", -5, "running", true);
        var added = new EventRecord(1, at.AddTicks(-(at.Ticks % TimeSpan.TicksPerMillisecond)), "target", "met", "d1", "D1001", "d1", "d1 is met", "because");
        var (ended, device) = (attempt with { Id = "a0", EndedAt = at, Outcome = "done" }, new DeviceRecord(
            "d1", "ALD-DESK-001", new KeyRecord("k1", "x", "y"), "h2", at, at.AddDays(-1), 7, "", FactSheet.Empty, true));
        await using (var living = SqliteStore.Open(file))
        {
            // These stand in their tables: what takes something away waits for all before it.
            await living.Commit([
                new PutDevice(device), new PutTarget("D1001", target with { Wave = 1 }), new PutTarget("D1001", new Target { Device = "d3" }),
                new PutAttempt(ended with { EndedAt = null, Outcome = null })]);
            await living.Commit([new DeleteDevice("gone")]);
            await living.Commit([
                new PutTarget("D1001", target), new PutTarget("D1001", new Target { Device = "d2" }), new PutAttempt(ended), new PutAttempt(attempt),
                new AddEvent(added), new PutHeard("d1", at, 9)]);
            File.Copy(file, killed);
            File.Copy(file + "-wal", killed + "-wal");
        }

        for (var start = 0; start < 2; start++)
        {
            await using var store = SqliteStore.Open(killed);
            var world = store.Load();
            Assert.Equal([("D1001", target), ("D1001", new Target { Device = "d2" }), ("D1001", new Target { Device = "d3" })], world.Targets.OrderBy(
                each => each.Target.Device));
            Assert.Equal(attempt, Assert.Single(world.OpenAttempts));
            Assert.Equal((9, 1 + start), (Assert.Single(world.Devices).Sequence, world.LastEvent));
            Assert.Equal(added, Assert.Single(store.Events(new EventQuery("target", null, null, 0, null, 10))));
            Assert.Equal(added, store.Events(new EventQuery(null, "D1001", "d1", 0, null, 10))[0]);
            Assert.Equal(ended, store.Attempt("a0"));
            await store.Commit([new PutAttempt(world.OpenAttempts[0]), new AddEvent(added with { Number = 2 + start, Topic = "journal" })]);
            if (start == 1)
            {
                await store.Commit([new DeleteDevice("gone")]);
                Assert.Equal((0L, 3L, 2L, 3L), (
                    Scalar(killed, "SELECT count(*) FROM recent"), Scalar(killed, "SELECT count(*) FROM target"),
                    Scalar(killed, "SELECT count(*) FROM attempt"), Scalar(killed, "SELECT count(*) FROM event")));
                Assert.Equal(target, store.Load().Targets.Single(each => each.Target.Device == "d1").Target);
            }
        }
    }

    [Fact]
    public async Task Targets_of_an_earlier_program_come_over_and_what_it_left_on_its_way()
    {
        var file = Path.Combine(_folder, "earlier.db");
        Execute(file, await File.ReadAllTextAsync(Path.Combine(AppContext.BaseDirectory, "Databases", "version-7.sql"), TestContext.Current.CancellationToken));

        await using var store = SqliteStore.Open(file);
        var world = store.Load();
        var (at, targets) = (new DateTimeOffset(2026, 1, 14, 10, 0, 0, TimeSpan.Zero), world.Targets.ToList());
        Assert.Equal(
            new Target
            {
                Device = "d1", Wave = 1, State = TargetState.Retry, Reason = Reason.Said("Failed: no room"), Since = at.AddTicks(1234567),
                Next = at.AddMinutes(15), Variant = "desk", Tries = 1, HasBegun = true, Before = "7.1.0", TroubleAt = at,
                Harms = 2, Harm = "It does not print", AppWhenOpened = "", Order = 3,
            },
            targets[0].Target);
        Assert.Equal(("D1001", TargetState.Met), (targets[1].Deployment, targets[1].Target.State));
        Assert.Equal("a1", Assert.Single(world.OpenAttempts).Id);
        Assert.Equal("d1 is met", Assert.Single(store.Events(new EventQuery(null, null, null, 0, null, 10))).Text);
    }

    [Theory]
    [InlineData("x")]
    [InlineData("t\u0005D1001\u0002d1\u0001\u0077")]
    [InlineData("a{")]
    [InlineData("h\u0002d1 soon")]
    [InlineData("e\u0001\u0001\u0006target\u0003met\u007fcut short")]
    [InlineData("e\u0001\u0001\u00ff\u00ff\u00ff\u00ff\u00ff\u00ff\u00ff\u00ff")]
    public async Task What_is_damaged_on_its_way_is_refused_in_words(string line)
    {
        var file = Path.Combine(_folder, "damaged.db");
        await SqliteStore.Open(file).DisposeAsync();
        Execute(file, "INSERT INTO recent VALUES (1, CAST($data AS BLOB))", line);

        Assert.Contains("What was kept last cannot be read", Assert.Throws<StoreException>(() => SqliteStore.Open(file)).Message);
    }

    [Fact]
    public async Task What_waits_is_kept_as_the_platform_writes_numbers_and_texts()
    {
        var file = Path.Combine(_folder, "written.db");
        await SqliteStore.Open(file).DisposeAsync();
        var (at, text) = (new DateTimeOffset(2026, 3, 2, 8, 0, 0, TimeSpan.Zero), string.Concat(Enumerable.Repeat("Grün → ", 200)));
        using var form = new MemoryStream();
        using var writer = new BinaryWriter(form);
        writer.Write((byte)'e');
        writer.Write7BitEncodedInt64(300);
        writer.Write7BitEncodedInt64(at.Ticks);
        Array.ForEach(["target", "met", text], writer.Write);
        writer.Write7BitEncodedInt(0b1100);
        Array.ForEach(["d1", "because"], writer.Write);
        writer.Write((byte)'h');
        writer.Write("d1");
        writer.Write(at.ToUnixTimeMilliseconds());
        writer.Write(9L);
        Execute(file, $"INSERT INTO recent VALUES (1, x'{Convert.ToHexString(form.ToArray())}')");

        await using var store = SqliteStore.Open(file);
        var left = new EventRecord(300, at, "target", "met", null, null, "d1", text, "because");
        Assert.Equal(left, Assert.Single(store.Events(new EventQuery(null, null, "d1", 0, null, 10))));
        await store.Commit([
            new PutDevice(new DeviceRecord("d1", "ALD-DESK-001", new KeyRecord("k1", "x", "y"), "h2", at, at.AddDays(-1), 7, "", FactSheet.Empty, true)),
            new AddEvent(left with { Number = 301 })]);
        Assert.Equal((9L, 301L), (Assert.Single(store.Load().Devices).Sequence, store.Load().LastEvent));
        Assert.Equal([left, left with { Number = 301 }], store.Events(new EventQuery(null, null, "d1", 0, null, 10)));
    }

    [Fact]
    public async Task A_copy_taken_at_any_moment_holds_all_that_was_acknowledged()
    {
        var file = Path.Combine(_folder, "live.db");
        await using var store = SqliteStore.Open(file);
        for (var number = 1; number <= 12; number++)
        {
            await store.Commit([new AddEvent(new EventRecord(number, DateTimeOffset.UnixEpoch, "target", "met", null, "D1001", "d1", "", null))]);
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
        Assert.Equal(["kind desk 2026-11-02T08:00:00", "site ALD 2026-11-03T09:30:00"], device.Sheet.Facts().Select(
            fact => $"{world.WordBook[fact.Name]} {fact.Value} {fact.Since:s}"));
        Assert.Equal(["Foldline 7.1.0 receipt"], device.Sheet.Programs()!.Select(
            program => $"{world.WordBook[program.Name]} {world.WordBook[program.Version]} {world.WordBook[program.Source]}"));
        Assert.True(File.Exists(file + ".before-5"));
    }

    private static long Scalar(string file, string sql)
    {
        using var connection = new SqliteConnection($"Data Source={file};Pooling=False");
        connection.Open();
        using var command = connection.CreateCommand();
        command.CommandText = sql;
        return (long)command.ExecuteScalar()!;
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
