using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.Packages;
using Bandejo.Core.Versions;
using Bandejo.Core.World;
using Bandejo.Store;
using Microsoft.Data.Sqlite;
using Xunit;

namespace Bandejo.Store.Tests;

public sealed class SqliteTests : StoreContract, IDisposable
{
    private static readonly DateTimeOffset At = new(2026, 1, 14, 10, 0, 0, TimeSpan.Zero);

    private readonly string _folder = Directory.CreateTempSubdirectory("bandejo-store").FullName;

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public async Task A_newer_database_is_refused_with_the_version_it_has()
    {
        var file = Path.Combine(_folder, "newer.db");
        await DatabaseStore.Open(file).DisposeAsync();
        Execute(file, "PRAGMA user_version = 99");

        Assert.Contains("version 99", Assert.Throws<StoreException>(() => DatabaseStore.Open(file)).Message);
    }

    [Fact]
    public void What_is_no_database_is_refused_with_its_name()
    {
        var file = Path.Combine(_folder, "text.db");
        File.WriteAllText(file, new string('x', 5000));
        Assert.Contains("text.db", Assert.Throws<StoreException>(() => DatabaseStore.Open(file)).Message);
        Assert.Equal(5000, new FileInfo(file).Length);
    }

    [Fact]
    public async Task A_locked_database_fails_the_commit_and_loses_nothing()
    {
        var file = Path.Combine(_folder, "locked.db");
        await using var store = DatabaseStore.Open(file);
        await store.Commit(At, [new PutSetting("a", "1")]);
        using (var other = new SqliteConnection($"Data Source={file};Pooling=False"))
        {
            other.Open();
            using var transaction = other.BeginTransaction();
            await Assert.ThrowsAsync<StoreException>(() => store.Commit(At, [new PutSetting("a", "2")]));
        }

        Assert.Equal("1", store.Load().SiteSettings["a"]);
        await store.Commit(At, [new PutSetting("a", "3")]);
        Assert.Equal("3", store.Load().SiteSettings["a"]);
    }

    [Fact]
    public async Task Targets_of_an_earlier_program_come_over_and_what_it_left_on_its_way()
    {
        var file = Path.Combine(_folder, "earlier.db");
        Execute(file, await File.ReadAllTextAsync(Path.Combine(AppContext.BaseDirectory, "Databases", "version-7.sql"), TestContext.Current.CancellationToken));

        await using var store = DatabaseStore.Open(file);
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

    [Fact]
    public async Task Bytes_of_an_earlier_program_come_over_and_what_waited_for_its_table()
    {
        var file = Path.Combine(_folder, "earlier.db");
        Execute(file, await File.ReadAllTextAsync(Path.Combine(AppContext.BaseDirectory, "Databases", "version-13.sql"), TestContext.Current.CancellationToken));
        var (one, two, at) = (
            "01a22ca146c47024ab463cbed6a87454", "01a22ca146c471ab81b74045997c15e9", new DateTimeOffset(2026, 1, 14, 10, 0, 0, TimeSpan.Zero));

        for (var start = 0; start < 2; start++)
        {
            await using var store = DatabaseStore.Open(file);
            var world = store.Load();
            Assert.Equal([(one, at.AddSeconds(5), 9L), (two, at.AddSeconds(1), 8L)], world.Devices.Select(
                device => (device.Id, device.LastHeard!.Value, device.Sequence)));
            var waits = new Target
            {
                Device = two, Wave = 0, State = TargetState.Waiting, Since = at, Variant = "linux",
                Reason = new Reason(ReasonCode.WaveOpensAfter, "Everyone", "A tenth", "90 % met for 1 d"),
            };
            var met = new Target
            {
                Device = one, Wave = 2, State = TargetState.Met, Since = at.AddTicks(10), ProvenAt = at.AddTicks(10), Order = 6,
                Reason = new Reason(ReasonCode.Proven, "Foldline 7.2.0"),
            };
            // Of turns and files that earlier program knew nothing.
            var all = Everything(one, at) with { HasFiles = false, MayFetch = false, Lingers = false };
            Assert.Equal([("D1001", 0, all), ("D1001", 1, waits), ("D1002", 0, met), ("D1002", 1, waits)], world.Targets.Select(
                each => (each.Deployment, each.Place, each.Target)));
            Assert.Empty(world.OpenAttempts);
            Assert.Equal(("done", one), (store.Attempt("a1")!.Outcome, store.Attempt("a1")!.Device));
            Assert.Equal("a1", Assert.Single(store.Attempts(null, one, 10)).Id);
            Assert.Equal([(1L, one), (2L, null), (3L, one)], store.Events(new EventQuery(null, null, null, 0, null, 10)).Select(
                each => (each.Number, each.Device)));
            Assert.Equal([3L, 1], store.Events(new EventQuery(null, null, one, null, null, 10)).Select(each => each.Number));
            Assert.Equal(3, world.LastEvent);
        }

        Assert.True(File.Exists(file + ".before-14"));
    }

    [Theory]
    [InlineData("x")]
    [InlineData("t\u0005D1001\u0002d1\u0001\u0077")]
    [InlineData("a{")]
    [InlineData("h\u0002d1 soon")]
    [InlineData("e\u0001\u0001\u0006target\u0003met\u007fcut short")]
    [InlineData("e\u0001\u0001\u00ff\u00ff\u00ff\u00ff\u00ff\u00ff\u00ff\u00ff")]
    public async Task What_an_earlier_program_left_damaged_is_refused_in_words_and_stays_as_it_is(string line)
    {
        var file = Path.Combine(_folder, "damaged.db");
        Execute(file, await File.ReadAllTextAsync(Path.Combine(AppContext.BaseDirectory, "Databases", "version-13.sql"), TestContext.Current.CancellationToken));
        Execute(file, "INSERT INTO recent VALUES (3, CAST($data AS BLOB))", line);

        Assert.Contains($"The database {file} cannot be", Assert.Throws<StoreException>(() => DatabaseStore.Open(file)).Message);
        Assert.Equal((13L, 3L), (Scalar(file, "PRAGMA user_version"), Scalar(file, "SELECT count(*) FROM recent")));
    }

    [Theory]
    // No field; no share; of a share that is not there; a state, a place, a number of tries that cannot be; a reason that nobody knows; cut short.
    [InlineData("00")]
    [InlineData("1A0408001000")]
    [InlineData("12080A060A046E6F6E651A0408001005")]
    [InlineData("12080A060A046E6F6E651A06080010001863")]
    [InlineData("12080A060A046E6F6E651A0308FF01")]
    [InlineData("12080A060A046E6F6E651A0630FFFFFFFF0F")]
    [InlineData("12080A060A046E6F6E661A0408011000")]
    [InlineData("12080A060A046E6F6E651A04080010")]
    public async Task A_damaged_page_of_targets_is_refused_in_words_when_it_is_read_and_when_it_is_written(string body)
    {
        var file = Path.Combine(_folder, "page.db");
        await using var store = DatabaseStore.Open(file);
        await store.Commit(At, [Device("d1", 1), new PutTarget("D1001", new Target { Device = "d1" })]);
        Execute(file, "UPDATE target_page SET body = x'12080A060A046E6F6E651A0408011000'");
        Assert.Equal(new Target { Device = "d1" }, Assert.Single(store.Load().Targets).Target with { Wave = -1, Since = default });
        Execute(file, $"UPDATE target_page SET body = x'{body}'");

        Assert.Contains("cannot be read", Assert.Throws<StoreException>(() => store.Load().Targets.ToList()).Message);
        await Assert.ThrowsAsync<StoreException>(() => store.Commit(At, [new PutTarget("D1001", new Target { Device = "d1", Wave = 3 })]));
        Assert.Equal(body, Text(file, "SELECT hex(body) FROM target_page"));
    }

    [Theory]
    [MemberData(nameof(OfATarget))]
    public async Task Two_targets_that_differ_in_one_thing_alone_stay_two(string property)
    {
        var at = new DateTimeOffset(2026, 1, 14, 10, 0, 0, TimeSpan.Zero);
        var (whole, other) = (Everything("d1", at), Everything("d1", at) with { Device = "d2" });
        typeof(Target).GetProperty(property)!.SetValue(other, typeof(Target).GetProperty(property)!.GetValue(new Target { Device = "" }));
        await using var store = DatabaseStore.Open(Path.Combine(_folder, "pages.db"));
        await store.Commit(At, [Device("d1", 1), Device("d2", 2), new PutTarget("D1001", whole), new PutTarget("D1001", other)]);
        Assert.Equal([whole, other], store.Load().Targets.Select(each => each.Target));

        // And so they do in memory, where they come one after the other.
        Assert.Equal(whole.IsAlike(other), OwnToATarget.Contains(property));
    }

    private static readonly HashSet<string> OwnToATarget =
    [
        nameof(Target.Wave), nameof(Target.State), nameof(Target.Since), nameof(Target.Tries), nameof(Target.Repairs), nameof(Target.HasBegun),
        nameof(Target.IsInstalledHere), nameof(Target.IsGoingBack), nameof(Target.IsToGoBack), nameof(Target.CannotGoBack), nameof(Target.HasFailed),
        nameof(Target.ProvenAt), nameof(Target.Order), nameof(Target.HasFiles), nameof(Target.MayFetch), nameof(Target.Lingers),
    ];

    public static TheoryData<string> OfATarget =>
        [.. typeof(Target).GetProperties().Where(property => property.CanWrite).Select(property => property.Name).Where(name => name != nameof(Target.Device))];

    [Fact]
    public async Task A_target_in_a_wave_that_is_not_there_is_refused_in_words()
    {
        await using var store = DatabaseStore.Open(Path.Combine(_folder, "wave.db"));
        var plan = new DeploymentPlan
        {
            Id = "D1001", Name = "Foldline", App = "foldline", AppName = "Foldline", Package = "p1", Version = AppVersion.Parse("7.2.0"), Groups = [],
            Waves = [new Wave("All", new Pick(), null, null)],
        };
        var package = new PackageRecord("p1", "foldline", "7.2.0", "{}", "", "", "ines", default, PackageState.Released, []);
        await store.Commit(At, [
            Device("d1", 1), new PutPackage(package), new PutDeployment(new DeploymentRecord(
                "D1001", "Foldline", "p1", "{}", DeploymentState.Start(plan, "tomas", default), plan)),
            new PutTarget("D1001", new Target { Device = "d1", Wave = 4 })]);
        var contents = new PackageContents
        {
            Name = "Foldline", Variants = [], Needs = [], Settings = [], Presets = new Dictionary<string, IReadOnlyDictionary<string, string>>(), Files = [],
        };
        var world = new FleetWorld(new WordBook([]), TimeSpan.FromMinutes(5), _ => contents);
        Assert.Contains(
            "D1001 is in wave 5, and there are 1", Assert.Throws<StoreException>(() => store.Load().ApplyTo(world, (kept, _) => kept)).Message);
    }

    [Fact]
    public async Task What_a_target_says_comes_back_whole_also_beside_others_in_its_page()
    {
        var at = new DateTimeOffset(2026, 1, 14, 10, 0, 0, TimeSpan.Zero);
        // A property that is added and not kept would come back as it is by itself, and pass; so the sample must say something of each.
        Assert.DoesNotContain(typeof(Target).GetProperties().Where(property => property.CanWrite), property => Equals(
            property.GetValue(Everything("d5", at)), property.GetValue(new Target { Device = "" })));
        var targets = Enumerable.Range(1, 200).Select(
            number => number % 5 == 0 ? Everything($"d{number}", at.AddSeconds(-number)) : new Target { Device = $"d{number}", Wave = number, Since = at })
            .ToList();
        await using var store = DatabaseStore.Open(Path.Combine(_folder, "pages.db"));
        await store.Commit(At, [.. Enumerable.Range(1, 200).Select(number => Device($"d{number}", number)), .. targets.Select(
            target => new PutTarget("D1001", target))]);
        await store.Commit(At, [.. targets.Where((_, at) => at % 7 == 0).Select(target => new PutTarget("D1001", target with { Order = 9, Tries = 70 }))]);

        Assert.Equal(
            targets.Select((target, at) => ("D1001", at % 7 == 0 ? target with { Order = 9, Tries = 70 } : target)), store.Load().Targets.Select(
                each => (each.Deployment, each.Target)));
    }

    [Fact]
    public async Task A_copy_taken_at_any_moment_holds_all_that_was_acknowledged()
    {
        var file = Path.Combine(_folder, "live.db");
        await using var store = DatabaseStore.Open(file);
        for (var number = 1; number <= 12; number++)
        {
            await store.Commit(At, [new AddEvent(new EventRecord(number, DateTimeOffset.UnixEpoch, "target", "met", null, "D1001", "d1", "", null))]);
            var copy = Path.Combine(_folder, $"copy-{number}.db");
            File.Copy(file, copy);
            File.Copy(file + "-wal", copy + "-wal");
            await using var other = DatabaseStore.Open(copy);
            Assert.Equal(number, other.Load().LastEvent);
        }
    }

    [Fact]
    public async Task Devices_of_an_earlier_program_come_over_with_all_they_said()
    {
        var file = Path.Combine(_folder, "earlier.db");
        Execute(file, await File.ReadAllTextAsync(Path.Combine(AppContext.BaseDirectory, "Databases", "version-4.sql"), TestContext.Current.CancellationToken));

        await using var store = DatabaseStore.Open(file);
        var world = store.Load();
        var device = Assert.Single(world.Devices);
        Assert.Equal(("0198a0", "ALD-DESK-014", "kid", "digest", true), (device.Id, device.Name, device.Key.KeyId, device.FactsDigest, device.IsSorted));
        Assert.Equal(["kind desk 2026-11-02T08:00:00", "site ALD 2026-11-03T09:30:00"], device.Sheet.Facts().Select(
            fact => $"{world.WordBook[fact.Name]} {fact.Value} {fact.Since:s}"));
        Assert.Equal(["Foldline 7.1.0 receipt"], device.Sheet.Programs()!.Select(
            program => $"{world.WordBook[program.Name]} {world.WordBook[program.Version]} {world.WordBook[program.Source]}"));
        Assert.True(File.Exists(file + ".before-5"));
    }

    private static Target Everything(string device, DateTimeOffset at) => new()
    {
        Device = device, Wave = 2, State = TargetState.Retry,
        Reason = new Reason(ReasonCode.CannotGoBack) { Because = new Reason(ReasonCode.EarlierNotKept, "Kein Platz – 日本", "7.1.0") },
        Since = at.AddTicks(1234567), Next = at.AddHours(1), Variant = "desk", Tries = 2, Repairs = 1, HasBegun = true, IsInstalledHere = true,
        IsGoingBack = true, IsToGoBack = true, CannotGoBack = true, WaitsFor = "somebody is signed in", HasFailed = true, Before = "", BeforePackage = "cafe",
        ProvenAt = at.AddDays(-1), TroubleAt = at, TakenAt = at.AddDays(-2), Harms = 300, Harm = "It does not print", AppWhenOpened = "7.1.0", Order = 5,
        HasFiles = true, MayFetch = true, Lingers = true,
    };

    private static PutDevice Device(string id, int number) => new(new DeviceRecord(
        id, $"ALD-DESK-{number:000}", new KeyRecord($"k{number}", "x", "y"), "h2", DateTimeOffset.UnixEpoch, null, 7, "", FactSheet.Empty, true));

    private static long Scalar(string file, string sql) => (long)Value(file, sql);

    private static string Text(string file, string sql) => (string)Value(file, sql);

    private static object Value(string file, string sql)
    {
        using var connection = new SqliteConnection($"Data Source={file};Pooling=False");
        connection.Open();
        using var command = connection.CreateCommand();
        command.CommandText = sql;
        return command.ExecuteScalar()!;
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

    protected override string Place => Path.Combine(_folder, "bandejo.db");
}
