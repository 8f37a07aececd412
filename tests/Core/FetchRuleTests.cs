using Bandejo.Core.Calendars;
using Bandejo.Core.Deployments;
using CsCheck;
using Xunit;

namespace Bandejo.Core.Tests;

public sealed class FetchRuleTests
{
    [Theory]
    [InlineData("at most 2 MB/s; at most 500 kB/s Mon-Fri 08:00-18:00; not Sat 09:00-13:00; 5 of a site at once; over metered links too")]
    [InlineData("at most 1500 kB/s", "at most 1.5 MB/s")]
    [InlineData("At most 2 GB/s daily 22:00-06:00 or Sun", "at most 2 GB/s daily 22:00-06:00 or Sun")]
    [InlineData("over metered links too; not Fri 20:00-23:00", "not Fri 20:00-23:00; over metered links too")]
    public void It_says_all_of_itself(string written, string? says = null)
    {
        var rule = FetchRule.Parse(written).Value;
        Assert.Equal(says ?? written, rule.ToString());
        Assert.Equal(rule, FetchRule.Parse(rule.ToString()).Value);
    }

    [Fact]
    public void Every_rate_is_read_back_as_it_was() => Gen.Long[1000, 100_000_000_000].Sample(rate => Assert.Equal(
        rate, FetchRule.Parse(new FetchRule([new FetchRate(rate, [])], null, false).ToString()).Value.Rates.Single().BytesPerSecond));

    [Theory]
    [InlineData("slowly", 1, "Fetching is not asked for by 'slowly'. It is written like 'at most 500 kB/s")]
    [InlineData("at most 2 MB/s; quickly", 17, "'quickly'")]
    [InlineData("at most 2 B/s", 1, "'at most 2 B/s'")]
    [InlineData("at most 9999999999 TB/s", 1, "not asked for by")]
    [InlineData("at most 2 MB/s Blueday", 1, "Blueday")]
    [InlineData("0 of a site at once", 1, "not asked for by")]
    [InlineData("5 of a site at once; 6 of a site at once", 22, "'6 of a site at once'")]
    [InlineData("not", 1, "not asked for by 'not'")]
    public void What_is_not_understood_is_told_with_its_place(string written, int column, string says)
    {
        var failure = FetchRule.Parse(written).Failure!;
        Assert.Contains(says, failure.Message);
        Assert.Equal(column, failure.Findings[0].Column);
    }

    [Fact]
    public void Nothing_endless_is_read() => Assert.Contains("at most 400 letters", FetchRule.Parse(new string('x', 401)).Failure!.Message);

    [Theory]
    [InlineData("3 of a site", 3)]
    [InlineData(" 1 OF A SITE ", 1)]
    [InlineData("0 of a site", null)]
    [InlineData("1001 of a site", null)]
    [InlineData("3", null)]
    public void How_many_at_once_is_read(string written, int? devices)
    {
        var read = AtOnce.Parse(written);
        Assert.Equal(devices, read.Ok ? read.Value.Devices : null);
        Assert.Equal(devices is null ? "atOnce" : null, read.Failure?.Findings[0].Where);
    }

    /// <summary>The lowest of the rates that hold, minute by minute over the weeks in which clocks are changed.</summary>
    [Theory]
    [InlineData(2026, 3, 26)]
    [InlineData(2026, 10, 22)]
    public void At_each_minute_the_lowest_rate_holds_and_until_then_it_does(int year, int month, int day)
    {
        var clocks = Zones.Of("Europe/Lisbon")!;
        var rule = FetchRule.Parse("at most 4 MB/s; at most 1 MB/s Mon-Fri 08:00-18:00; at most 2 MB/s daily 16:00-20:00; not Sat 23:00 to Sun 03:00").Value;
        var from = new DateTimeOffset(year, month, day, 0, 0, 0, TimeSpan.Zero);
        var told = new List<(long? Rate, DateTimeOffset? Until)>();
        for (var minute = 0; minute < 6 * 24 * 60; minute++)
        {
            var now = from.AddMinutes(minute);
            var wall = (now + clocks(now)).DateTime;
            var isWork = wall.DayOfWeek is not (DayOfWeek.Saturday or DayOfWeek.Sunday) && wall.Hour is >= 8 and < 18;
            var isNot = (wall.DayOfWeek == DayOfWeek.Saturday && wall.Hour == 23) || (wall.DayOfWeek == DayOfWeek.Sunday && wall.Hour < 3);
            var expected = isNot ? 0L : isWork ? 1_000_000 : wall.Hour is >= 16 and < 20 ? 2_000_000 : 4_000_000;
            var (rate, until) = rule.At(clocks, now);
            Assert.Equal((now, expected), (now, rate));
            Assert.True(until > now);
            if (told.Count > 0 && told[^1].Until > now)
            {
                Assert.Equal(told[^1].Rate, rate);
            }

            told.Add((rate, until));
        }
    }
}
