using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.Packages;
using Bandejo.Core.World;
using Bandejo.Store;
using Xunit;

namespace Bandejo.Store.Tests;

/// <summary>What every store must do. One class for each kind of store runs these.</summary>
public abstract class StoreContract : IAsyncLifetime
{
    private static readonly DateTimeOffset Now = new(2026, 1, 14, 10, 0, 0, 123, TimeSpan.Zero);

    private IStore _store = null!;

    /// <summary>Where the store keeps what it keeps.</summary>
    protected abstract string Place { get; }

    private DatabaseStore Open() => DatabaseStore.Open(Place);

    public ValueTask InitializeAsync()
    {
        _store = Open();
        return ValueTask.CompletedTask;
    }

    public async ValueTask DisposeAsync()
    {
        await _store.DisposeAsync();

        // Whatever a test did: the tables are what the log makes of it.
        Assert.Empty(DatabaseStore.Check(Place).Differing);
        GC.SuppressFinalize(this);
    }

    [Fact]
    public async Task A_number_whose_word_went_may_come_again_with_another_word()
    {
        await _store.Commit(Now, [new AddWord(0, "kind"), new AddWord(1, "foldline"), new AddWord(2, "7.1.0")]);
        await _store.Commit(Now, [new DeleteWord(0), new DeleteWord(1), new AddWord(1, "inkwell")]);
        await _store.DisposeAsync();
        _store = Open();
        var words = _store.Load().WordBook;
        Assert.Equal((2, "inkwell", "7.1.0"), (words.Count, words[1], words[2]));
        Assert.False(words.Holds("kind"));
    }

    [Fact]
    public async Task Everything_comes_back_as_it_was_kept_after_a_restart()
    {
        var key = new KeyRecord("k1", "x", "y");
        var account = new AccountRecord("tomas", "Tomas", "hash", ["operator", "viewer"], false, [key], 3);
        var token = new TokenRecord("t1", "tomas", "h1", "command line", Now, Now.AddDays(90));
        var code = new JoinCodeRecord("c1", "h2", "pilots", 4, Now.AddHours(1), "tomas");
        var once = new OnceRecord("tomas", "one", "digest", Now, 201, """{"id":"D1001"}""");
        var device = new DeviceRecord(
            "d1", "ALD-DESK-001", key, "h2", Now, Now, 7, "digest", FactSheet.Of([new ReportedFact(0, "desk", Now)], [new ReportedProgram(1, 2, 3)]), true,
            ["w1", "w2"]);
        var bare = device with
        {
            Id = "d2", Name = "ALD-DESK-002", Key = new KeyRecord("k2", "x", "y"), Sheet = FactSheet.Empty, LastHeard = null, Heard = null,
        };
        var group = new GroupRecord("pilots", "Pilots", null, true, 1);
        var package = new PackageRecord("p1", "foldline", "7.2.0", "{}", "jws", "seal", "ines", Now, PackageState.Released, [new LifeRecord(
            "built", "ines", Now, "")]);
        var state = new DeploymentState
        {
            Status = DeploymentStatus.Halted, StartedBy = "tomas", StartedAt = Now, Since = Now, Reason = "3 of 12 failed", Revision = 9,
            Waves = [new WaveState(Now, null, true, Now, 12), WaveState.Closed],
        };
        var target = new Target
        {
            Device = "d1", Wave = 0, State = TargetState.Retry, Reason = new Reason(ReasonCode.TryFailed, "code 112", "2", "3"), Since = Now,
            Next = Now.AddMinutes(15), Tries = 2, Before = "", HasBegun = true, Order = 4, TroubleAt = Now,
        };
        var attempt = new AttemptRecord("a1", "D1001", "d1", "install", "7.2.0", Now, null, null, "run", null, "", false);
        await _store.Commit(Now, [
            new AddWord(0, "kind"), new AddWord(1, "foldline"), new PutSetting("key", "value"), new PutAccount(account), new PutToken(token),
            new PutJoinCode(code), new PutOnce(once with { Status = null, Answer = "" }), new PutOnce(once), new PutOnce(once with { Key = "two" }),
            new DeleteOnce("tomas", "two"), new PutDevice(device), new PutDevice(bare), new PutGroup(group), new PutMember("pilots", "d1"),
            new PutPackage(package), new PutDeployment(new DeploymentRecord("D1001", "Foldline", "p1", "{}", state)), new PutTarget("D1001", target),
            new PutAttempt(attempt), new AddEvent(Event(1, "journal"))]);

        await _store.DisposeAsync();
        _store = Open();
        var world = _store.Load();
        Assert.Equal("value", world.SiteSettings["key"]);
        Assert.Equivalent(account, Assert.Single(world.Accounts), strict: true);
        Assert.Equal(token, Assert.Single(world.Tokens));
        Assert.Equal(code, Assert.Single(world.JoinCodes));
        Assert.Equal(once, Assert.Single(world.Onces));
        Assert.Equal(("kind", "foldline", 2), (world.WordBook[0], world.WordBook[1], world.WordBook.Count));
        Assert.Equal(2, world.DeviceCount);
        var devices = world.Devices.ToList();
        Assert.Equivalent(new[] { device, bare }, devices, strict: true);
        Assert.Equal(device.Sheet.Form.ToArray(), devices[0].Sheet.Form.ToArray());
        Assert.Equal(group, Assert.Single(world.Groups));
        Assert.Equal(("pilots", "d1"), Assert.Single(await world.Members));
        Assert.Equivalent(package, Assert.Single(world.Packages), strict: true);
        Assert.Equivalent(state, Assert.Single(world.Deployments).State, strict: true);
        Assert.Equal(new KeptTarget("D1001", 0, target), Assert.Single(world.Targets));
        Assert.Equal(attempt, Assert.Single(world.OpenAttempts));
        Assert.Equal(1, world.LastEvent);
    }

    [Fact]
    public async Task The_later_change_wins_and_what_was_deleted_is_gone()
    {
        var group = new GroupRecord("pilots", "Pilots", null, false, 1);
        await _store.Commit(Now, [new PutGroup(group), new PutMember("pilots", "d1"), new PutMember("pilots", "d1"), new PutMember("pilots", "d2"), new PutGroup(
            group with { Name = "Others", Revision = 2 })]);
        await _store.Commit(Now, [new DeleteMember("pilots", "d1")]);
        var world = _store.Load();
        Assert.Equal(("Others", 2), (world.Groups[0].Name, world.Groups[0].Revision));
        Assert.Equal(("pilots", "d2"), Assert.Single(await world.Members));
        await _store.Commit(Now, [new DeleteGroup("pilots")]);
        Assert.Empty(await _store.Load().Members);
    }

    [Fact]
    public async Task In_one_commit_the_last_change_of_a_row_is_kept_and_a_later_word_of_a_device_counts()
    {
        var device = new DeviceRecord("d1", "ALD-DESK-001", new KeyRecord("k1", "x", "y"), "h2", Now, Now, 7, "", FactSheet.Empty, true);
        var target = new Target { Device = "d1", Wave = 0, State = TargetState.Working };
        await _store.Commit(Now, [
            new PutDevice(device), new PutTarget("D1001", target), new PutTarget("D1001", target with { State = TargetState.Met }),
            new PutHeard("d1", Now.AddHours(1), 8), new PutHeard("d1", Now.AddHours(2), 9)]);
        var world = _store.Load();
        Assert.Equal(TargetState.Met, Assert.Single(world.Targets).Target.State);
        var heard = Assert.Single(world.Devices);
        Assert.Equal((Now.AddHours(2), 9), (heard.LastHeard, heard.Sequence));
        await _store.Commit(Now, [new PutTarget("D1002", target), new DeleteDevice("d1")]);
        world = _store.Load();
        Assert.Empty(world.Devices);
        Assert.Empty(world.Targets);

        // Another that joins under the same name has nothing of it.
        await _store.Commit(Now, [new PutDevice(device with { Id = "d2", Key = new KeyRecord("k2", "x", "y") })]);
        Assert.Empty(_store.Load().Targets);
    }

    [Fact]
    public async Task Targets_of_what_is_over_are_read_when_they_are_asked_for()
    {
        DeviceRecord Device(int number) => new(
            $"d{number}", $"ALD-DESK-{number:0000}", new KeyRecord($"k{number}", "x", "y"), "h2", Now, Now, 7, "", FactSheet.Empty, true);
        var targets = Enumerable.Range(1, 600).Select(number => new Target { Device = $"d{number}", Wave = 0, State = TargetState.Met, Order = number }).ToList();
        var state = new DeploymentState { Status = DeploymentStatus.Ended, Waves = [], StartedBy = "tomas", StartedAt = Now };
        DeploymentRecord Deployment(string id) => new(id, id, "p1", "{}", state);
        await _store.Commit(Now, [.. Enumerable.Range(1, 600).Select(number => new PutDevice(Device(number))), .. ((string[])["D1001", "D1002", "D1003"]).SelectMany(
            id => (IEnumerable<Change>)[new PutDeployment(Deployment(id)), .. targets.Take(id == "D1003" ? 3 : 600).Select(target => new PutTarget(id, target))])]);
        var counts = new ShelvedCounts(600, new Dictionary<string, int> { ["met"] = 600 }, [
            new WaveFigures(600, 600, 600, 0, 0, 0, 0, 0, 0, new Dictionary<string, int> { ["met"] = 600 }, Now)]);
        await _store.Commit(Now, [
            new PutDeployment(Deployment("D1001") with { State = state with { Shelved = counts } }),
            new PutDeployment(Deployment("D1003") with { State = state with { Shelved = counts with { Count = 3 } } })]);
        await _store.DisposeAsync();
        _store = Open();
        var kept = _store.Load();
        Assert.Equal(600, kept.Targets.Count(target => target.Deployment == "D1002" ? true : throw new InvalidOperationException(target.Deployment)));
        var read = kept.Deployments[0].State.Shelved!;
        Assert.Equal((600, 600, Now, 600), (read.Count, read.Waves[0].Top, read.Waves[0].Trouble, read.Waves[0].States["met"]));
        Assert.Equal(targets, _store.Targets("D1001"));
        Assert.Empty(_store.Targets("D1009"));
        var of = _store.Targets("d300", ["D1001", "D1003", "D1009"]);
        Assert.Equal(("D1001", targets[299]), Assert.Single(of.Targets));
        Assert.Equal(3, of.LookedIn.Count);
        Assert.Equal(["D1001", "D1003"], _store.Targets("d2", ["D1001", "D1003"]).Targets.Select(each => each.Deployment));
        Assert.Empty(_store.Targets("d9999", ["D1001"]).Targets);
    }

    [Fact]
    public async Task Targets_that_are_kept_ahead_count_once_their_deployment_begins()
    {
        DeviceRecord Device(int number) => new(
            $"d{number}", $"ALD-DESK-{number:0000}", new KeyRecord($"k{number}", "x", "y"), "h2", Now, Now, 7, "", FactSheet.Empty, true);
        var targets = Enumerable.Range(1, 3000).Select(number => new Target { Device = $"d{number}", Wave = number % 3, State = TargetState.Waiting }).ToList();
        await _store.Commit(Now, [.. Enumerable.Range(1, 3000).Select(number => new PutDevice(Device(number)))]);
        var (dropped, ahead, left) = (await _store.PutAhead(Now, targets), await _store.PutAhead(Now, targets), await _store.PutAhead(Now, targets.Take(1)));
        Assert.Empty(_store.Load().Targets);

        await _store.DropAhead(Now, dropped);
        await _store.Commit(Now, [new DeleteDevice("d3000")]);
        await _store.Commit(Now, [new PutTargetsAhead("D1001", ahead), new PutTarget("D1001", targets[7] with { State = TargetState.Ready })]);
        await _store.DisposeAsync();
        _store = Open();
        var expected = targets.Take(2999).Select(target => ("D1001", target.Device == "d8" ? target with { State = TargetState.Ready } : target));
        Assert.Equal(expected, _store.Load().Targets.Select(each => (each.Deployment, each.Target)));

        // What no deployment began with is gone after a start, and what was given is not given again.
        await Assert.ThrowsAsync<StoreException>(() => _store.Commit(Now, [new PutTargetsAhead("D1002", left)]));
        _store.Load();
        await Assert.ThrowsAsync<StoreException>(() => _store.Commit(Now, [new PutTargetsAhead("D1002", ahead)]));
        Assert.Equal(expected, _store.Load().Targets.Select(each => (each.Deployment, each.Target)));
        await _store.Commit(Now, [new PutTargetsAhead("D1003", await _store.PutAhead(Now, []))]);
    }

    [Fact]
    public async Task What_was_just_kept_is_found_at_once_and_once_wherever_it_stands()
    {
        var attempt = new AttemptRecord("a1", "D1001", "d1", "install", "7.2.0", Now, null, null, "run", null, "", false);
        for (var round = 0; round < 40; round++)
        {
            // Sooner or later in this loop, what was kept goes from where it was written into its table.
            await _store.Commit(Now, [
                new AddEvent(Event((2 * round) + 1, "target")), new PutAttempt(attempt with { Id = $"a{round}", StartedAt = Now.AddMinutes(round) }),
                new AddEvent(Event((2 * round) + 2, "journal"))]);
            Assert.Equal(
                Enumerable.Range(1, (2 * round) + 2).Select(number => (long)number),
                _store.Events(new EventQuery(null, null, null, 0, null, 1000)).Select(each => each.Number));
            Assert.Equal([(2 * round) + 2], _store.Events(new EventQuery("journal", null, null, null, null, 1)).Select(each => each.Number));
            Assert.Equal(round + 1, _store.Attempts(null, "d1", 1000).Count);
            Assert.Equal($"a{round}", _store.Attempts("D1001", null, 1)[0].Id);
            Assert.Equal($"a{round}", _store.Attempt($"a{round}")?.Id);
        }

        await _store.Commit(Now, [new PutAttempt(attempt with { Id = "a3", Device = "d2", Outcome = "done" })]);
        Assert.Equal(40, _store.Load().OpenAttempts.Count);
        Assert.Equal("d1", _store.Attempt("a3")!.Device);
    }

    [Fact]
    public async Task An_attempt_stays_with_the_device_that_told_of_it_first_also_where_both_are_kept_together()
    {
        var attempt = new AttemptRecord("a1", "D1001", "d1", "install", "7.2.0", Now, null, null, "run", null, "", false);
        await _store.Commit(Now, [new PutAttempt(attempt), new PutAttempt(attempt with { Device = "d2", Outcome = "done" })]);
        await _store.Commit(Now, [
            new PutAttempt(attempt with { Id = "a2" }), new PutAttempt(attempt with { Id = "a2", Device = "d2", Outcome = "done" }),
            new PutAttempt(attempt with { Id = "a2", Outcome = "failed" })]);
        Belong();

        void Belong()
        {
            Assert.Equal(("d1", null), (_store.Attempt("a1")!.Device, _store.Attempt("a1")!.Outcome));
            Assert.Equal(("d1", "failed"), (_store.Attempt("a2")!.Device, _store.Attempt("a2")!.Outcome));
        }
    }

    [Fact]
    public async Task An_attempt_that_ended_is_no_longer_open_and_still_found()
    {
        var attempt = new AttemptRecord("a1", "D1001", "d1", "install", "7.2.0", Now, null, null, "run", null, "", false);
        await _store.Commit(Now, [new PutAttempt(attempt), new PutAttempt(attempt with { Id = "a2", StartedAt = Now.AddHours(1) })]);
        await _store.Commit(Now, [new PutAttempt(attempt with { Outcome = "failed", ExitCode = 112, EndedAt = Now.AddMinutes(1) })]);
        Assert.Equal("a2", Assert.Single(_store.Load().OpenAttempts).Id);
        Assert.Equal(112, _store.Attempt("a1")!.ExitCode);
        Assert.Null(_store.Attempt("nobody's"));
        Assert.Equal(["a2", "a1"], _store.Attempts("D1001", "d1", 10).Select(each => each.Id));
        Assert.Equal(["a2"], _store.Attempts(null, "d1", 1).Select(each => each.Id));
        Assert.Empty(_store.Attempts("D1001", "d9", 10));
    }

    [Fact]
    public async Task Events_are_read_on_from_a_number_or_back_from_the_newest()
    {
        await _store.Commit(Now, [.. Enumerable.Range(1, 10).Select(number => new AddEvent(Event(number, number % 2 == 0 ? "journal" : "audit")))]);
        Assert.Equal([8L, 9, 10], _store.Events(new EventQuery(null, null, null, 7, null, 100)).Select(each => each.Number));
        Assert.Equal([10L, 8], _store.Events(new EventQuery("journal", null, null, null, null, 2)).Select(each => each.Number));
        Assert.Equal([6L, 4, 2], _store.Events(new EventQuery("journal", "D1001", "d1", null, 8, 100)).Select(each => each.Number));
        Assert.Equal(Now, _store.Events(new EventQuery(null, null, null, 0, null, 1))[0].At);
    }

    [Fact]
    public async Task All_of_a_commit_is_kept_or_nothing_and_nothing_after_a_failure_until_it_is_loaded_again()
    {
        await _store.Commit(Now, [new AddEvent(Event(1, "journal"))]);
        await Assert.ThrowsAsync<StoreException>(() => _store.Commit(Now, [new PutSetting("half", "done"), new AddEvent(Event(1, "journal"))]));
        await Assert.ThrowsAsync<StoreException>(() => _store.Commit(Now, [new PutSetting("on top of", "what was lost")]));
        Assert.Empty(_store.Load().SiteSettings);
        await _store.Commit(Now, [new PutSetting("again", "yes")]);
        Assert.Equal("yes", _store.Load().SiteSettings["again"]);
    }

    [Fact]
    public async Task Many_callers_at_once_are_all_kept()
    {
        var (inOrder, last) = (new Lock(), 0);
        await Task.WhenAll(Enumerable.Range(0, 500).Select(_ => Task.Run(() =>
        {
            // Numbers are given in the order of the commits, as by the service.
            lock (inOrder)
            {
                last++;
                return _store.Commit(Now, [new AddEvent(Event(last, "journal")), new PutSetting($"s{last}", "x")]);
            }
        })));
        var world = _store.Load();
        Assert.Equal((500, 500L), (world.SiteSettings.Count, world.LastEvent));
    }

    private static EventRecord Event(long number, string topic) => new(number, Now, topic, "what", "tomas", "D1001", "d1", "text", null);
}
