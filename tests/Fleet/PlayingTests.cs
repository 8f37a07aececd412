using System.Net;
using Bandejo.Clock;
using Bandejo.Kit;
using Microsoft.Extensions.Time.Testing;
using Xunit;

namespace Bandejo.Fleet.Tests;

/// <summary>A fleet and its clock: one that is stepped past what a device waits for, and one that the fleet itself leads.</summary>
public sealed class PlayingTests
{
    private static readonly Func<string, (HttpStatusCode, string)?> Nobody = _ => null;

    [Theory]
    [InlineData(1)]
    [InlineData(2)]
    [InlineData(3)]
    [InlineData(4)]
    public async Task A_device_whose_clock_is_stepped_past_its_return_between_two_looks_comes_back(int looksBefore)
    {
        var back = Stage.Start.AddHours(4);
        var time = new FakeTimeProvider(back.AddMilliseconds(700) - TimeSpan.FromSeconds(looksBefore)) { AutoAdvanceAmount = TimeSpan.FromSeconds(1) };
        using var stage = new Stage(
            "{ name: desks, count: 1, named: DESK, sites: ALD, facts: { kind: desk } }", time, Nobody,
            new RecordLine(Stage.Start, "DESK", "died") { Until = back });
        await stage.Play(() => time.GetUtcNow() > back && stage.Asked.Any(each => each.Path.EndsWith("/join", StringComparison.Ordinal)));
        Assert.Contains(stage.Lines(), line => line.What == "started" && line.At > back);
    }

    [Fact]
    public async Task A_device_that_travels_goes_on_listening_after_every_trip_however_the_clock_is_stepped()
    {
        var time = new FakeTimeProvider(Stage.Start) { AutoAdvanceAmount = TimeSpan.FromMinutes(3) };
        using var stage = new Stage(
            "{ name: buses, count: 1, named: BUS, sites: ALD, facts: { kind: laptop }, away: { every: 20m, for: 5m to 20m } }", time,
            path => path.EndsWith("/token", StringComparison.Ordinal) ? (HttpStatusCode.OK, """{"accessToken":"t","expiresIn":3600}""") : null,
            Stage.Joined("BUS"));
        await stage.Play(() => time.GetUtcNow() > Stage.Start && stage.Asked.Count(each => each.Path.EndsWith("/hail", StringComparison.Ordinal)) > 300);
    }

    [Fact]
    public async Task A_fleet_that_leads_the_clock_starts_each_device_at_its_hour_and_waits_without_turning_round()
    {
        using var folder = new ClockFolder();
        using var clock = DemoClock.Follow(folder.File);
        var looks = new CountedClock(clock);
        using var stage = new Stage(
            "{ name: desks, count: 20, named: \"DESK-{n}\", sites: ALD, facts: { kind: desk }, on: Mon-Fri 08:00-18:00 }", looks,
            path => path == "/healthz/looked" ? (HttpStatusCode.OK, "0") : null);
        var goal = Stage.Start.Date.AddDays(7).AddHours(12);
        ClockFile.Change(folder.File, (before, _) => before with { Goal = new DateTimeOffset(goal, TimeSpan.Zero) });
        clock.Reread();
        await stage.Play(() => clock.Reading.Goal is null, stage.Fleet.Lead(folder.File, clock, stage.Ending));

        var days = stage.Lines().Where(line => line.What == "started").GroupBy(line => line.At.Date).OrderBy(day => day.Key).ToList();
        Assert.Equal(["Monday 20", "Tuesday 20", "Wednesday 20", "Thursday 20", "Friday 20", "Monday 20"], days.Select(
            day => $"{day.Key.DayOfWeek} {day.Count()}"));
        Assert.All(days.SelectMany(day => day), line => Assert.InRange(line.At.TimeOfDay, TimeSpan.FromHours(8), TimeSpan.FromHours(8.7)));
        Assert.True(looks.Count < 200_000, $"The clock was looked at {looks.Count:N0} times.");
    }

    [Fact]
    public async Task Nobody_waits_for_a_device_that_was_removed()
    {
        using var folder = new ClockFolder();
        using var clock = DemoClock.Follow(folder.File);
        using var stage = new Stage(
            "{ name: desks, count: 2, named: \"DESK-{n}\", sites: ALD, facts: { kind: desk } }", clock,
            path => path == "/healthz/looked" ? (HttpStatusCode.OK, "0") : (HttpStatusCode.Gone, """{"title":"gone","status":410}"""), Stage.Joined("DESK-1"),
            Stage.Joined("DESK-2"));
        ClockFile.Change(folder.File, (before, _) => before with { Goal = before.At.AddDays(3) });
        clock.Reread();
        var leading = stage.Fleet.Lead(folder.File, clock, stage.Ending);
        await stage.Fleet.Play(stage.Ending);
        for (var patience = TimeProvider.System.GetTimestamp(); clock.Reading.Goal is not null; await Task.Yield())
        {
            Assert.True(TimeProvider.System.GetElapsedTime(patience) < TimeSpan.FromSeconds(60), "The clock stands still.");
            Assert.False(leading.IsFaulted);
        }
    }

    /// <summary>A clock that counts how often it is looked at.</summary>
    private sealed class CountedClock(TimeProvider inner) : TimeProvider
    {
        private long _count;

        public long Count => Interlocked.Read(ref _count);

        public override DateTimeOffset GetUtcNow()
        {
            Interlocked.Increment(ref _count);
            return inner.GetUtcNow();
        }

        public override ITimer CreateTimer(TimerCallback callback, object? state, TimeSpan dueTime, TimeSpan period) =>
            inner.CreateTimer(callback, state, dueTime, period);
    }
}
