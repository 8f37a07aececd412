using Bandejo.Core.Calendars;
using Bandejo.Core.Deployments;
using CsCheck;
using Xunit;

namespace Bandejo.Core.Tests;

public sealed class RestartTests
{
    private static readonly DateTimeOffset Now = new(2026, 12, 4, 12, 0, 0, TimeSpan.Zero);
    private static readonly Gen<RestartChoice> Choices = Gen.Select(
        Gen.Enum<RestartWhen>(), Gen.Enum<RestartWhen>(), Gen.Int[0, 3], (when, signedIn, days) =>
            new RestartChoice(when, signedIn, days == 0 ? null : TimeSpan.FromDays(days)));

    [Fact]
    public void What_is_written_is_read_back() => Choices.Sample(choice => Assert.Equal(choice, RestartChoice.Parse(choice.ToString()).Value));

    [Theory]
    [InlineData("left to people", "left to people")]
    [InlineData("with the install", "with the install, left to people while somebody is signed in")]
    [InlineData("With the Install, with the install while somebody is signed in", "with the install, with the install while somebody is signed in")]
    [InlineData("in the next window, at the latest after 3d", "in the next window, left to people while somebody is signed in, at the latest after 3 d")]
    [InlineData("at the latest after 12 h", "at the latest after 12 h")]
    public void A_choice_says_all_of_itself(string written, string says) => Assert.Equal(says, RestartChoice.Parse(written).Value.ToString());

    [Theory]
    [InlineData("tonight", 1)]
    [InlineData("with the install, tonight", 19)]
    [InlineData("with the install, in the next window", 19)]
    [InlineData("at the latest after 0 d", 1)]
    [InlineData("", 1)]
    public void What_is_not_understood_is_told_with_its_place_and_what_would_be_right(string written, int column)
    {
        var failure = RestartChoice.Parse(written).Failure!;
        Assert.Contains(RestartChoice.Example, failure.Message);
        Assert.Equal(column, failure.Findings[0].Column);
    }

    [Fact]
    public void The_gentlest_choice_rules_until_the_earliest_of_the_last_moments()
    {
        var (gentle, rough) = (Need("left to people, at the latest after 2 d"), Need("with the install, with the install while somebody is signed in"));
        Assert.True(Restarting.At([rough], true, Now).IsNow);
        Assert.Equal(new RestartSays(RestartHeld.ByPeople, null, Now.AddDays(2)), Restarting.At([gentle, rough], false, Now));
        Assert.False(Restarting.At([gentle, rough], false, Now.AddDays(2).AddTicks(-1)).IsNow);
        Assert.True(Restarting.At([gentle, rough], true, Now.AddDays(2)).IsNow);

        // What one of them needed sooner comes sooner.
        Assert.True(Restarting.At([gentle with { Since = Now.AddDays(-1) }, gentle], true, Now.AddDays(1)).IsNow);
    }

    [Fact]
    public void Whoever_is_signed_in_is_left_alone_unless_asked_otherwise()
    {
        var need = Need("with the install");
        Assert.True(Restarting.At([need], false, Now).IsNow);
        Assert.Equal(RestartHeld.SignedIn, Restarting.At([need], true, Now).Why);
        Assert.Equal("It restarts when nobody is signed in", Restarting.At([need], true, Now).ToString());
        Assert.Equal(RestartHeld.ByPeople, Restarting.At([need, Need("left to people")], true, Now).Why);
    }

    [Fact]
    public void A_window_has_to_be_open_with_room_and_a_freeze_holds_even_at_the_last_moment()
    {
        var nights = Table("Fri 20:00-23:00");
        var need = Need("in the next window, at the latest after 1 d") with { Hours = nights };
        var closed = Restarting.At([need], false, Now);
        Assert.Equal((RestartHeld.Closed, Now.AddHours(8)), (closed.Why, closed.Until));
        Assert.Equal("It restarts when it may: it is outside its window 'nights'", closed.ToString());
        Assert.True(Restarting.At([need], false, Now.AddHours(8)).IsNow);

        // Ten minutes are left for it, then less, then none; a day later it comes outside of all windows.
        Assert.True(Restarting.At([need], false, Now.AddHours(11).AddMinutes(-10)).IsNow);
        Assert.Equal(Now.AddDays(1), Restarting.At([need], false, Now.AddHours(11).AddMinutes(-9)).Until);
        Assert.True(Restarting.At([need], true, Now.AddDays(1)).IsNow);

        // Started outside its windows, it may restart there; what waits for one restart waits for the later of two windows.
        Assert.True(Restarting.At([Need("with the install") with { Hours = nights, IsAtOnce = true }], false, Now).IsNow);
        Assert.True(Restarting.At([Need("with the install") with { Hours = nights, FreeFrom = Now }], false, Now).IsNow);
        var both = Restarting.At([Need("with the install") with { Hours = nights }, Need("with the install") with { Hours = Table("Sat 06:00-07:00") }], false, Now);
        Assert.Equal((RestartHeld.Closed, Now.AddHours(18)), (both.Why, both.Until));

        var frozen = Table("Fri 20:00-23:00", "2026-12-04 to 2026-12-06");
        var held = Restarting.At([need with { Hours = frozen }], false, Now.AddDays(1));
        Assert.Equal((RestartHeld.Closed, ClosedWhy.Frozen), (held.Why, held.Hours!.Why));
    }

    private static RestartNeed Need(string choice) => new(RestartChoice.Parse(choice).Value, Now, Timetable.Always);

    private static Timetable Table(string windows, string? freeze = null) => Timetable.Of(
        [
            .. Calendars.TimetableTests.Held("nights", SlotWords.Parse(windows).Value, false, null),
            .. freeze is null ? [] : Calendars.TimetableTests.Held("freeze", SlotWords.Parse(freeze).Value, true, null),
        ], [], _ => TimeSpan.Zero);
}
