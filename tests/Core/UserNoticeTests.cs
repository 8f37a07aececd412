using Bandejo.Core.Deployments;
using Xunit;

namespace Bandejo.Core.Tests;

/// <summary>When whoever is signed in is told of a start, and when it starts then.</summary>
public sealed class UserNoticeTests
{
    private static readonly DateTimeOffset Deadline = new(2026, 12, 4, 18, 0, 0, TimeSpan.Zero);
    private static readonly UserNotice Quarter = new(TimeSpan.FromMinutes(15));

    [Theory]
    [InlineData(-60, null, NoticeStep.Early, -15)]
    [InlineData(-15, null, NoticeStep.Tell, 0)]
    [InlineData(-5, null, NoticeStep.Tell, 10)]
    [InlineData(300, null, NoticeStep.Tell, 315)]
    [InlineData(-5, 0, NoticeStep.Told, 0)]
    [InlineData(0, 0, NoticeStep.Over, 0)]
    [InlineData(14, 0, NoticeStep.Over, 0)]
    [InlineData(15, 0, NoticeStep.Tell, 30)]
    [InlineData(5, 10, NoticeStep.Told, 10)]
    [InlineData(-60, -30, NoticeStep.Early, -15)]
    [InlineData(0, -30, NoticeStep.Tell, 15)]
    public void It_is_told_so_long_before_and_what_was_promised_is_kept(int now, int? promised, NoticeStep step, int at)
    {
        var says = Quarter.At(Deadline, promised is { } minutes ? Deadline.AddMinutes(minutes) : null, Deadline.AddMinutes(now));
        Assert.Equal(new NoticeSays(step, Deadline.AddMinutes(at)), says);
    }

    [Fact]
    public void Looked_at_each_minute_nothing_starts_before_the_deadline_or_without_its_whole_notice()
    {
        for (var on = -100; on <= 100; on += 7)
        {
            Assert.Equal(Math.Max(0, on + 15), StartOfADeviceThatIsOnFrom(on));
        }
    }

    /// <summary>In minutes after the deadline.</summary>
    private static int StartOfADeviceThatIsOnFrom(int on)
    {
        DateTimeOffset? promised = null, told = null;
        for (var minute = on; minute < 200; minute++)
        {
            var now = Deadline.AddMinutes(minute);
            var says = Quarter.At(Deadline, promised, now);
            switch (says.Step)
            {
                case NoticeStep.Tell:
                    Assert.Null(promised);
                    (promised, told) = (says.At, now);
                    break;
                case NoticeStep.Over:
                    Assert.True(now >= Deadline && now - told >= Quarter.Length);
                    return minute;
                default:
                    break;
            }
        }

        throw new InvalidOperationException("It never starts.");
    }

    [Theory]
    [InlineData("15 min", 15)]
    [InlineData("1m", 1)]
    [InlineData("24 h", 1440)]
    public void A_length_is_read(string text, int minutes) => Assert.Equal(TimeSpan.FromMinutes(minutes), UserNotice.Parse(text).Value.Length);

    [Theory]
    [InlineData("")]
    [InlineData("soon")]
    [InlineData("30 s")]
    [InlineData("25 h")]
    [InlineData("-1 h")]
    public void Any_other_is_refused_with_what_would_be_right(string text)
    {
        var failure = UserNotice.Parse(text).Failure!;
        Assert.Equal(ErrorKind.Invalid, failure.Kind);
        Assert.Equal($"The notice is between 1 min and 24 h, such as '15 min', not '{text}'.", failure.Message);
    }
}
