using Bandejo.Core;
using Xunit;

namespace Bandejo.Core.Tests;

/// <summary>The past moment that somebody asks about, as people write it.</summary>
public sealed class PastMomentsTests
{
    private static readonly DateTimeOffset From = new(2026, 11, 1, 8, 0, 0, TimeSpan.Zero);
    private static readonly DateTimeOffset Now = new(2026, 11, 20, 12, 0, 0, TimeSpan.Zero);

    [Theory]
    [InlineData("2026-11-03", "2026-11-03T23:59:59.9999999Z")]
    [InlineData(" 2026-11-20 ", "2026-11-20T12:00:00Z")]
    [InlineData("2026-11-03 09:00", "2026-11-03T09:00:00Z")]
    [InlineData("2026-11-03T09:00", "2026-11-03T09:00:00Z")]
    [InlineData("2026-11-03T09:00:30", "2026-11-03T09:00:30Z")]
    [InlineData("2026-11-03T09:00:00.123Z", "2026-11-03T09:00:00.123Z")]
    [InlineData("2026-11-03T09:00:00+02:00", "2026-11-03T07:00:00Z")]
    [InlineData("2026-11-03+01:00", "2026-11-03T22:59:59.9999999Z")]
    [InlineData("2026-11-03-05:30", "2026-11-04T05:29:59.9999999Z")]
    [InlineData("3d", "2026-11-17T12:00:00Z")]
    [InlineData("2h 30m", "2026-11-20T09:30:00Z")]
    [InlineData("0s", "2026-11-20T12:00:00Z")]
    public void A_moment_is_read(string text, string moment) =>
        Assert.Equal(DateTimeOffset.Parse(moment), PastMoments.Read(text, From, Now).Value);

    [Theory]
    [InlineData("")]
    [InlineData("yesterday")]
    [InlineData("2026-13-03")]
    [InlineData("03.11.2026")]
    [InlineData("-3d")]
    [InlineData("2026")]
    [InlineData("2026-11-03+25:00")]
    [InlineData("2026-11-03 CET")]
    [InlineData("1234567890123456789012345678901234567890T1234567890")]
    public void What_is_no_moment_is_refused_with_what_would_be(string text)
    {
        var failure = PastMoments.Read(text, From, Now).Failure!;
        Assert.Equal(ErrorKind.Invalid, failure.Kind);
        Assert.Contains("is no moment. Write a day (2026-11-03)", failure.Message);
        Assert.True(failure.Message.Length < 200);
    }

    [Theory]
    [InlineData("2026-10-31", ErrorKind.NotFound, "What was is kept from 1 Nov 2026, 08:00:00 UTC on; nothing is known of 31 Oct 2026, 23:59:59 UTC.")]
    [InlineData("2026-11-21", ErrorKind.Invalid, "21 Nov 2026, 23:59:59 UTC is still to come; it is 20 Nov 2026, 12:00:00 UTC.")]
    [InlineData("9999-12-31-10:00", ErrorKind.Invalid, "31 Dec 9999, 23:59:59 UTC is still to come; it is 20 Nov 2026, 12:00:00 UTC.")]
    [InlineData("9999-12-31", ErrorKind.Invalid, "31 Dec 9999, 23:59:59 UTC is still to come; it is 20 Nov 2026, 12:00:00 UTC.")]
    public void What_nobody_knows_is_said(string text, ErrorKind kind, string says)
    {
        var failure = PastMoments.Read(text, From, Now).Failure!;
        Assert.Equal((kind, says), (failure.Kind, failure.Message));
    }

    [Fact]
    public void A_day_begins_a_span_with_its_beginning_and_ends_it_with_its_end()
    {
        Assert.Equal(new DateTimeOffset(2026, 11, 3, 0, 0, 0, TimeSpan.Zero), PastMoments.Bound("2026-11-03", isEnd: false, Now));
        Assert.Equal(new DateTimeOffset(2026, 11, 4, 0, 0, 0, TimeSpan.Zero), PastMoments.Bound("2026-11-03", isEnd: true, Now));
        Assert.Equal(Now.AddHours(-2), PastMoments.Bound("2h", isEnd: true, Now));
        Assert.Equal(DateTimeOffset.MaxValue, PastMoments.Bound("9999-12-31-10:00", isEnd: true, Now));
        Assert.Null(PastMoments.Bound("soon", isEnd: true, Now));
    }
}
