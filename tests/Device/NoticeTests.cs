using Bandejo.Contract.Device;
using Bandejo.Core.Calendars;
using Xunit;

namespace Bandejo.Device.Tests;

/// <summary>What whoever is signed in is told before a deadline acts, and that the time it promises is kept.</summary>
public sealed class NoticeTests
{
    private static readonly Span Tomorrow = new(TimeProvider.System.GetUtcNow().AddDays(1), TimeProvider.System.GetUtcNow().AddDays(1).AddHours(3));

    private readonly FakeMachine _machine = new() { IsSignedIn = true };
    private readonly DateTimeOffset _began = TimeProvider.System.GetUtcNow();
    private DateTimeOffset _ran;

    public NoticeTests()
    {
        _machine.Calendars = _machine.SignedCalendars(new CalendarsContent(
            "calendars", "set-1", _began.AddMinutes(-1), _began.AddDays(30),
            [new DeviceCalendar("nights", "Nights", false, true, [], [SpanText.Write(Tomorrow)])]));
        _machine.Commands["put"] = (machine, version) =>
        {
            _ran = TimeProvider.System.GetUtcNow();
            machine.Files["opt/foldline/VERSION"] = version;
            return 0;
        };
    }

    [Fact]
    public async Task Whoever_is_signed_in_is_told_before_the_deadline_and_it_starts_at_it()
    {
        Give(deadline: 4, notice: 3);
        _machine.Until = each => each.Shown.Count > 0;
        Assert.True(await _machine.Run());
        Assert.Empty(_machine.Ran);

        await Runs();
        Assert.StartsWith("Foldline 7.2.0 is put on this device at ", Assert.Single(_machine.Shown));
        Assert.True(_ran >= _began.AddSeconds(4), $"It ran {_ran - _began} after the test began, and the deadline was at 4 s.");
    }

    [Fact]
    public async Task A_device_that_was_off_at_the_deadline_gives_its_notice_first()
    {
        Give(deadline: -3600, notice: 3);
        _machine.Until = each => each.Waits.Any(wait => wait.Why.StartsWith("Its user was told that it starts at ", StringComparison.Ordinal));
        Assert.True(await _machine.Run());
        Assert.Empty(_machine.Ran);

        // The agent was started anew, and keeps what was promised; it promises nothing else.
        await Runs();
        Assert.Single(_machine.Shown);
        Assert.True(_ran >= _began.AddSeconds(3), $"It ran {_ran - _began} after the test began, and 3 s were promised.");
    }

    [Fact]
    public async Task What_was_promised_before_the_system_started_anew_is_promised_again()
    {
        Give(deadline: -3600, notice: 4);
        _machine.Until = each => each.Shown.Count > 0;
        Assert.True(await _machine.Run());
        var restarted = TimeProvider.System.GetUtcNow();
        _machine.BootId = "boot-2";
        await Runs();
        Assert.Equal(2, _machine.Shown.Count);
        Assert.True(_ran >= restarted.AddSeconds(4), $"It ran {_ran - restarted} after the system started anew, and 4 s are owed.");
    }

    [Fact]
    public async Task What_was_cut_off_before_it_changed_anything_is_announced_again()
    {
        Give(deadline: -3600, notice: 2);
        var isCut = false;
        _machine.Wrote = entry =>
        {
            if (entry is AttemptBegan && !isCut)
            {
                isCut = true;
                _machine.CutAtEntry = _machine.Appends + 2;
            }
        };
        Assert.False(await _machine.Run());
        Assert.True(isCut);
        Assert.Empty(_machine.Ran);
        var restarted = TimeProvider.System.GetUtcNow();
        _machine.BootId = "boot-2";
        await Runs();
        Assert.Equal(2, _machine.Shown.Count);
        Assert.True(_ran >= restarted.AddSeconds(2), $"It ran {_ran - restarted} after the system started anew, and 2 s are owed.");
    }

    [Fact]
    public async Task Where_nobody_is_signed_in_nobody_is_waited_for()
    {
        _machine.IsSignedIn = false;
        Give(deadline: -1, notice: 3600);
        await Runs();
        Assert.Empty(_machine.Shown);
    }

    [Fact]
    public async Task What_a_freeze_will_hold_back_is_not_announced()
    {
        var calendars = new CalendarsContent(
            "calendars", "set-1", _began.AddMinutes(-1), _began.AddDays(30),
            [new DeviceCalendar("nights", "Nights", false, true, [], [SpanText.Write(Tomorrow)]), new DeviceCalendar("year-end", "Year end", true, true, [], [SpanText.Write(new Span(_began.AddHours(-1), _began.AddHours(1)))])]);
        _machine.Calendars = _machine.SignedCalendars(calendars);
        Give(deadline: -1, notice: 1);
        var checkIns = 0;
        _machine.Until = each => each.Waits.Any(wait => wait.Why.Contains("frozen")) && ++checkIns > 2;
        Assert.True(await _machine.Run());
        Assert.Empty(_machine.Shown);
        Assert.Empty(_machine.Ran);
    }

    [Fact]
    public async Task Programs_in_use_are_waited_for_until_the_deadline_and_ended_after_the_notice()
    {
        _machine.Open.Add("foldline");
        _machine.Stubborn.Add("foldline");
        _machine.Calendars = null;
        var package = _machine.PackageWith("7.2.0", variant => variant with { Close = ["foldline"] });
        var order = FakeMachine.Order(package) with { AtDeadline = true, NoticeSeconds = 2, ClosesPrograms = true };
        _machine.Give(order with { Deadline = _began.AddHours(1) });
        _machine.Until = each => each.Waits.Count > 0;
        Assert.True(await _machine.Run());
        Assert.Equal("foldline is in use, and closed only after the deadline", _machine.Waits.Single().Why);

        // In the middle of its hours, after the deadline.
        _machine.Give(order with { Deadline = _began });
        await Runs();
        Assert.EndsWith(" Save your work: foldline is closed for it then.", Assert.Single(_machine.Shown));
        Assert.Empty(_machine.Open);
        Assert.True(_ran >= _began.AddSeconds(2), $"It ran {_ran - _began} after the test began, and 2 s were promised.");
    }

    [Fact]
    public async Task Programs_that_do_not_close_are_not_ended_unless_the_deployment_says_so()
    {
        _machine.Open.Add("foldline");
        _machine.Stubborn.Add("foldline");
        var package = _machine.PackageWith("7.2.0", variant => variant with { Close = ["foldline"] });
        _machine.Give(FakeMachine.Order(package) with { AtDeadline = true, NoticeSeconds = 1, Deadline = _began });
        _machine.Until = each => each.Taken.Values.Any(report => report.HasEnded);
        Assert.True(await _machine.Run());
        var end = _machine.Taken.Values.Single(report => report.HasEnded);
        Assert.Equal(("busy", "foldline could not be closed"), (end.Outcome, end.Message));
        Assert.Equal(["foldline"], _machine.Open);
        Assert.Empty(_machine.Ran);
    }

    [Fact]
    public async Task What_a_user_takes_from_the_shelf_after_the_deadline_ends_no_program_of_which_nobody_was_told()
    {
        _machine.Open.Add("foldline");
        _machine.Stubborn.Add("foldline");
        var package = _machine.PackageWith("7.2.0", variant => variant with { Close = ["foldline"] });
        _machine.Give(FakeMachine.Order(package) with
        {
            AtDeadline = true, NoticeSeconds = 3600, ClosesPrograms = true, Deadline = _began.AddHours(-1), AtOnce = true,
        });
        _machine.Until = each => each.Taken.Values.Any(report => report.HasEnded);
        Assert.True(await _machine.Run());
        Assert.Equal("busy", _machine.Taken.Values.Single(report => report.HasEnded).Outcome);
        Assert.Equal(["foldline"], _machine.Open);
        Assert.Empty(_machine.Shown);
    }

    [Fact]
    public async Task A_notice_that_no_service_of_ours_asks_for_is_refused()
    {
        _machine.Give(FakeMachine.Order(_machine.Package("7.2.0")) with { NoticeSeconds = -1 });
        _machine.Until = each => each.Waits.Count > 0;
        Assert.True(await _machine.Run());
        Assert.Contains("how long before it starts its user is told is not valid", _machine.Waits.Single().Why);
        Assert.Empty(_machine.Ran);
    }

    private void Give(int deadline, int notice) => _machine.Give(FakeMachine.Order(_machine.Package("7.2.0")) with
    {
        Calendars = ["nights"], Deadline = _began.AddSeconds(deadline), AtDeadline = true, NoticeSeconds = notice,
    });

    private async Task Runs()
    {
        _machine.Until = each => each.Taken.Values.Any(report => report is { HasEnded: true, Outcome: not "waits" });
        Assert.True(await _machine.Run());
        Assert.Equal("done", _machine.Taken.Values.Single(report => report is { HasEnded: true, Outcome: not "waits" }).Outcome);
        Assert.Equal(["put 7.2.0"], _machine.Ran);
    }
}
