using Bandejo.Core.Deployments;
using CsCheck;
using Xunit;

namespace Bandejo.Core.Tests;

public sealed class StartWhenTests
{
    [Fact]
    public void What_is_written_is_read_back() => Gen.Select(Gen.Enum<StartWith>(), Gen.Bool, (with, onMains) => new StartWhen(with, onMains)).Sample(
        when => Assert.Equal(when, StartWhen.Parse(when.ToString()).Value));

    [Theory]
    [InlineData("with nobody signed in, on mains power", "with nobody signed in, on mains power")]
    [InlineData("On mains power", "on mains power")]
    [InlineData("at any time", "at any time")]
    public void It_says_all_of_itself(string written, string says) => Assert.Equal(says, StartWhen.Parse(written).Value.ToString());

    [Theory]
    [InlineData("at night", 1)]
    [InlineData("with nobody signed in, at night", 24)]
    [InlineData("with nobody signed in, with somebody signed in", 24)]
    public void What_is_not_understood_is_told_with_its_place(string written, int column)
    {
        var failure = StartWhen.Parse(written).Failure!;
        Assert.Contains("'at system start before anybody signs in'", failure.Message);
        Assert.Equal(column, failure.Findings[0].Column);
    }

    [Theory]
    [InlineData("at any time", true, false, 100, null)]
    [InlineData("with nobody signed in", true, true, 0, "until nobody is")]
    [InlineData("with nobody signed in", false, true, 0, null)]
    [InlineData("with somebody signed in", false, true, 0, "until somebody is")]
    [InlineData("at system start before anybody signs in", false, true, 5, null)]
    [InlineData("at system start before anybody signs in", true, true, 5, "next start of the system")]
    [InlineData("at system start before anybody signs in", false, true, 20, "next start of the system")]
    [InlineData("with nobody signed in, on mains power", false, false, 0, "runs on battery")]
    [InlineData("on mains power", true, null, 0, "not known")]
    public void What_is_in_the_way_is_told(string when, bool isSignedIn, bool? isOnMains, int minutes, string? says)
    {
        var told = StartWhen.Parse(when).Value.InTheWay(false, isSignedIn, isOnMains, TimeSpan.FromMinutes(minutes));
        Assert.Equal(says is null, told is null);
        Assert.Contains(says ?? "", told ?? "");
    }

    [Fact]
    public void Whoever_takes_it_from_the_shelf_is_not_asked_to_sign_out()
    {
        Assert.Null(StartWhen.Parse("with nobody signed in").Value.InTheWay(true, true, true, TimeSpan.Zero));
        Assert.NotNull(StartWhen.Parse("with nobody signed in, on mains power").Value.InTheWay(true, true, false, TimeSpan.Zero));
    }
}
