using Bandejo.Core.Fleet;
using Bandejo.Core.Site;
using Bandejo.Core.World;
using Xunit;

namespace Bandejo.Core.Tests;

/// <summary>How long what was is kept, and what goes.</summary>
public sealed class RetentionTests
{
    private static readonly DateTimeOffset Now = new(2031, 3, 3, 8, 0, 0, TimeSpan.Zero);

    private readonly FleetWorld _world = new(new WordBook(), TimeSpan.FromMinutes(5), _ => throw new InvalidOperationException());
    private readonly List<Change> _changes = [];

    [Theory]
    [InlineData(30, 1, true)]
    [InlineData(3650, 3650, true)]
    [InlineData(30, 31, false)]
    [InlineData(29, 29, false)]
    [InlineData(400, 0, false)]
    [InlineData(3651, 90, false)]
    [InlineData(400, 3651, false)]
    [InlineData(int.MinValue, int.MaxValue, false)]
    public void It_is_kept_as_long_as_was_said_within_bounds(int history, int logs, bool isTaken)
    {
        Assert.Equal(new RetentionRule(400, 90), Retention.RuleOf(_world));
        Assert.Equal(isTaken, Decide(decision => Retention.Set(decision, new RetentionRule(history, logs))).Ok);
        Assert.Equal(isTaken ? new RetentionRule(history, logs) : RetentionRule.Default, Retention.RuleOf(_world));
        Assert.Equal(isTaken ? 1 : 0, _changes.OfType<AddEvent>().Count(added => added.Event is { Topic: "audit", What: "keeping-changed" }));
    }

    [Fact]
    public void Tokens_and_codes_go_a_day_after_they_are_over()
    {
        foreach (var (id, expires) in new[] { ("good", Now.AddHours(1)), ("over", Now.AddHours(-23)), ("old", Now.AddHours(-25)) })
        {
            _world.Apply(new PutToken(new TokenRecord(id, "tomas", $"hash of {id}", "", Now.AddDays(-90), expires)));
            _world.Apply(new PutJoinCode(new JoinCodeRecord(id, $"hash of {id}", null, 1, expires, "tomas")));
        }

        Assert.Equal(2, Decide(Retention.Expire).Value);
        Assert.Equal(["good", "over"], _world.Tokens.Values.Select(token => token.Id).Order());
        Assert.Equal(["good", "over"], _world.JoinCodes.Values.Select(code => code.Id).Order());
        Assert.Equal(0, Decide(Retention.Expire).Value);
    }

    [Fact]
    public void From_when_on_it_is_known_never_goes_back()
    {
        Assert.Null(Retention.HistoryFrom(_world));
        Decide(decision => Retention.Begin(decision, Now.AddDays(-30)));
        Decide(decision => Retention.Begin(decision, Now.AddDays(-400)));
        Assert.Equal(Now.AddDays(-30), Retention.HistoryFrom(_world));
        _world.Apply(new PutSetting("keep.history-from", long.MaxValue.ToString()));
        Assert.Null(Retention.HistoryFrom(_world));
    }

    [Fact]
    public void What_went_is_told_where_anything_did()
    {
        Decide(decision => Retention.End(decision, new RetentionReport(Now, 0, 0, 0), Now.AddDays(-90)));
        Assert.Empty(_changes.OfType<AddEvent>());
        var report = new RetentionReport(Now, 12_345, 7, 1_000_000);
        Decide(decision => Retention.End(decision, report, Now.AddDays(-90)));
        Assert.Equal(report, Retention.LastOf(_world));
        Assert.Equal(Now.AddDays(-90), Retention.LogsFrom(_world));
        Assert.Equal(
            "What is older than 400 days went: 12,345 rows of what was; and 7 logs of attempts older than 90 days.",
            Assert.Single(_changes.OfType<AddEvent>()).Event.Text);
    }

    [Theory]
    [InlineData("")]
    [InlineData("1 2 3")]
    [InlineData("1 2 3 4 5")]
    [InlineData("-1 2 3 4")]
    [InlineData("9223372036854775807 2 3 4")]
    [InlineData("a b c d")]
    public void What_is_no_report_is_none(string kept) => Assert.Null(RetentionReport.Read(kept));

    private Outcome<T> Decide<T>(Func<Decision, Outcome<T>> command) => _world.Decide("root-admin", Now, () => "id", _changes, command);
}
