using Bandejo.Contract.Device;
using Bandejo.Core.Calendars;
using Xunit;

namespace Bandejo.Device.Tests;

/// <summary>Windows and freezes, as a device holds them: with the service and without.</summary>
public sealed class CalendarTests
{
    private static readonly DateTimeOffset Now = new(TimeProvider.System.GetUtcNow().Ticks / TimeSpan.TicksPerSecond * TimeSpan.TicksPerSecond, TimeSpan.Zero);
    private static readonly Span Tomorrow = new(Now.AddDays(1), Now.AddDays(1).AddHours(3));
    private static readonly Span Around = new(Now.AddHours(-1), Now.AddHours(1));

    private readonly FakeMachine _machine = new();

    [Fact]
    public async Task Outside_its_window_nothing_starts_and_the_service_is_told_until_when()
    {
        Hold(Window("nights", [Tomorrow]));
        Give(_machine.Package("7.2.0"));
        Assert.Equal(("D1", "It is outside its window 'Nights'", Tomorrow.From), await WhatItWaitsFor());
        Assert.Equal("set-1", _machine.HeldCalendars);
    }

    [Fact]
    public async Task In_its_window_it_starts_and_in_a_freeze_it_does_not()
    {
        Hold(Window("nights", [Around]));
        Give(_machine.Package("7.2.0"));
        Assert.True(await _machine.Run());
        Assert.Equal(["put 7.2.0"], _machine.Ran);

        Hold(Window("nights", [Around, Tomorrow]), Freeze("year-end", [new Span(Now.AddMinutes(-5), Now.AddHours(2))]));
        Give(_machine.Package("7.3.0"), number: 1);
        Assert.Equal(("D1", "It is frozen by 'Year end'", Tomorrow.From), await WhatItWaitsFor());
        Assert.Equal(["put 7.2.0"], _machine.Ran);
    }

    [Fact]
    public async Task A_window_opens_while_the_service_is_gone_and_the_order_starts_in_it()
    {
        var opens = TimeProvider.System.GetUtcNow().AddSeconds(3);
        Hold(Window("nights", [new Span(opens, opens.AddHours(1))]));
        Give(_machine.Package("7.2.0"));
        _machine.Until = each => each.KnowsItsOrders && each.Waits.Count > 0;
        Assert.True(await _machine.Run());

        // From here on nobody answers, and the agent was started again: all it knows is in its journal.
        _machine.IsOffline = true;
        DateTimeOffset? ran = null;
        _machine.Commands["put"] = (machine, version) =>
        {
            ran = TimeProvider.System.GetUtcNow();
            machine.Files["opt/foldline/VERSION"] = version;
            machine.Reached.Cancel();
            return 0;
        };
        Assert.True(await _machine.Run());
        Assert.True(ran >= opens.AddSeconds(-1), $"It ran at {ran:O}, and the window opens at {opens:O}.");
    }

    [Fact]
    public async Task Windows_go_by_the_clocks_of_the_device_wherever_it_is()
    {
        // By clocks at UTC the window is over; by clocks two hours behind it is on.
        var wall = Now.UtcDateTime;
        var own = new DeviceCalendar(
            "nights", "Nights", false, true, [SpanText.Write(new WallSpan(wall.AddHours(-3), wall.AddHours(-1), TimeSpan.Zero))], []);
        Hold(own);
        Give(_machine.Package("7.2.0"));
        Assert.Equal(("D1", "It is outside its window 'Nights'", null), await WhatItWaitsFor());
        _machine.Ahead = TimeSpan.FromHours(-2);
        _machine.Until = each => each.Taken.Values.Any(report => report.HasEnded);
        Assert.True(await _machine.Run());
        Assert.Equal(["put 7.2.0"], _machine.Ran);
    }

    [Fact]
    public async Task A_deployments_own_windows_narrow_only_what_is_its()
    {
        Hold(Window("nights", [Around]), Window("late", [Tomorrow]) with { RulesAll = false });
        _machine.Give(FakeMachine.Order(_machine.Package("7.2.0")) with { Calendars = ["nights", "late"] });
        Assert.Equal(("D1", "It is outside its window 'Nights', 'Late'", null), await WhatItWaitsFor());
        _machine.Until = each => each.Taken.Values.Any(report => report.HasEnded);
        _machine.Give(FakeMachine.Order(_machine.Package("7.2.0"), number: 1) with { Calendars = ["nights"] });
        Assert.True(await _machine.Run());
        Assert.Equal(["put 7.2.0"], _machine.Ran);
    }

    [Fact]
    public async Task After_its_deadline_and_for_its_user_it_starts_outside_its_window_and_never_in_a_freeze()
    {
        Hold(Window("nights", [Tomorrow]));
        var order = FakeMachine.Order(_machine.Package("7.2.0")) with { Calendars = ["nights"], Deadline = Now.AddMinutes(-1) };
        _machine.Give(order);
        Assert.Equal(("D1", "It is outside its window 'Nights'", Tomorrow.From), await WhatItWaitsFor());
        _machine.Give(order with { Number = 1, AtDeadline = true });
        _machine.Until = each => each.Taken.Values.Any(report => report.HasEnded);
        Assert.True(await _machine.Run());

        _machine.Give(FakeMachine.Order(_machine.Package("7.3.0"), number: 2) with { Calendars = ["nights"], AtOnce = true });
        _machine.Until = each => each.Taken.Values.Count(report => report.HasEnded) == 2;
        Assert.True(await _machine.Run());
        Assert.Equal(["put 7.2.0", "put 7.3.0"], _machine.Ran);

        Hold(Window("nights", [Around]), Freeze("year-end", [Around]));
        _machine.Give(FakeMachine.Order(_machine.Package("7.4.0"), number: 3) with 
        {
            Calendars = ["nights"], AtOnce = true, AtDeadline = true, Deadline = Now,
        });
        Assert.Equal(("D1", "It is frozen by 'Year end'", Around.To), await WhatItWaitsFor());
        Assert.Equal(2, _machine.Ran.Count);
    }

    [Fact]
    public async Task What_would_not_be_over_before_its_window_closes_waits_for_the_next()
    {
        // An hour of its window is left.
        Hold(Window("nights", [Around, Tomorrow]));
        var order = FakeMachine.Order(_machine.Package("7.2.0")) with { Calendars = ["nights"], TakesSeconds = 2 * 3600 };
        _machine.Give(order);
        Assert.Equal(("D1", "It takes 2 h, for which 'Nights' leaves no room", Tomorrow.From), await WhatItWaitsFor());
        _machine.Give(order with { Number = 1, TakesSeconds = 4 * 3600 });
        Assert.Equal(("D1", "It takes 4 h, for which 'Nights' leaves no room", null), await WhatItWaitsFor());
        Assert.Empty(_machine.Ran);

        _machine.Give(order with { Number = 2, TakesSeconds = 20 * 60 });
        _machine.Until = each => each.Taken.Values.Any(report => report.HasEnded);
        Assert.True(await _machine.Run());
        Assert.Equal(["put 7.2.0"], _machine.Ran);
    }

    [Fact]
    public async Task What_is_reset_each_night_starts_only_after_that_within_a_window()
    {
        // Its clocks are at UTC, and it is reset within the hour; nobody's wish and no deadline makes up for what would be lost.
        Hold(Window("nights", [Around]));
        var reset = TimeOnly.FromTimeSpan(Now.AddMinutes(30).TimeOfDay);
        var at = Now.AddMinutes(30).AddSeconds(-Now.AddMinutes(30).Second);
        var order = FakeMachine.Order(_machine.Package("7.2.0")) with { Calendars = ["nights"], ResetsAt = reset.ToString("HH:mm"), AtOnce = true };
        _machine.Give(order);
        Assert.Equal(("D1", $"It is reset at {reset:HH:mm}, and what is done before is lost", at), await WhatItWaitsFor());
        Assert.Empty(_machine.Ran);

        _machine.Give(order with { Number = 1, ResetsAt = TimeOnly.FromTimeSpan(Now.AddMinutes(-30).TimeOfDay).ToString("HH:mm") });
        _machine.Until = each => each.Taken.Values.Any(report => report.HasEnded);
        Assert.True(await _machine.Run());
        Assert.Equal(["put 7.2.0"], _machine.Ran);
    }

    [Fact]
    public async Task A_deadline_that_comes_before_the_next_opening_is_until_when_it_waits()
    {
        Hold(Window("nights", [Tomorrow]));
        _machine.Give(FakeMachine.Order(_machine.Package("7.2.0")) with { Calendars = ["nights"], Deadline = Now.AddHours(5), AtDeadline = true });
        Assert.Equal(("D1", "It is outside its window 'Nights'", Now.AddHours(5)), await WhatItWaitsFor());
    }

    [Fact]
    public async Task What_it_does_not_hold_or_that_is_not_good_any_more_keeps_it_from_starting()
    {
        Give(_machine.Package("7.2.0"));
        Assert.Equal(("D1", "It does not have the calendar 'nights' yet", null), await WhatItWaitsFor());

        // Signed by a stranger, and then in no form that could be held.
        _machine.Calendars = _machine.SignedCalendars(Content([Window("nights", [Around])]), isForged: true);
        Assert.Equal(("D1", "It does not have the calendar 'nights' yet", null), await WhatItWaitsFor(again: true));
        foreach (var bad in new[]
        {
            Content([Window("nights", [Around]) with { Fixed = ["2026-12-04T20:00:00/x"] }]),
            Content([Window("nights", [Around]) with { Own = ["PT5S/PT6S"] }]),
            Content([Window("nights", [Around])]) with { Use = "withdrawn" }, Content([Window("nights", [Around])]) with { GoodUntil = Now.AddYears(9) },
            Content([.. Enumerable.Range(0, 65).Select(at => Window($"c{at}", [Around]))]), Content([Window("ni\u0000ghts", [Around])]),
        })
        {
            _machine.Calendars = _machine.SignedCalendars(bad);
            Assert.Equal(("D1", "It does not have the calendar 'nights' yet", null), await WhatItWaitsFor(again: true));
        }

        // Good, and good for no longer: nothing is known of it.
        _machine.Calendars = _machine.SignedCalendars(
            Content([Window("nights", [Around])]) with { Tag = "old", At = Now.AddDays(-43), GoodUntil = Now.AddDays(-1) });
        _machine.Until = each => each.HeldCalendars == "old" && each.Waits.Count > 0 && !each.Waits[0].Why.Contains("does not have", StringComparison.Ordinal);
        Assert.True(await _machine.Run());
        Assert.Equal("Nothing is known any more of 'Nights'", _machine.Waits.Single().Why);
        Assert.Empty(_machine.Ran);
    }

    [Fact]
    public async Task It_never_goes_back_to_earlier_calendars()
    {
        Hold(Window("nights", [Tomorrow]));
        Give(_machine.Package("7.2.0"));
        await WhatItWaitsFor();

        // Whoever kept an earlier answer cannot open what was closed since.
        _machine.Calendars = _machine.SignedCalendars(Content([Window("nights", [Around])]) with { Tag = "earlier", At = Now.AddDays(-1) });
        Assert.Equal(("D1", "It is outside its window 'Nights'", Tomorrow.From), await WhatItWaitsFor(again: true));
        Assert.Equal("set-1", _machine.HeldCalendars);
    }

    [Fact]
    public async Task What_is_still_coming_when_its_window_closes_waits_for_the_next()
    {
        var fetching = new TaskCompletionSource();
        _machine.HoldFiles = fetching.Task;
        Hold(Window("nights", [Around]));
        Give(_machine.PackageWithFile("7.2.0", 4000));
        _machine.OnceBegun(
            () => Hold(Window("nights", [new Span(Now.AddHours(5), Now.AddHours(6))])), each => each.HeldCalendars == "set-2", fetching);
        Assert.True(await _machine.Run());
        Assert.Equal("waits", _machine.Taken.Values.Single(report => report.HasEnded).Outcome);
        Assert.Empty(_machine.Ran);
    }

    private void Give(PackageLink package, int number = 0) => _machine.Give(FakeMachine.Order(package, number: number) with { Calendars = ["nights"] });

    private void Hold(params DeviceCalendar[] calendars) => _machine.Calendars = _machine.SignedCalendars(
        Content(calendars) with { Tag = _machine.Calendars is null ? "set-1" : "set-2" });

    private static CalendarsContent Content(IReadOnlyList<DeviceCalendar> calendars) => new("calendars", "set-1", Now, Now.AddDays(42), calendars);

    private static DeviceCalendar Window(string id, IReadOnlyList<Span> spans) => new(
        id, id is [var first, ..] ? char.ToUpperInvariant(first) + id[1..] : "", false, true, [],
        [.. spans.Select(SpanText.Write)]);

    private static DeviceCalendar Freeze(string id, IReadOnlyList<Span> spans) =>
        new(id, "Year end", true, true, [], [.. spans.Select(SpanText.Write)]);

    /// <summary>What it says that it waits for, while nothing starts.</summary>
    /// <param name="again">After some more check-ins.</param>
    private async Task<(string Deployment, string Why, DateTimeOffset? Until)> WhatItWaitsFor(bool again = false)
    {
        var left = again ? 3 : 1;
        _machine.Until = each => each.KnowsItsOrders && each.Waits.Count > 0 && --left < 0;
        Assert.True(await _machine.Run());
        var wait = _machine.Waits.Single();
        return (wait.Deployment, wait.Why, wait.Until);
    }
}
