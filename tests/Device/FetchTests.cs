using System.Globalization;
using Bandejo.Contract.Device;
using Bandejo.Core.Calendars;
using Microsoft.Extensions.Time.Testing;
using Xunit;

namespace Bandejo.Device.Tests;

/// <summary>How files come to a device before it starts: as its orders, and those who pay for its link, want it.</summary>
public sealed class FetchTests
{
    private readonly FakeMachine _machine = new();

    [Fact]
    public async Task While_others_of_its_site_fetch_it_waits_and_starts_once_it_is_its_turn()
    {
        var package = _machine.PackageWithFile("7.2.0", 4000);
        _machine.Give(FakeMachine.Order(package) with { Fetch = ["5 of a site at once"], FetchesLater = true });
        Assert.Equal("It fetches its files when it is its turn: others of its site do first", await WhatItWaitsFor());
        Assert.Empty(_machine.Fetched);
        _machine.Give(FakeMachine.Order(package) with { Fetch = ["5 of a site at once"] });
        _machine.Until = each => each.Taken.Values.Any(report => report.HasEnded);
        Assert.True(await _machine.Run());
        Assert.Equal(["put 7.2.0"], _machine.Ran);
    }

    [Fact]
    public async Task Whoever_has_the_files_says_so_and_starts_although_it_is_not_its_turn()
    {
        var package = _machine.PackageWithFile("7.2.0", 4000);
        Close();
        _machine.Give(FakeMachine.Order(package) with { Calendars = ["nights"], Fetch = ["5 of a site at once"] });
        _machine.Until = each => each.Fetched.SequenceEqual(["D1"]);
        Assert.True(await _machine.Run());
        Assert.Empty(_machine.Ran);

        Open();
        _machine.Give(FakeMachine.Order(package) with { Calendars = ["nights"], Fetch = ["5 of a site at once"], FetchesLater = true });
        _machine.Until = each => each.Taken.Values.Any(report => report.HasEnded);
        Assert.True(await _machine.Run());
        Assert.Equal(["put 7.2.0"], _machine.Ran);
    }

    [Fact]
    public async Task Over_a_metered_link_nothing_is_fetched_unless_it_is_asked_for()
    {
        _machine.IsMetered = true;
        var package = _machine.PackageWithFile("7.2.0", 4000);
        _machine.Give(FakeMachine.Order(package));
        Assert.Equal("Its files are not there, and it fetches none over a metered link", await WhatItWaitsFor());
        _machine.Give(FakeMachine.Order(package) with { Fetch = ["over metered links too"] });
        _machine.Until = each => each.Taken.Values.Any(report => report.HasEnded);
        Assert.True(await _machine.Run());
        Assert.Equal(["put 7.2.0"], _machine.Ran);
    }

    [Fact]
    public async Task At_times_at_which_nothing_is_fetched_it_waits_until_they_are_over()
    {
        var wall = TimeProvider.System.GetUtcNow().UtcDateTime;
        var day = wall.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture);
        var until = wall.AddHours(30).ToString("yyyy-MM-dd HH:mm", CultureInfo.InvariantCulture);
        _machine.Give(FakeMachine.Order(_machine.PackageWithFile("7.2.0", 4000)) with { Fetch = [$"not {day} 00:00 to {until}"] });
        Assert.Equal($"It fetches no files at this time until {wall.AddHours(30):ddd HH:mm}", await WhatItWaitsFor());
        Assert.Empty(_machine.Ran);
    }

    [Fact]
    public async Task Where_a_rate_holds_nothing_is_begun_before_the_files_are_there()
    {
        var held = new TaskCompletionSource();
        var slow = _machine.PackageWithFile("7.2.0", 4000);
        _machine.HoldFiles = held.Task;
        _machine.Give(FakeMachine.Order(slow) with { Fetch = ["at most 1 GB/s"] });
        Assert.Equal("Its files are being fetched (0 % of 3.9 KiB), at most 1 GB/s", await WhatItWaitsFor());
        Assert.DoesNotContain(_machine.Said, report => !report.HasEnded);
        held.SetResult();
        _machine.Until = each => each.Taken.Values.Any(report => report.HasEnded);
        Assert.True(await _machine.Run());
        Assert.Equal(["put 7.2.0"], _machine.Ran);
        Assert.NotNull(_machine.Paces[^1]);
    }

    [Fact]
    public async Task A_rate_that_is_none_refuses_the_order_and_nothing_starts()
    {
        _machine.Give(FakeMachine.Order(_machine.PackageWithFile("7.2.0", 4000)) with { Fetch = ["as I like"] });
        _machine.Until = each => each.Waits.Any(wait => wait.Why.Contains("refuses the order", StringComparison.Ordinal));
        Assert.True(await _machine.Run());
        Assert.Contains("how its files are fetched is not valid", _machine.Waits.Single().Why);
        Assert.Empty(_machine.Ran);
    }

    private void Close() => Hold(TimeProvider.System.GetUtcNow().AddDays(1), "closed");

    private void Open() => Hold(TimeProvider.System.GetUtcNow().AddHours(-1), "open");

    private void Hold(DateTimeOffset from, string tag) => _machine.Calendars = _machine.SignedCalendars(new CalendarsContent(
        "calendars", tag, TimeProvider.System.GetUtcNow(), TimeProvider.System.GetUtcNow().AddDays(42),
        [new DeviceCalendar("nights", "Nights", false, true, [], [SpanText.Write(new Span(from, from.AddHours(3)))])]));

    private async Task<string> WhatItWaitsFor()
    {
        _machine.Until = each => each.KnowsItsOrders && each.Waits.Count > 0;
        Assert.True(await _machine.Run());
        return _machine.Waits.Single().Why;
    }
}

/// <summary>How fast bytes may come.</summary>
public sealed class FetchPaceTests
{
    private readonly FakeTimeProvider _time = new(new DateTimeOffset(2031, 3, 3, 8, 0, 0, TimeSpan.Zero)) { AutoAdvanceAmount = TimeSpan.Zero };

    [Fact]
    public async Task Bytes_come_no_faster_than_the_rate()
    {
        var pace = new FetchPace(_time, () => 1000);
        for (var second = 0; second < 10; second++)
        {
            var taking = pace.Take(1000, CancellationToken.None).AsTask();
            Assert.False(taking.IsCompleted);
            _time.Advance(TimeSpan.FromMilliseconds(999));
            Assert.False(taking.IsCompleted);
            _time.Advance(TimeSpan.FromMilliseconds(1));
            await taking;
        }
    }

    [Fact]
    public async Task A_rate_that_changes_meanwhile_holds_at_once()
    {
        long? rate = 1000;
        var pace = new FetchPace(_time, () => rate);
        var taking = pace.Take(1_000_000, CancellationToken.None).AsTask();
        _time.Advance(TimeSpan.FromSeconds(30));
        rate = null;
        _time.Advance(TimeSpan.FromSeconds(30));
        await taking;
        rate = 0;
        await Assert.ThrowsAsync<LinkException>(async () => await pace.Take(1, CancellationToken.None));
    }
}

/// <summary>A device wakes its neighbours, and nobody else.</summary>
public sealed class WakingTests
{
    [Fact]
    public async Task Whom_the_service_names_is_woken_and_what_is_no_address_of_one_machine_is_passed_by()
    {
        var machine = new FakeMachine
        {
            ToWake = ["02:00:00:00:00:01", "ff:ff:ff:ff:ff:ff", "01:00:5e:00:00:01", "00:00:00:00:00:00", "02:00:00:00:00", "02-00-00-00-00-0A", "../../etc/passwd.", "02:00:00-00:00:03", "02:00:00:00:00:01"],
            Until = each => each.Woken.Count > 1,
        };
        machine.Give(FakeMachine.Order(machine.Package("7.2.0")));
        Assert.True(await machine.Run());
        Assert.Equal(["02:00:00:00:00:01", "02-00-00-00-00-0A"], machine.Woken);
    }

    [Fact]
    public void The_packet_is_six_times_all_ones_and_sixteen_times_the_address()
    {
        var packet = MagicPacket.For("02-00-00-00-00-0A");
        Assert.Equal(102, packet.Length);
        Assert.All(packet.Take(6), each => Assert.Equal(0xff, each));
        Assert.All(packet.Skip(6).Chunk(6), each => Assert.Equal([2, 0, 0, 0, 0, 10], each));
    }
}
