using Bandejo.Core.Calendars;
using CsCheck;
using Xunit;

namespace Bandejo.Core.Tests.Calendars;

public sealed class OpenHoursTests
{
    private static readonly string[] ZoneNames = ["UTC", "Europe/Lisbon", "America/Sao_Paulo", "Australia/Lord_Howe"];

    [Fact]
    public void What_is_written_is_read_back_with_its_zone()
    {
        Assert.Equal("Mon-Thu 08:00-16:00 in UTC", OpenHours.Parse("mon-thu 08:00-16:00").Value.ToString());
        Assert.Equal(
            "third week Mon-Thu 08:00-16:00 or Sat 08:00-12:00 in Europe/Lisbon",
            OpenHours.Parse("third week Mon-Thu 08:00-16:00 or Sat 08:00-12:00 in europe/lisbon").Value.ToString());
    }

    [Theory]
    [InlineData("Fry 08:00-16:00", "did you mean 'Fri'", 1)]
    [InlineData("Mon 08:00-16:00 or Fry 08:00-16:00", "did you mean 'Fri'", 20)]
    [InlineData("Mon 08:00-16:00 in Europe/Lisbom", "did you mean 'Europe/Lisbon'", 20)]
    [InlineData("", "Write a time like", 1)]
    public void What_is_not_understood_is_told_with_its_place(string written, string says, int column)
    {
        var failure = OpenHours.Parse(written).Failure!;
        Assert.Contains(says, failure.Findings[0].Message);
        Assert.Equal(column, failure.Findings[0].Column);
    }

    /// <summary>Held against the slow way: a calendar of the same slots, laid out by the library.</summary>
    [Fact]
    public void The_next_moment_is_the_first_that_a_calendar_of_the_same_slots_holds() => Gen.Select(
        SlotWordsTests.Slots.List[1, 3], Gen.OneOf([.. ZoneNames.Select(Gen.Const)]), Gen.Int[0, 700_000]).Sample(
        (slots, zone, minutes) =>
        {
            var from = new DateTimeOffset(2026, 12, 1, 0, 0, 0, TimeSpan.Zero).AddMinutes(minutes);
            var table = Timetable.Of([.. TimetableTests.Held("w", slots, false, zone)], [], _ => TimeSpan.Zero);
            var says = table.At(from);
            var next = new OpenHours(slots, zone).Next(from);
            Assert.Equal(says.IsOpen, next == from);

            // Towards the end of what the calendar was laid out for the two know of different ends.
            if ((next ?? says.Until) < from.AddDays(150))
            {
                Assert.Equal(says.IsOpen ? from : says.Until, next);
            }
        },
        iter: 300);

    [Fact]
    public void Hours_that_are_over_never_come()
    {
        Assert.Null(OpenHours.Parse("2026-12-20 to 2026-12-22").Value.Next(new DateTimeOffset(2026, 12, 24, 0, 0, 0, TimeSpan.Zero)));
        Assert.Equal(
            new DateTimeOffset(2026, 12, 7, 8, 0, 0, TimeSpan.Zero),
            OpenHours.Parse("Mon-Thu 08:00-16:00").Value.Next(new DateTimeOffset(2026, 12, 3, 16, 0, 0, TimeSpan.Zero)));
    }
}
