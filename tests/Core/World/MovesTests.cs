using Bandejo.Core.Fleet;
using Bandejo.Core.World;
using Xunit;

namespace Bandejo.Core.Tests.World;

/// <summary>Who comes into rule groups and leaves them is told with what makes them.</summary>
public sealed class MovesTests
{
    private static readonly DateTimeOffset Now = new(2031, 3, 3, 8, 0, 0, TimeSpan.Zero);

    private readonly FleetWorld _world = new(new WordBook(), TimeSpan.FromMinutes(5), _ => throw new InvalidOperationException()) { Now = Now };
    private readonly List<Change> _changes = [];

    [Fact]
    public void Each_one_is_told_of_also_at_joining_and_where_a_rule_moves_many()
    {
        Do(new PutGroup(new GroupRecord("desks", "Desks", "kind is \"desk\"", false, 1)));
        Assert.Empty(Moves());
        for (var number = 0; number < 30; number++)
        {
            Do(new PutDevice(Device(number, "desk")));
        }

        Assert.Equal(Enumerable.Range(0, 30).Select(number => $"desks +d{number}"), Moves());

        // The same said again moves nobody; another kind does.
        Do(new PutDevice(Device(3, "desk")));
        Do(new PutDevice(Device(4, "kiosk")));
        Assert.Equal(["desks -d4"], Moves());
        Do(new PutGroup(new GroupRecord("desks", "Desks", "kind is \"kiosk\"", false, 2)));
        Assert.Equal([$"desks +d4 {string.Join(' ', Enumerable.Range(0, 30).Where(number => number != 4).Select(number => $"-d{number}"))}"], Moves());
        Do(new PutGroup(new GroupRecord("desks", "Other name", "kind is \"kiosk\"", false, 3)));
        Do(new PutGroup(new GroupRecord("listed", "Listed", null, false, 1)));
        Do(new PutMember("listed", "d1"));
        Assert.Empty(Moves());
    }

    [Fact]
    public void At_a_start_what_was_kept_otherwise_is_told_and_of_an_older_world_nothing_is_known_of_before()
    {
        Do(new PutGroup(new GroupRecord("desks", "Desks", "kind is \"desk\"", false, 1)));
        Do(new PutDevice(Device(0, "desk")));
        Do(new PutDevice(Device(1, "desk")));
        Do(new PutDevice(Device(2, "kiosk")));
        _changes.Clear();

        // One of before has something that happened; a new one begins with nothing that was.
        _world.Apply(new AddEvent(new EventRecord(1, Now, "journal", "what", null, null, null, "", null)));
        Assert.Equal(["PutMoves desks", "PutSetting keep.moves", "PutSetting keep.history-from"], AtStart());
        Assert.Equal(["PutMoves desks"], AtStart());
        var made = new FleetWorld(new WordBook(), TimeSpan.FromMinutes(5), _ => throw new InvalidOperationException());
        Assert.IsType<PutSetting>(Assert.Single(GroupMoves.AtStart(made, _ => new Bitmap())));
        Assert.Null(Core.Site.Retention.HistoryFrom(made));
        Assert.Equal(Now, Core.Site.Retention.HistoryFrom(_world));

        // From then on only what a newer program judges otherwise.
        var kept = new Bitmap { [0] = true, [1] = true };
        Assert.Empty(GroupMoves.AtStart(_world, _ => kept));
        var other = new Bitmap { [0] = true, [2] = true };
        Assert.Equal(new[] { "desks +d1 -d2" }, GroupMoves.AtStart(_world, _ => other).OfType<PutMoves>().Select(Words));

        IEnumerable<string> AtStart() => GroupMoves.AtStart(_world, _ => new Bitmap()).Select(
            change => $"{change.GetType().Name} {(change is PutMoves moves ? moves.Group : ((PutSetting)change).Name)}");
    }

    private static string Words(PutMoves moves) =>
        string.Join(' ', moves.Into.Select(device => $"+{device}").Concat(moves.OutOf.Select(device => $"-{device}")).Prepend(moves.Group));

    private DeviceRecord Device(int number, string kind) => new(
        $"d{number}", $"DESK-{number:00}", new KeyRecord($"k{number}", "x", "y"), "c", Now, Now, 1, "digest",
        FactSheet.Of([new ReportedFact(_world.WordBook.Number("kind"), kind, Now)], null), true);

    private void Do(Change change) => Assert.True(_world.Decide<bool>("root-admin", Now, () => "id", _changes, decision =>
    {
        decision.Do(change);
        return true;
    }).Ok);

    private List<string> Moves()
    {
        var moves = _changes.OfType<PutMoves>().Select(Words).ToList();
        _changes.Clear();
        return moves;
    }
}
