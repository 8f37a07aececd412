using System.Buffers.Binary;
using System.Security.Cryptography;
using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.Packages;
using Bandejo.Core.World;
using Bandejo.Store;
using Microsoft.Data.Sqlite;
using Xunit;

namespace Bandejo.Store.Tests;

/// <summary>The log in a SQLite file: what it holds against, and what is made of it.</summary>
public sealed class LogTests : IDisposable
{
    private static readonly DateTimeOffset At = new(2026, 1, 14, 10, 0, 0, TimeSpan.Zero);

    private readonly string _folder = Directory.CreateTempSubdirectory("bandejo-log").FullName;

    private string File => Path.Combine(_folder, "bandejo.db");

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public async Task All_that_can_be_changed_comes_back_from_the_log_as_it_was()
    {
        await Write();
        var before = Dump();
        Assert.Equal("6: ", Checked());

        // Whatever was made of it is taken away, and made again.
        foreach (var table in Tables())
        {
            Execute($"DELETE FROM {table}");
        }

        Assert.NotEqual(before, Dump());
        Assert.NotEmpty(DatabaseStore.Check(File).Differing);
        Assert.Equal(6, DatabaseStore.Rebuild(File));
        Assert.Equal(before, Dump());
        Assert.Equal("6: ", Checked());
    }

    [Fact]
    public async Task A_table_that_somebody_changed_by_hand_is_named()
    {
        await Write();
        Execute("UPDATE setting SET value = 'another'");
        Execute("DELETE FROM user_word");
        Assert.Equal(["setting", "user_word"], DatabaseStore.Check(File).Differing);
        Assert.Equal("another", Value("SELECT value FROM setting WHERE name = 'a'"));
    }

    [Theory]
    [InlineData("DELETE FROM log WHERE number = 3", "Record 3 of the log is missing; it has 6")]
    [InlineData("DELETE FROM log WHERE number = 6", "Record 6 of the log is missing; it has 6")]
    [InlineData("DELETE FROM log", "Record 1 of the log is missing; it has 6")]
    [InlineData("UPDATE log SET body = x'00' || substr(body, 2, length(body) - 2) || x'7F' WHERE number = 2", "Record 2 of the log is not as it was written")]
    [InlineData("UPDATE log SET at = at + 1 WHERE number = 4", "Record 4 of the log is not as it was written")]
    [InlineData("UPDATE log SET at = -1 WHERE number = 4", "Record 4 of the log is not as it was written")]
    [InlineData("UPDATE log SET epoch = 7 WHERE number = 5", "Record 5 of the log is not as it was written")]
    [InlineData("UPDATE log SET digest = x'00' WHERE number = 1", "Record 1 of the log is not as it was written")]
    [InlineData("UPDATE log_head SET number = 5", "The log does not end with record 5 as it was written")]
    [InlineData("UPDATE log_head SET digest = x'00'", "The log does not end with record 6 as it was written")]
    [InlineData("UPDATE log_head SET number = 7", "Record 7 of the log is missing; it has 7")]
    [InlineData("INSERT INTO log SELECT 7, epoch, at, digest, body FROM log WHERE number = 6", "The log says that it ends with record 6, and has record 7")]
    [InlineData("DELETE FROM log_head", "The log has no head")]
    public async Task A_log_that_is_not_whole_is_refused_with_what_is_wrong_and_stays_as_it_is(string damage, string says)
    {
        await Write();
        Execute(damage);
        var before = Dump();
        var refused = Assert.Throws<StoreException>(() => DatabaseStore.Open(File)).Message;
        Assert.Contains(says, refused);
        Assert.Contains("backup", refused);
        Assert.Equal(before, Dump());
    }

    [Theory]
    // A change of a kind that nobody knows; a body cut short; packed in no known way; a document that is none; a number of a word that cannot be.
    [InlineData("000A0808011204CA3E0101", "kind of change that this version does not know")]
    [InlineData("000A0808011204", "is damaged")]
    [InlineData("02", "packed in a way that this version does not know")]
    [InlineData("", "packed in a way that this version does not know")]
    [InlineData("01FFFFFFFF", "Record 7 of the log cannot be read")]
    [InlineData("000A07080112031201", "is damaged")]
    [InlineData("000A0B08011207120501020304FF", "Record 7 of the log cannot be read")]
    public async Task A_record_that_this_program_cannot_read_is_refused_in_words(string body, string says)
    {
        await Write();
        Execute($"INSERT INTO log SELECT 7, epoch, at, digest, x'{body}' FROM log WHERE number = 6");
        var digest = Convert.ToHexString(Digest(
            (byte[])Value("SELECT digest FROM log_head"), 7, (long)Value("SELECT epoch FROM log WHERE number = 7"),
            (long)Value("SELECT at FROM log WHERE number = 7"), Convert.FromHexString(body)));
        Execute($"UPDATE log SET digest = x'{digest}' WHERE number = 7");
        Execute($"UPDATE log_head SET number = 7, digest = x'{digest}'");
        Assert.Contains(says, Assert.Throws<StoreException>(() => DatabaseStore.Open(File)).Message);
        Assert.Contains(says, Assert.Throws<StoreException>(() => DatabaseStore.Rebuild(File)).Message);
    }

    [Fact]
    public async Task Whoever_wrote_before_another_began_to_writes_nothing_more()
    {
        await using var store = DatabaseStore.Open(File);
        await store.Commit(At, [new PutSetting("a", "1")]);
        Execute("UPDATE log_head SET epoch = epoch + 1");
        Assert.Contains("Another service", (await Assert.ThrowsAsync<StoreException>(() => store.Commit(At, [new PutSetting("a", "2")]))).Message);
        Assert.Equal("1", store.Load().SiteSettings["a"]);
    }

    [Fact]
    public async Task One_alone_writes_and_the_next_says_for_whom_it_waits_and_goes_on_when_that_one_ends()
    {
        var first = DatabaseStore.Open(File, "process 1 on desk-7");
        await first.Commit(At, [new PutSetting("a", "1")]);
        Assert.Equal(
            $"Another service (process 1 on desk-7) writes into {File}. End that one first.",
            Assert.Throws<StoreException>(() => DatabaseStore.Open(File)).Message);
        Assert.Contains("(process 1 on desk-7)", Assert.Throws<StoreException>(() => DatabaseStore.Rebuild(File)).Message);

        var says = new TaskCompletionSource<string>(TaskCreationOptions.RunContinuationsAsynchronously);
        var second = Task.Run(() => DatabaseStore.Open(File, "process 2", says.SetResult), TestContext.Current.CancellationToken);
        Assert.Contains("(process 1 on desk-7)", await says.Task);
        Assert.False(second.IsCompleted);
        await first.Commit(At, [new PutSetting("a", "2")]);
        await first.DisposeAsync();
        await using var opened = await second;
        Assert.Equal("2", opened.Load().SiteSettings["a"]);
        await opened.Commit(At, [new PutSetting("a", "3")]);
        Assert.Equal(2L, Value("SELECT max(epoch) FROM log"));
    }

    [Theory]
    [InlineData(4)]
    [InlineData(7)]
    [InlineData(13)]
    public async Task A_database_from_before_the_log_begins_one_with_all_that_it_has(int version)
    {
        Execute(await System.IO.File.ReadAllTextAsync(
            Path.Combine(AppContext.BaseDirectory, "Databases", $"version-{version}.sql"), TestContext.Current.CancellationToken));
        await DatabaseStore.Open(File).DisposeAsync();
        Assert.NotEqual(0L, Value("SELECT count(*) FROM device"));
        Assert.Equal("1: ", Checked());
    }

    [Fact]
    public async Task Whoever_only_looks_at_an_earlier_database_leaves_it_as_it_is()
    {
        Execute(await System.IO.File.ReadAllTextAsync(
            Path.Combine(AppContext.BaseDirectory, "Databases", "version-13.sql"), TestContext.Current.CancellationToken));
        foreach (var look in new Action[]
        {
            () => DatabaseStore.Check(File), () => DatabaseStore.Rebuild(File), () => DatabaseStore.Copy(File, File + ".copy"),
            () => DatabaseStore.Backup(File, File + ".backup"),
        })
        {
            Assert.Contains("has version 13, and this program keeps", Assert.Throws<StoreException>(look).Message);
        }

        Assert.Equal(13L, Value("PRAGMA user_version"));
    }

    [Theory]
    [InlineData(16)]
    [InlineData(17)]
    [InlineData(18)]
    [InlineData(19)]
    [InlineData(20)]
    public async Task A_log_of_each_form_is_read_as_it_was_meant(int version)
    {
        // The same changes, written today.
        await Write(version);
        var today = Dump(isWithLog: false);
        System.IO.File.Delete(File);
        Execute(await System.IO.File.ReadAllTextAsync(
            Path.Combine(AppContext.BaseDirectory, "Databases", $"version-{version}.sql"), TestContext.Current.CancellationToken));
        await DatabaseStore.Open(File).DisposeAsync();
        Assert.Equal("6: ", Checked());
        foreach (var table in Tables())
        {
            Execute($"DELETE FROM {table}");
        }

        Assert.Equal(6, DatabaseStore.Rebuild(File));
        Assert.Equal(today, Dump(isWithLog: false));
    }

    [Fact]
    public void There_is_no_database_to_be_checked_where_there_is_none()
    {
        Assert.Contains("There is no database", Assert.Throws<StoreException>(() => DatabaseStore.Check(File)).Message);
        Assert.False(System.IO.File.Exists(File));
    }

    /// <summary>As the design says how records are chained.</summary>
    private static byte[] Digest(byte[] before, long number, long epoch, long at, byte[] body)
    {
        var words = new byte[24];
        BinaryPrimitives.WriteInt64BigEndian(words, number);
        BinaryPrimitives.WriteInt64BigEndian(words.AsSpan(8), epoch);
        BinaryPrimitives.WriteInt64BigEndian(words.AsSpan(16), at);
        return SHA256.HashData([.. before, .. words, .. body]);
    }

    /// <summary>Six records with a change of every kind.</summary>
    /// <param name="version">Only with what a log of that form had.</param>
    private async Task Write(int version = 20)
    {
        var key = new KeyRecord("k1", "x", "y");
        var device = new DeviceRecord(
            "d1", "ALD-DESK-001", key, "h2", At, At, 7, "digest", FactSheet.Of([new ReportedFact(0, "desk", At)], [new ReportedProgram(1, 2, 3)]), true, ["w1"]);
        var other = device with { Id = "d2", Name = "ALD-DESK-002", Key = key with { KeyId = "k2" }, Heard = null, LastHeard = null };
        var package = new PackageRecord("p1", "foldline", "7.2.0", "{}", "jws", "seal", "ines", At, PackageState.Released, [new LifeRecord("built", "ines", At, "")]);
        var attempt = new AttemptRecord("a1", "D1001", "d1", "install", "7.2.0", At, null, null, "run", null, "", false);
        var target = new Target { Device = "d1", Wave = 0, State = TargetState.Retry, Reason = new Reason(ReasonCode.TryFailed, "code 112", "2", "3"), Since = At };
        var deployment = new DeploymentRecord("D1001", "Foldline", "p1", "{}", new DeploymentState { Status = DeploymentStatus.Running, Waves = [], StartedBy = "tomas", StartedAt = At, Since = At });
        IReadOnlyList<Change> first =
        [
            new AddWord(0, "kind"), new AddWord(1, "foldline"), new AddWord(2, "old"), new PutSetting("a", "1"),
            new PutAccount(new AccountRecord("tomas", "Tomas", "hash", ["operator"], false, [key], 3)), new PutToken(new TokenRecord(
                "t1", "tomas", "h1", "command line", At, At.AddDays(90), ["viewer"], true)), new PutToken(new TokenRecord("t2", "tomas", "h3", "", At, At)),
            new PutJoinCode(new JoinCodeRecord("c1", "h2", "pilots", 4, At, "tomas")), new PutJoinCode(new JoinCodeRecord("c2", "h4", null, 4, At, "tomas")),
            new PutOnce(new OnceRecord("tomas", "one", "digest", At, 201, "{}")), new PutOnce(new OnceRecord("tomas", "two", "digest", At)),
            new PutDevice(device), new PutDevice(other), new PutUserWord("d1", "w1"), new PutGroup(new GroupRecord("pilots", "Pilots", null, true, 1)),
            new PutGroup(new GroupRecord("left", "Left", "kind is known", false, 1)), new PutMember("pilots", "d1"), new PutMember("pilots", "d2"),
            new PutMoves("left", ["d1", "d2"], []), new PutWavePlan(new WavePlanRecord("calm", "Calm", "[]", 1)), new PutWavePlan(new WavePlanRecord("gone", "Gone", "[]", 1)),
            new PutCalendar(new CalendarRecord("nights", "Nights", false, "BEGIN:VCALENDAR", 1)),
            new PutCalendar(new CalendarRecord("gone", "Gone", true, "BEGIN:VCALENDAR", 1)),
            new PutHandling(new HandlingRecord("gentle", "Gentle", new KeptHandling(), ["foldline"], 1)),
            new PutHandling(new HandlingRecord("gone", "Gone", new KeptHandling(), [], 1)),
            new PutDeviceTrial(new DeviceTrialRecord("r1", "d1", "p1", "desk", null, null, "tomas", At, null, null, false, "", null)), new PutPackage(package),
            new PutDeployment(deployment), new PutTarget("D1001", target), new PutAttempt(attempt),
            new AddEvent(new EventRecord(1, At, "journal", "started", "tomas", "D1001", "d1", "It started.", "because")),
        ];
        await using var store = DatabaseStore.Open(File);
        await store.Commit(At, Kept(first));
        var (ahead, dropped) = (await store.PutAhead(At, [target, target with { Device = "d2" }]), await store.PutAhead(At, [target]));
        await store.DropAhead(At, dropped);
        IReadOnlyList<Change> second =
        [
            new PutMoves("left", [], ["d2"]), new ForgetPast("targets", 1, At, 0, long.MaxValue), new DeleteWord(2), new DeleteToken("t2", "h3"), new DeleteJoinCode("c2", "h4"), new DeleteOnce("tomas", "two"), new PutHeard("d1", At.AddHours(1), 8), new DeleteGroup("left"),
            new DeleteMember("pilots", "d2"), new DeleteWavePlan("gone"), new DeleteHandling("gone"), new DeleteCalendar("gone"), new PutTargetsAhead("D1002", ahead), new PutDeployment(
                deployment with { Id = "D1002", State = deployment.State with { Revision = 2 } }), new PutAttempt(
                attempt with { Outcome = "failed", ExitCode = 112, EndedAt = At.AddMinutes(2) }),
            new AddEvent(new EventRecord(2, At, "target", "failed", null, null, null, "It failed.", null)),
        ];
        await store.Commit(At.AddHours(1), Kept(second));
        await store.Commit(At.AddHours(2), [new DeleteDevice("d2"), new PutTarget("D1001", target with { State = TargetState.Met })]);

        // Every kind of change that is kept is among them.
        var kinds = typeof(Change).Assembly.GetTypes().Where(
            type => type.IsSubclassOf(typeof(Change)) && type != typeof(NoteHeard) && type != typeof(NoteMemory) && type != typeof(TakeDeployment)
                && type != typeof(BringTargets));
        Assert.Empty(kinds.Except([.. first.Concat(second).Select(change => change.GetType()), typeof(DeleteDevice)]));

        IReadOnlyList<Change> Kept(IReadOnlyList<Change> changes) => [.. changes.Where(
            change => (version > 16 || change is not (PutMoves or ForgetPast)) && (version > 17 || change is not (PutOnce or DeleteOnce))
                && (version > 19 || change is not (PutCalendar or DeleteCalendar)))];
    }

    private string Checked() => DatabaseStore.Check(File) is var (records, differing) ? $"{records}: {string.Join(", ", differing)}" : "";

    private List<string> Tables() =>
        [.. Rows("SELECT name FROM sqlite_master WHERE type = 'table' AND name NOT LIKE 'sqlite_%' AND name NOT LIKE 'log%' ORDER BY name")];

    /// <summary>All that stands in the database, but for who writes.</summary>
    private string Dump(bool isWithLog = true) => string.Join('\n', Tables().Concat(isWithLog ? ["log"] : []).Select(table =>
    {
        var columns = Rows($"SELECT group_concat('quote(' || name || ')', ' || '' '' || ') FROM pragma_table_info('{table}')").Single();
        return $"{table}\n{string.Join('\n', Rows($"SELECT {columns} FROM {table}").Order(StringComparer.Ordinal))}";
    }));

    private object Value(string sql)
    {
        using var connection = Connect();
        using var command = connection.CreateCommand();
        command.CommandText = sql;
        return command.ExecuteScalar()!;
    }

    private List<string> Rows(string sql)
    {
        using var connection = Connect();
        using var command = connection.CreateCommand();
        command.CommandText = sql;
        using var reader = command.ExecuteReader();
        var rows = new List<string>();
        while (reader.Read())
        {
            rows.Add(reader.GetString(0));
        }

        return rows;
    }

    private void Execute(string sql)
    {
        using var connection = Connect();
        using var command = connection.CreateCommand();
        command.CommandText = sql;
        command.ExecuteNonQuery();
    }

    private SqliteConnection Connect()
    {
        var connection = new SqliteConnection($"Data Source={File};Pooling=False");
        connection.Open();
        return connection;
    }
}
