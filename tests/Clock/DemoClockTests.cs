using Xunit;

namespace Bandejo.Clock.Tests;

public sealed class DemoClockTests : IDisposable
{
    private static readonly DateTimeOffset Start = new(2026, 3, 2, 8, 0, 0, TimeSpan.Zero);

    private readonly string _folder = Directory.CreateTempSubdirectory("bandejo-clock").FullName;

    private string File => Path.Combine(_folder, "clock.json");

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public async Task Timers_fire_when_a_step_reaches_them_and_not_before()
    {
        using var clock = Standing();
        var soon = Task.Delay(TimeSpan.FromHours(1), clock, TestContext.Current.CancellationToken);
        var later = Task.Delay(TimeSpan.FromHours(3), clock, TestContext.Current.CancellationToken);
        Assert.Equal(Start.AddHours(1), clock.NextDue);
        Step(clock, TimeSpan.FromHours(2));
        await soon.WaitAsync(TimeSpan.FromSeconds(20), TestContext.Current.CancellationToken);
        Assert.Equal(Start.AddHours(2), clock.GetUtcNow());
        Assert.False(later.IsCompleted);
        Assert.Equal(Start.AddHours(3), clock.NextDue);
        Step(clock, TimeSpan.FromHours(1));
        await later.WaitAsync(TimeSpan.FromSeconds(20), TestContext.Current.CancellationToken);
        Assert.Null(clock.NextDue);
    }

    [Fact]
    public async Task A_periodic_timer_that_missed_many_times_fires_once_and_then_goes_on()
    {
        using var clock = Standing();
        using var timer = new PeriodicTimer(TimeSpan.FromMinutes(1), clock);
        Step(clock, TimeSpan.FromHours(1));
        Assert.True(await timer.WaitForNextTickAsync(TestContext.Current.CancellationToken));
        Assert.Equal(Start.AddHours(1).AddMinutes(1), clock.NextDue);
    }

    [Fact]
    public void Two_who_follow_one_file_show_the_same_time()
    {
        using var one = Standing();
        using var other = DemoClock.Follow(File);
        Step(one, TimeSpan.FromDays(2));
        other.Reread();
        Assert.Equal(one.GetUtcNow(), other.GetUtcNow());
    }

    [Fact]
    public void A_fast_clock_runs_that_much_faster_and_one_that_is_led_only_by_steps()
    {
        var real = new DateTimeOffset(2026, 11, 23, 9, 0, 0, TimeSpan.Zero);
        var fast = new ClockReading(Start, real, 60);
        Assert.Equal(Start.AddHours(1), fast.Now(real.AddMinutes(1)));
        Assert.Equal(Start, (fast with { Goal = Start.AddDays(1) }).Now(real.AddMinutes(1)));
        Assert.Equal(Start, (fast with { Speed = 0 }).Now(real.AddMinutes(1)));
        Assert.Equal(Start, fast.Now(real.AddMinutes(-1)));
    }

    [Fact]
    public void Only_one_leads_and_what_is_no_clock_is_refused()
    {
        using var clock = Standing();
        Assert.False(ClockFile.IsLed(File));
        using (ClockFile.TakeLead(File))
        {
            Assert.True(ClockFile.IsLed(File));
            Assert.Null(ClockFile.TakeLead(File));
        }

        Assert.False(ClockFile.IsLed(File));
        foreach (var text in new[] { "", "soon", """{"at":"2026-03-02T08:00:00Z","since":"2026-03-02T08:00:00Z","speed":-1}""" })
        {
            global::System.IO.File.WriteAllText(File + ".bad", text);
            Assert.Contains("is not a clock", Assert.Throws<IOException>(() => DemoClock.Follow(File + ".bad")).Message);
        }
    }

    private DemoClock Standing()
    {
        global::System.IO.File.WriteAllText(File, """{"at":"2026-03-02T08:00:00Z","since":"2026-03-02T08:00:00Z","speed":0}""");
        return DemoClock.Follow(File);
    }

    private void Step(DemoClock clock, TimeSpan by)
    {
        ClockFile.Change(File, (before, _) => before with { At = before.At + by });
        clock.Reread();
    }
}
