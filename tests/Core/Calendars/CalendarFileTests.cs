using Bandejo.Core.Calendars;
using CsCheck;
using Xunit;

namespace Bandejo.Core.Tests.Calendars;

/// <summary>Calendar files of others: what is read, and what is refused.</summary>
public sealed class CalendarFileTests
{
    private static readonly (DateOnly From, DateOnly To) Year = (new(2026, 11, 30), new(2027, 11, 30));

    [Fact]
    public void Recurrences_exceptions_zones_and_moved_occurrences_are_followed()
    {
        var file = CalendarFile.Read(File(
            "UID:1\nDTSTART;TZID=Europe/Lisbon:20261202T200000\nDTEND;TZID=Europe/Lisbon:20261202T230000\nRRULE:FREQ=WEEKLY;BYDAY=WE;COUNT=4\n"
                + "EXDATE;TZID=Europe/Lisbon:20261209T200000\nSUMMARY:Nights",
            "UID:1\nRECURRENCE-ID;TZID=Europe/Lisbon:20261216T200000\nDTSTART;TZID=Europe/Lisbon:20261217T210000\nDTEND;TZID=Europe/Lisbon:20261217T220000",
            "UID:2\nDTSTART;VALUE=DATE:20261224\nDTEND;VALUE=DATE:20261227",
            "UID:3\nDTSTART:20270101T120000Z\nDURATION:PT90M",
            "UID:4\nDTSTART;TZID=W. Europe Standard Time:20270301T120000\nDURATION:P1D")).Value;
        var times = file.Occasions(Year.From, Year.To).Value;
        Assert.Equal(
            ["2026-12-02 20:00 2026-12-02 23:00 Europe/Lisbon", "2026-12-17 21:00 2026-12-17 22:00 Europe/Lisbon",
                "2026-12-23 20:00 2026-12-23 23:00 Europe/Lisbon",
                "2026-12-24 00:00 2026-12-27 00:00 own", "2027-01-01 12:00 01:30:00 UTC", "2027-03-01 12:00 2027-03-02 12:00 Europe/Berlin"],
            times.Select(
                each => $"{each.Span.From:yyyy-MM-dd HH:mm} {(each.Span.To is { } to ? $"{to:yyyy-MM-dd HH:mm}" : each.Span.Lasts)} {each.Zone ?? "own"}"));
        Assert.Equal("Nights", times[0].Title);
        Assert.Equal([null, null, "2026-12-24 to 2026-12-26"], file.Slots().Take(3).Select(each => each.Slot is { } slot ? SlotWords.Write(slot) : null));
    }

    [Theory]
    [InlineData("UID:1\nDTSTART:20261202T200000\nDTEND:20261202T190000", "ends before it begins")]
    [InlineData("UID:1\nDTSTART:20261202T200000\nDURATION:PT0S", "ends before it begins")]
    [InlineData("UID:1\nDTSTART:20261202T200000", "ends before it begins")]
    [InlineData("UID:1\nSUMMARY:x\nDURATION:PT1H", "has no beginning")]
    [InlineData("UID:1\nDTSTART;TZID=Europe/Lisbom:20261202T200000\nDURATION:PT1H", "did you mean 'Europe/Lisbon'")]
    [InlineData("UID:1\nDTSTART;TZID=Mars/Olympus:20261202T200000\nDURATION:PT1H", "is not known")]
    [InlineData("UID:1\nDTSTART:99991202T200000\nDURATION:PT1H", "in the year 9999")]
    [InlineData("UID:1\nDTSTART:00011202T200000\nDURATION:PT1H", "in the year 1")]
    [InlineData("UID:1\nDTSTART:20261202T200000\nDURATION:P2000W", "lasts longer")]
    public void An_event_that_cannot_be_is_told_which(string one, string says)
    {
        var failure = CalendarFile.Read(File("UID:0\nDTSTART:20261202T200000\nDURATION:PT1H", one)).Failure!;
        Assert.StartsWith("Event 2", failure.Message, StringComparison.Ordinal);
        Assert.Contains(says, failure.Message, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("")]
    [InlineData("BEGIN:VCALENDAR\nVERSION:2.0\nEND:VCALENDAR\n")]
    [InlineData("BEGIN:VCALENDAR\nVERSION:2.0\nBEGIN:VEVENT\nUID:1\nDTSTART:20261202T200000\nDURATION:PT1H\n")]
    [InlineData("BEGIN:VCALENDAR\nVERSION:2.0\nBEGIN:VEVENT\nUID:1\nDTSTART:20261202T200000\nDURATION:PT1H\nEND:VEVENT\n")]
    [InlineData("BEGIN:VCALENDAR\nBEGIN:VEVENT\nDTSTART:never\nEND:VEVENT\nEND:VCALENDAR\n")]
    [InlineData("BEGIN:VCALENDAR\nBEGIN:VEVENT\nDTSTART:20261202T200000\nDURATION:PT1H\nRRULE:FREQ=SOMETIMES\nEND:VEVENT\nEND:VCALENDAR\n")]
    [InlineData("PK\u0003\u0004")]
    [InlineData("\uFFFD\uFFFDB\0E\0G\0I\0N\0")]
    public void What_is_no_calendar_is_refused(string text) => Assert.Equal(ErrorKind.Invalid, CalendarFile.Read(text).Failure!.Kind);

    [Theory]
    [InlineData("FREQ=SECONDLY")]
    [InlineData("FREQ=MINUTELY;COUNT=1000000")]
    [InlineData("FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30")]
    [InlineData("FREQ=SECONDLY;BYMONTH=2;BYMONTHDAY=30")]
    [InlineData("FREQ=DAILY;BYSETPOS=366;BYHOUR=1")]
    [InlineData("FREQ=YEARLY;INTERVAL=2147483647")]
    [InlineData("FREQ=YEARLY;BYSECOND=0,1,2,3,4,5,6,7,8,9;BYMINUTE=0,1,2,3,4,5,6,7,8,9,10;BYHOUR=0,1,2,3,4,5,6,7;BYDAY=MO,TU,WE")]
    public void What_comes_a_million_times_or_never_ends_at_its_bound(string rule)
    {
        var read = CalendarFile.Read(File($"UID:1\nDTSTART:20000101T000000\nDURATION:PT1S\nRRULE:{rule}"));
        if (read.Ok)
        {
            var times = read.Value.Occasions(Year.From, Year.To);
            Assert.True(times.Ok ? times.Value.Count <= CalendarFile.MostOccasions : times.Failure!.Kind is ErrorKind.TooMuch or ErrorKind.Invalid);
        }
    }

    [Fact]
    public void What_is_larger_than_a_calendar_is_refused()
    {
        Assert.Equal(ErrorKind.TooMuch, CalendarFile.Read(new string('x', CalendarFile.Largest + 1)).Failure!.Kind);
        Assert.Equal(
            ErrorKind.TooMuch,
            CalendarFile.Read(File([.. Enumerable.Range(0, 1001).Select(at => $"UID:{at}\nDTSTART:20261202T200000\nDURATION:PT1H")])).Failure!.Kind);
    }

    [Fact]
    public void Whatever_becomes_of_a_file_there_is_an_answer()
    {
        var whole = File(
            "UID:1\nDTSTART;TZID=Europe/Lisbon:20261202T200000\nDTEND;TZID=Europe/Lisbon:20261202T230000\nRRULE:FREQ=WEEKLY;BYDAY=WE;UNTIL=20270601T000000Z\n"
                + "EXDATE;TZID=Europe/Lisbon:20261209T200000");
        Gen.Select(Gen.Int[0, whole.Length - 1], Gen.Int[0, 12], Gen.String[Gen.Char["0123456789TZ:;,=\r\nBYENDFRQWL-\0\u20ac"], 0, 12]).Sample(
            (at, less, more) =>
            {
                var read = CalendarFile.Read(whole[..at] + more + whole[Math.Min(whole.Length, at + less)..]);
                Assert.True(read.Ok || read.Failure!.Kind is ErrorKind.Invalid or ErrorKind.TooMuch);
                if (read.Ok)
                {
                    var times = read.Value.Occasions(Year.From, Year.To);
                    Assert.True(times.Ok || times.Failure!.Kind is ErrorKind.Invalid or ErrorKind.TooMuch);
                    _ = read.Value.Slots();
                }
            },
            iter: 1500);
    }

    private static string File(params string[] events) =>
        ("BEGIN:VCALENDAR\nVERSION:2.0\nPRODID:-//Elsewhere//EN\n"
            + string.Concat(events.Select(each => $"BEGIN:VEVENT\n{each}\nEND:VEVENT\n")) + "END:VCALENDAR\n")
            .Replace("\n", "\r\n", StringComparison.Ordinal);
}
