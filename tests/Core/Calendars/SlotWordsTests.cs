using Bandejo.Core.Calendars;
using CsCheck;
using Xunit;

namespace Bandejo.Core.Tests.Calendars;

/// <summary>Times in words: read, written, said, and as calendar files.</summary>
public sealed class SlotWordsTests
{
    private static readonly DateOnly Made = new(2026, 11, 30);

    [Theory]
    [InlineData("Fri 20:00-23:00", "Fri 20:00-23:00", "Fridays 20:00 to 23:00")]
    [InlineData("fridays 20:00 to 23:00", "Fri 20:00-23:00", "Fridays 20:00 to 23:00")]
    [InlineData("Mon-Thu 22:00-04:00", "Mon-Thu 22:00-04:00", "Mondays to Thursdays 22:00 to 04:00")]
    [InlineData("mon, wed and fri 6:00-7:30", "Mon,Wed,Fri 06:00-07:30", "Mondays, Wednesdays and Fridays 06:00 to 07:30")]
    [InlineData("Sat-Mon 00:00-24:00", "Mon,Sat,Sun", "Mondays, Saturdays and Sundays")]
    [InlineData("weekends", "Sat,Sun", "Saturdays and Sundays")]
    [InlineData("daily 22:00 for 6h", "daily 22:00 for 6h", "every day from 22:00 for 6h")]
    [InlineData("every day 22:00-24:00", "daily 22:00-24:00", "every day 22:00 to 24:00")]
    [InlineData("Fri 20:00 to Mon 05:00", "Fri 20:00 to Mon 05:00", "Fridays 20:00 to Monday 05:00")]
    [InlineData("third Saturday 22:00 for 6 h", "third Sat 22:00 for 6h", "the third Saturday of each month from 22:00 for 6h")]
    [InlineData("last Friday of the month 20:00-23:00", "last Fri 20:00-23:00", "the last Friday of each month 20:00 to 23:00")]
    [InlineData("third week of the month Mon-Thu 08:00-16:00", "third week Mon-Thu 08:00-16:00",
        "Mondays to Thursdays 08:00 to 16:00 in the third week of each month")]
    [InlineData("third week of the month", "third week Mon-Sun", "every day in the third week of each month")]
    [InlineData("2026-12-20 to 2027-01-03", "2026-12-20 to 2027-01-03", "2026-12-20 to 2027-01-03")]
    [InlineData("2026-12-24", "2026-12-24", "2026-12-24")]
    [InlineData("2026-12-24 12:00-18:00", "2026-12-24 12:00 to 2026-12-24 18:00", "2026-12-24 12:00 to 2026-12-24 18:00")]
    [InlineData("2026-12-24 12:00 to 2026-12-27 06:00", "2026-12-24 12:00 to 2026-12-27 06:00", "2026-12-24 12:00 to 2026-12-27 06:00")]
    [InlineData("every year 2026-12-20 to 2027-01-03", "yearly 2026-12-20 to 2027-01-03", "each year 2026-12-20 to 2027-01-03")]
    [InlineData("Fri 20:00-23:00 until 2027-03-31 except 2026-12-25, 2027-01-01", "Fri 20:00-23:00 until 2027-03-31 except 2026-12-25, 2027-01-01",
        "Fridays 20:00 to 23:00 until 2027-03-31 except 2026-12-25, 2027-01-01")]
    public void Times_are_read_written_and_said(string text, string written, string said)
    {
        var slot = SlotWords.Parse(text).Value.Single();
        Assert.Equal(written, SlotWords.Write(slot));
        Assert.Equal(said, SlotWords.Say(slot));
        Assert.Equal(slot, SlotWords.Parse(written).Value.Single());
    }

    [Fact]
    public void Several_times_stand_behind_one_another() =>
        Assert.Equal(
            ["Fri 20:00-23:00", "third Sat 22:00 for 6h"], SlotWords.Parse("Fri 20:00-23:00; third Saturday 22:00 for 6h").Value.Select(SlotWords.Write));

    [Theory]
    [InlineData("", 1, "missing")]
    [InlineData("Fri 20:00-23:00;", 17, "missing")]
    [InlineData("Fry 20:00-23:00", 1, "did you mean 'Fri'")]
    [InlineData("Fri 25:00-23:00", 5, "no time of day")]
    [InlineData("Fri 20:00", 10, "breaks off")]
    [InlineData("Fri 20:00 for ever", 15, "no length of time")]
    [InlineData("Fri 20:00-20:00-21:00", 5, "no time of day")]
    [InlineData("Mon,Tue 20:00 to Fri 05:00", 18, "begins on several")]
    [InlineData("fifth Friday 20:00-21:00", 1, "no day")]
    [InlineData("last week Mon 08:00-16:00", 6, "fourth week")]
    [InlineData("2026-02-30 to 2026-03-01", 1, "no day")]
    [InlineData("2026-12-20 to 2026-12-01", 1, "ends before it begins")]
    [InlineData("2026-12-20 to 2029-12-01", 1, "lasts longer")]
    [InlineData("yearly 2028-02-29", 8, "not in every year")]
    [InlineData("Fri 20:00-23:00 unless 2026-12-25", 17, "not understood here")]
    [InlineData("2026-12-20 until 2027-01-03", 12, "not understood here")]
    public void What_is_not_understood_is_told_with_its_place(string text, int column, string says)
    {
        var finding = SlotWords.Parse(text).Failure!.Findings.Single();
        Assert.Equal(column, finding.Column);
        Assert.Contains(says, finding.Message, StringComparison.Ordinal);
    }

    [Fact]
    public void Whatever_is_written_there_is_an_answer() => Gen.String[Gen.Char["FMfrion -:,;0123456789tohdé\n\0\u2028third week"], 0, 60].Sample(
        text => Assert.True(SlotWords.Parse(text) is { Ok: true } or { Failure.Kind: ErrorKind.Invalid }), iter: 5000);

    [Fact]
    public void A_time_is_the_same_after_writing_and_as_a_file() => Slots.Sample(
        slot =>
        {
            Assert.Equal(slot, SlotWords.Parse(SlotWords.Write(slot)).Value.Single());
            foreach (var zone in new[] { null, "Europe/Lisbon", "America/Sao_Paulo" })
            {
                var file = CalendarFile.Read(CalendarFile.Of("Nights", [slot], zone, Made).Text).Value;
                Assert.Equal((slot, zone), file.Slots().Single());
            }
        },
        iter: 400);

    [Fact]
    public void A_file_has_the_days_that_the_words_say() => Slots.Sample(
        slot =>
        {
            var (from, to) = (Made, Made.AddDays(500));
            var days = Enumerable.Range(0, 500).Select(from.AddDays).Where(
                day => slot.BeginsOn(day) && (slot.Until is not { } until || day <= until) && !slot.Except.Contains(day));
            var found = CalendarFile.Of("Nights", [slot], "Europe/Lisbon", Made).Occasions(from, to).Value
                .Where(each => DateOnly.FromDateTime(each.Span.From) >= from);
            Assert.Equal(days.Select(day => day.ToDateTime(slot.From)), found.Select(each => each.Span.From));
            Assert.All(found, each => Assert.Equal(slot.Length, each.Span.To is { } end ? end - each.Span.From : each.Span.Lasts));
        },
        iter: 200);

    internal static Gen<Slot> Slots { get; } =
        from pattern in Gen.Enum<SlotPattern>()
        from days in Gen.Int[1, 127]
        from nth in Gen.OneOf(Gen.Int[1, 4], Gen.Const(-1))
        from date in Gen.Int[0, 600]
        from start in Gen.Int[0, 1439]
        from end in Gen.Int[0, 1439]
        from later in Gen.Int[0, 20]
        from isExact in Gen.Bool
        from until in Gen.Int[-600, 600]
        from except in Gen.Int[0, 400].List[0, 3]
        select Make(pattern, (WeekDays)days, nth, Made.AddDays(date), start, end, later, isExact, until, except);

    private static Slot Make(
        SlotPattern pattern, WeekDays days, int nth, DateOnly date, int start, int end, int later, bool isExact, int until, IReadOnlyList<int> except)
    {
        var isByDate = pattern is SlotPattern.Once or SlotPattern.Yearly;
        var isOneDay = (days & (days - 1)) == 0;
        var night = end <= start ? 1 : 0;
        var daysLater = isByDate || (isOneDay && pattern == SlotPattern.Weekly) ? later % 6 + night : night;
        return new Slot
        {
            Pattern = pattern,
            Days = isByDate ? WeekDays.None : days,
            Nth = pattern == SlotPattern.WeekOfMonth ? Math.Abs(nth) : pattern == SlotPattern.NthInMonth ? nth : 0,
            Date = isByDate ? date is { Month: 2, Day: 29 } ? date.AddDays(1) : date : null,
            From = TimeOnly.FromTimeSpan(TimeSpan.FromMinutes(start)),
            Lasts = isExact ? TimeSpan.FromMinutes(end + 1) : TimeSpan.Zero,
            DaysLater = isExact ? 0 : daysLater,
            To = isExact ? default : TimeOnly.FromTimeSpan(TimeSpan.FromMinutes(end)),
            Until = until < 0 || pattern == SlotPattern.Once ? null : Made.AddDays(until + 1200),
            Except = pattern == SlotPattern.Once ? [] : [.. except.Select(Made.AddDays).Distinct().Order()],
        };
    }
}
