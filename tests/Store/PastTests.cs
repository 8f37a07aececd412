using System.Text;
using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.Tests.World;
using Bandejo.Core.World;
using Bandejo.Store;
using Xunit;

namespace Bandejo.Store.Tests;

/// <summary>What is read of a past moment is what stood in memory then.</summary>
public sealed class PastTests(OnePostgres postgres) : IDisposable
{
    private const int Steps = 480;

    private static readonly DateTimeOffset At = new(2026, 1, 14, 10, 0, 0, TimeSpan.Zero);

    private readonly string _folder = Directory.CreateTempSubdirectory("bandejo-past").FullName;

    private string File => Path.Combine(_folder, "bandejo.db");

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Theory]
    [InlineData(15, false)]
    [InlineData(13, false)]
    [InlineData(14, true)]
    public async Task Any_past_moment_is_read_as_it_stood_in_memory(int seed, bool isServer)
    {
        var place = isServer ? postgres.Make() : File;
        var history = new RandomHistory(seed);
        var (then, kept) = (new List<(DateTimeOffset At, string Stood)>(), 0);
        foreach (var part in Enumerable.Range(0, 3))
        {
            // A service that starts again keeps the past as one that did not.
            await using var store = DatabaseStore.Open(place);
            for (var step = 0; step < Steps / 3; step++)
            {
                history.Step();
                await store.Commit(history.World.Now, [.. history.Changes.Skip(kept), .. history.World.TakeWords()]);
                kept = history.Changes.Count;
                if (then.Count > 0 && then[^1].At == history.World.Now)
                {
                    then.RemoveAt(then.Count - 1);
                }

                then.Add((history.World.Now, Now(history.World)));
            }

            // What one service kept and another goes on with.
            Assert.All(part == 0 ? [] : then, each => Assert.Equal(each.Stood, Then(store.Past(each.At)!)));
            Assert.Null(store.Past(then[0].At.AddDays(-400)));
        }

        // Something was there to be asked: targets that moved, and groups with somebody in them.
        var moved = then.SelectMany(each => each.Stood.Split('\n')).Where(line => line.StartsWith("  ", StringComparison.Ordinal)).Distinct().Count();
        Assert.True(moved > 25, $"{moved}");
        Assert.Contains(then, each => each.Stood.Contains("0000000", StringComparison.Ordinal));
        Assert.Empty(DatabaseStore.Check(place).Differing);
    }

    [Fact]
    public async Task However_often_something_changed_each_moment_is_read_as_it_was()
    {
        const int Changes = 700;
        for (var part = 0; part < 2; part++)
        {
            await using var store = DatabaseStore.Open(File);
            await store.Commit(At, part == 0 ? [new AddWord(0, "memory"), new PutGroup(Group("pilots"))] : []);
            for (var each = part * Changes / 2; each < (part + 1) * Changes / 2; each++)
            {
                var device = $"d{each % 3}";
                await store.Commit(At.AddMinutes(each), [
                    new PutDevice(Device(device, [new ReportedFact(0, $"{each}", At)], null)), new PutTarget("D1001", new Target { Device = device, Tries = each, Since = At.AddMinutes(each) }),
                    each % 2 == 0 ? new PutMember("pilots", device) : new DeleteMember("pilots", device)]);
            }
        }

        await using var kept = DatabaseStore.Open(File);
        for (var each = 3; each < Changes; each++)
        {
            var past = kept.Past(At.AddMinutes(each))!;
            Assert.Equal([each, each - 1, each - 2], new[] { each, each - 1, each - 2 }.Select(of => Target(past, $"d{of % 3}")!.Tries));
            Assert.Equal($"{each - 2}", past.Device($"d{(each - 2) % 3}")!.Fact("memory"));
            Assert.Equal(new[] { each, each - 1, each - 2 }.Count(of => of % 2 == 0), past.Members("pilots").Count());
        }

        Assert.Equal(234, kept.History(["D1001"], "d0", 1000).Count);
    }

    [Theory]
    [InlineData(false)]
    [InlineData(true)]
    public async Task What_is_forgotten_goes_and_from_then_on_all_is_read_as_before(bool isServer)
    {
        const int Changes = 600;
        var place = isServer ? postgres.Make() : File;
        await using (var store = DatabaseStore.Open(place))
        {
            await store.Commit(At, [new AddWord(0, "memory"), new PutGroup(Group("pilots"))]);
            for (var each = 0; each < Changes; each++)
            {
                var device = $"d{each % 3}";
                var attempt = new AttemptRecord(
                    $"a{each}", "D1001", device, "install", "1", At.AddMinutes(each), At.AddMinutes(each), each % 2 == 0 ? "done" : null, "run", 0, "", true);
                await store.Commit(At.AddMinutes(each), [
                    new PutDevice(Device(device, [new ReportedFact(0, $"{each}", At)], null)),
                    new PutTarget("D1001", new Target { Device = device, Tries = each, State = (TargetState)(each % 5) }),
                    each % 2 == 0 ? new PutMember("pilots", device) : new DeleteMember("pilots", device), new PutGroup(Group("pilots") with { Revision = each }),
                    new PutAttempt(attempt), new AddEvent(new EventRecord(
                        each + 1, At.AddMinutes(each), each % 3 == 0 ? "journal" : "target", "moved", null, "D1001", device, $"{each}", null))]);
            }

            Assert.Equal(["a20", "a21", "a22"], store.AttemptsBegun(At.AddMinutes(20), At.AddMinutes(23)));
            var until = At.AddMinutes(Changes / 2);
            var before = Enumerable.Range(Changes / 2, Changes / 2).Select(each => Told(store.Past(At.AddMinutes(each))!)).ToList();
            var slices = store.Forgettable(until);
            Assert.Equal(["attempts", "counts", "devices", "documents", "events", "members", "targets"], slices.Select(each => each.Slice.What).Distinct().Order());
            Assert.True(slices.Sum(each => each.Rows) > 500);
            foreach (var (slice, _) in slices)
            {
                await store.Commit(At.AddMinutes(Changes), [slice]);
            }

            Assert.Empty(store.Forgettable(until));
            Assert.Equal(before, Enumerable.Range(Changes / 2, Changes / 2).Select(each => Told(store.Past(At.AddMinutes(each))!)));
            Assert.Null(store.Attempt("a20"));
            Assert.NotNull(store.Attempt("a21"));
            Assert.NotNull(store.Attempt($"a{Changes / 2}"));

            // Decisions stay, however old.
            Assert.Equal([1L, 4, 7], store.Events(new EventQuery(null, null, null, 0, null, 3)).Select(each => each.Number));
            Assert.Empty(store.Forgettable(At.AddDays(-1)));

            // What comes afterwards is kept as ever.
            await store.Commit(At.AddMinutes(Changes + 1), [new PutTarget("D1001", new Target { Device = "d0", Tries = 7777 })]);
            Assert.Equal(7777, Target(store.Past(At.AddMinutes(Changes + 1))!, "d0")!.Tries);
        }

        Assert.Empty(DatabaseStore.Check(place).Differing);

        static string Told(IPast past) => string.Join(
            ' ', past.Targets("D1001").Select(each => $"{each.Number} {each.Target.Tries}").Concat(past.Members("pilots").Rows().Select(row => $"in {row}"))
                .Append($"{past.Device("d0")!.Fact("memory")} {past.Groups().Single().Revision} {past.States("D1001").Sum()} {Among(past)}"));

        static string Among(IPast past) => string.Join(';', past.States("D1001", [past.Members("pilots")]).Select(states => string.Join(',', states)));
    }

    [Theory]
    [InlineData(false)]
    [InlineData(true)]
    public async Task Targets_are_counted_among_some_devices_as_each_moment_had_them(bool isServer)
    {
        const int Devices = 300;
        const int Changes = 900;
        var place = isServer ? postgres.Make() : File;
        var (random, stood, then) = (new Random(7), new Dictionary<int, TargetState>(), new List<Dictionary<int, TargetState>>());
        foreach (var part in Enumerable.Range(0, 3))
        {
            await using var store = DatabaseStore.Open(place);
            for (var each = part * Changes / 3; each < (part + 1) * Changes / 3; each++)
            {
                var changes = new List<Change>();
                foreach (var device in Enumerable.Range(0, 1 + random.Next(3)).Select(_ => random.Next(Devices)).Distinct())
                {
                    if (stood.Remove(device) && random.Next(8) == 0)
                    {
                        changes.Add(new DeleteDevice($"d{device:000}"));
                    }
                    else
                    {
                        var state = stood[device] = (TargetState)random.Next(Enum.GetValues<TargetState>().Length);
                        changes.AddRange([new PutDevice(Device($"d{device:000}", [], null)), new PutTarget("D1001", new Target { Device = $"d{device:000}", State = state })]);
                    }
                }

                await store.Commit(At.AddMinutes(each), changes);
                then.Add(new Dictionary<int, TargetState>(stood));
            }
        }

        if (!isServer)
        {
            // It is not all read from the beginning on.
            using var connection = new Microsoft.Data.Sqlite.SqliteConnection($"Data Source={place};Mode=ReadOnly;Pooling=False");
            connection.Open();
            using var command = connection.CreateCommand();
            command.CommandText = "SELECT count(*) FROM state_past";
            Assert.InRange((long)command.ExecuteScalar()!, 5L, 40L);
        }

        await using var kept = DatabaseStore.Open(place);
        for (var each = 0; each < Changes; each++)
        {
            var past = kept.Past(At.AddMinutes(each))!;
            var (even, odd) = (new Bitmap(), new Bitmap());
            foreach (var (number, id) in past.Identities())
            {
                (int.Parse(id.AsSpan(1), System.Globalization.CultureInfo.InvariantCulture) % 2 == 0 ? even : odd)[number] = true;
            }

            var counted = past.States("D1001", [even, odd]);
            Assert.Equal([Count(then[each], 0), Count(then[each], 1)], counted.Select(states => string.Join(' ', states)));
        }

        static string Count(Dictionary<int, TargetState> stood, int rest) => string.Join(
            ' ', Enum.GetValues<TargetState>().Select(state => stood.Count(target => target.Key % 2 == rest && target.Value == state)));
    }

    [Fact]
    public async Task A_device_that_is_gone_is_found_as_of_when_it_was_there()
    {
        await using var store = DatabaseStore.Open(File);
        await store.Commit(At, [new AddWord(0, "kind"), new AddWord(1, "Foldline"), new AddWord(2, "7.1"), new AddWord(3, "system"), new PutGroup(Group("pilots")),
            new PutDevice(Device("d1", [new ReportedFact(0, "desk", At)], [new ReportedProgram(1, 2, 3)])), new PutMember("pilots", "d1"),
            new PutTarget("D1001", new Target { Device = "d1", State = TargetState.Working, Since = At })]);
        await store.Commit(At.AddHours(1), [new DeleteDevice("d1"), new DeleteGroup("pilots")]);
        await store.Commit(At.AddHours(2), [new PutGroup(Group("pilots")), new PutDevice(Device("d2", [], null))]);

        var past = store.Past(At.AddMinutes(30))!;
        Assert.Equal("d1", past.IdOf("ALD-d1"));
        Assert.Equal(("ALD-d1", "desk", "Foldline 7.1"), (
            past.Device("d1")!.Name, past.Device("d1")!.Fact("kind"), string.Join(", ", past.Device("d1")!.Programs.Select(each => $"{each.Name} {each.Version}"))));
        Assert.Equal(["pilots"], past.GroupsOf("d1"));
        Assert.Equal(TargetState.Working, Target(past, "d1")!.State);
        Assert.Equal(1, past.States("D1001")[(int)TargetState.Working]);
        Assert.Null(past.Device("d2"));

        var now = store.Past(At.AddHours(3))!;
        Assert.Null(now.IdOf("ALD-d1"));
        Assert.Null(now.Device("d1"));
        Assert.Null(Target(now, "d1"));
        Assert.Equal(0, now.States("D1001").Sum());
        Assert.True(now.Members("pilots").IsEmpty());
        Assert.Equal([(TargetState.Working, null), (null, TargetState.Working)], store.History(["D1001"], "d1", 5).Select(each => (each.Step.From, each.Step.Target?.State)));
    }

    [Fact]
    public async Task How_many_there_were_is_kept_for_each_day()
    {
        await using var store = DatabaseStore.Open(File);
        await store.Commit(At, [new AddWord(0, "kind"), new AddWord(1, "Foldline Pro"), new AddWord(2, "7.1"), new AddWord(3, "system"), new AddWord(4, "7.2"),
            new PutDevice(Device("d1", [new ReportedFact(0, "desk", At)], [new ReportedProgram(1, 2, 3)])),
            new PutDevice(Device("d2", [new ReportedFact(0, "laptop", At)], [new ReportedProgram(1, 2, 3)]))]);
        await store.Commit(At.AddHours(1), [new PutDevice(Device("d1", [new ReportedFact(0, "desk", At)], [new ReportedProgram(1, 4, 3)]))]);
        await store.Commit(At.AddDays(2), [new DeleteDevice("d2")]);
        await store.Commit(At.AddDays(4), [new PutDevice(Device("d1", [new ReportedFact(0, "desk", At)], null))]);

        var day = DateOnly.FromDateTime(At.UtcDateTime);
        Assert.Equal(
            ["0 desk 1", "0 laptop 1", "2 laptop 0"],
            store.FleetByDay(day, day.AddDays(9)).Select(each => $"{each.Day.DayNumber - day.DayNumber} {each.Part} {each.Count}"));
        Assert.Equal(
            ["0 7.1 1", "0 7.2 1", "2 7.1 0", "4 7.2 0"],
            store.VersionsByDay("foldline-pro", day.AddDays(1), day.AddDays(4)).Select(each => $"{each.Day.DayNumber - day.DayNumber} {each.Part} {each.Count}"));
    }

    [Fact]
    public async Task A_clock_that_went_back_does_not_put_what_is_kept_before_what_was_kept_earlier()
    {
        await using var store = DatabaseStore.Open(File);
        await store.Commit(At.AddHours(5), [new PutGroup(Group("pilots"))]);
        await store.Commit(At, [new PutGroup(Group("pilots") with { Name = "Others" })]);
        Assert.Null(store.Past(At.AddHours(1)));
        Assert.Equal("Others", Assert.Single(store.Past(At.AddHours(5))!.Groups()).Name);
    }

    private static GroupRecord Group(string slug) => new(slug, slug, null, false, 1);

    private static DeviceRecord Device(string id, IReadOnlyCollection<ReportedFact> facts, IReadOnlyCollection<ReportedProgram>? programs) =>
        new(id, $"ALD-{id}", new KeyRecord($"k{id}", "x", "y"), "c", At, At, 1, "digest", FactSheet.Of(facts, programs), true);

    /// <summary>All that is asked of a past moment, as it stands in the world.</summary>
    private static string Now(FleetWorld world)
    {
        var text = new StringBuilder();
        foreach (var deployment in world.Deployments.Values)
        {
            Add(text, deployment.Id, deployment.State, deployment.Targets.States(), deployment.Targets.All.Select(target => (target.Device, target)));
        }

        foreach (var group in world.Groups.Values)
        {
            text.AppendLine($"{group.Record}: {string.Join(' ', group.In.Rows().Select(row => world.Devices.At(row).Id).Order(StringComparer.Ordinal))}");
        }

        foreach (var device in world.Devices.Values.OrderBy(device => device.Id, StringComparer.Ordinal))
        {
            var programs = device.Record.Sheet.Programs();
            text.AppendLine(
                $"{device.Id} {device.Name}: {string.Join(", ", device.Record.Sheet.Facts().Select(fact => $"{world.WordBook[fact.Name]}={fact.Value}").Order(StringComparer.Ordinal))}; "
                    + $"{programs is not null}: {string.Join(", ", (programs ?? []).Distinct().Select(program => $"{world.WordBook[program.Name]} {world.WordBook[program.Version]} {world.WordBook[program.Source]}").Order(StringComparer.Ordinal))}");
        }

        return text.ToString();
    }

    /// <summary>The same, as it is read.</summary>
    private static string Then(IPast past)
    {
        var text = new StringBuilder();
        var identities = past.Identities();
        foreach (var (id, state) in past.Deployments())
        {
            Add(text, id, state, past.States(id), past.Targets(id).Select(each => (identities[each.Number], each.Target)));
        }

        foreach (var group in past.Groups())
        {
            text.AppendLine($"{group}: {string.Join(' ', past.Members(group.Slug).Rows().Select(number => identities[number]).Order(StringComparer.Ordinal))}");
        }

        foreach (var device in past.Devices(identities.Keys).OrderBy(device => device.Id, StringComparer.Ordinal))
        {
            text.AppendLine(
                $"{device.Id} {device.Name}: {string.Join(", ", device.Facts.Select(fact => $"{fact.Name}={fact.Value}").Order(StringComparer.Ordinal))}; "
                    + $"{device.IsInventoryComplete}: {string.Join(", ", device.Programs.Select(program => $"{program.Name} {program.Version} {program.Source}").Order(StringComparer.Ordinal))}");
        }

        return text.ToString();
    }

    private static Target? Target(IPast past, string device) => past.TargetsOf(device).SingleOrDefault(each => each.Deployment == "D1001").Target;

    private static void Add(StringBuilder text, string id, DeploymentState state, int[] states, IEnumerable<(string Device, Target Target)> targets)
    {
        text.AppendLine($"{id} {state.Status} {state.Revision}: {string.Join(", ", states.Select((count, each) => $"{(TargetState)each} {count}"))}");
        foreach (var (device, target) in targets.OrderBy(each => each.Device, StringComparer.Ordinal))
        {
            text.AppendLine($"  {device} {target.State} {target.Reason} {target.Wave} {target.Since:O} {target.Tries} {target.Before} {target.Order} {target.HasBegun}");
        }
    }
}
