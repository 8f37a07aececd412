using Bandejo.Core.Fleet;
using Bandejo.Core.Site;
using Bandejo.Core.World;
using Xunit;

namespace Bandejo.Core.Tests;

public sealed class OnceKeysTests
{
    private static readonly DateTimeOffset Now = new(2026, 3, 2, 8, 0, 0, TimeSpan.Zero);
    private readonly FleetWorld _world = new(new WordBook(), TimeSpan.FromMinutes(1), _ => throw new InvalidOperationException());
    private readonly List<Change> _changes = [];
    private DateTimeOffset _now = Now;

    [Fact]
    public void The_key_is_kept_together_with_the_change_and_for_a_day()
    {
        Assert.True(Make("one", ok: true).Ok);
        Assert.Equal(["PutSetting", "PutOnce"], _changes.Select(change => change.GetType().Name));
        Assert.Null(OnceKeys.Find(_world, "tomas", "one")!.Status);
        Decide(decision => OnceKeys.Answered(decision, Once("one"), 201, "{}"));
        Assert.Equal((201, "{}", Now), (OnceKeys.Find(_world, "tomas", "one")!.Status, OnceKeys.Find(_world, "tomas", "one")!.Answer, OnceKeys.Find(
            _world, "tomas", "one")!.At));
        Assert.Null(OnceKeys.Find(_world, "ines", "one"));
        _now = Now.AddHours(24).AddSeconds(-1);
        Decide(Retention.Expire);
        Assert.NotNull(OnceKeys.Find(_world, "tomas", "one"));
        _now = Now.AddHours(24);
        _world.Now = _now;
        Assert.Null(OnceKeys.Find(_world, "tomas", "one"));
        Decide(Retention.Expire);
        Assert.Empty(_world.Onces);
    }

    [Fact]
    public void What_is_refused_leaves_no_key_and_too_many_are_refused()
    {
        Assert.False(Make("one", ok: false).Ok);
        Assert.Empty(_world.Onces);
        Assert.Empty(_changes);
        for (var i = 0; i < OnceKeys.Most; i++)
        {
            _world.Apply(new PutOnce(Once($"k{i}") with { At = Now }));
        }

        Assert.Contains("have keys already", Make("more", ok: true).Failure!.Message, StringComparison.Ordinal);
        Assert.Empty(_changes);
        _now = Now.AddDays(1);
        Assert.True(Make("more", ok: true).Ok);
    }

    private static OnceRecord Once(string key) => new("tomas", key, "digest", default);

    private Outcome<bool> Make(string key, bool ok) => Decide(decision => OnceKeys.Do<bool>(decision, Once(key), each =>
    {
        each.Do(new PutSetting("a", "b"));
        return ok ? true : new Failure(ErrorKind.Invalid, "no");
    }));

    private Outcome<T> Decide<T>(Func<Decision, Outcome<T>> command) => _world.Decide("tomas", _now, () => "id", _changes, command);
}
