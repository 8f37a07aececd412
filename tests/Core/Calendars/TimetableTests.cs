using Bandejo.Core.Calendars;
using CsCheck;
using Xunit;

namespace Bandejo.Core.Tests.Calendars;

/// <summary>When a device may be changed, held against a slow second way: minute by minute, by what the clocks on the wall show.</summary>
public sealed class TimetableTests
{
    private static readonly DateOnly Made = new(2026, 11, 30);
    private static readonly DateTimeOffset Start = new(2026, 12, 1, 0, 0, 0, TimeSpan.Zero);
    private static readonly string[] ZoneNames = ["UTC", "Europe/Lisbon", "America/Sao_Paulo", "Australia/Lord_Howe", "America/New_York", "Asia/Kathmandu"];

    [Fact]
    public void A_year_is_open_in_the_very_minutes_in_which_clocks_say_so()
    {
        Gen.Select(
            SlotWordsTests.Slots.List[0, 3], SlotWordsTests.Slots.List[0, 2], SlotWordsTests.Slots.List[0, 1], Gen.OneOf([.. ZoneNames.Select(Gen.Const)]),
            Gen.Bool).Sample(
            (groups, freezes, own, zone, isNamed) =>
            {
                var offset = Zones.Of(zone)!;

                // What lasts by a stop-watch is not told by clocks alone.
                Slot[] windows = [.. groups.Where(slot => slot.Lasts == TimeSpan.Zero)];
                Slot[] holds = [.. freezes.Where(slot => slot.Lasts == TimeSpan.Zero)];
                Slot[] narrows = [.. own.Where(slot => slot.Lasts == TimeSpan.Zero)];
                var named = isNamed ? zone : null;
                var table = Timetable.Of(
                    [.. Held("w", windows, false, named), .. Held("f", holds, true, named)], [.. Held("d", narrows, false, named)], offset);
                foreach (var day in Days(offset))
                {
                    for (var minute = day; minute < day.AddDays(1); minute += TimeSpan.FromMinutes(7))
                    {
                        var wall = (minute + offset(minute)).DateTime;
                        if (IsTwice(wall, offset))
                        {
                            continue;
                        }

                        var isOpen = (windows.Length == 0 || windows.Any(slot => Shows(slot, wall)))
                            && (narrows.Length == 0 || narrows.Any(slot => Shows(slot, wall)))
                            && !holds.Any(slot => Shows(slot, wall));
                        Assert.True(
                            isOpen == table.At(minute).IsOpen,
                            $"{minute:O} ({wall:s} in {zone}) is {(isOpen ? "open" : "closed")} by the clock: "
                                + $"{string.Join("; ", windows.Select(SlotWords.Write))} / "
                                + $"{string.Join("; ", narrows.Select(SlotWords.Write))} / {string.Join("; ", holds.Select(SlotWords.Write))}");
                    }
                }
            },
            iter: 40);
    }

    [Fact]
    public void What_it_says_of_until_when_is_when_it_changes() => Gen.Select(
        SlotWordsTests.Slots.List[1, 3], SlotWordsTests.Slots.List[0, 2], Gen.Int[0, 500_000]).Sample(
        (groups, freezes, at) =>
        {
            var table = Timetable.Of([.. Held("w", groups, false, null), .. Held("f", freezes, true, null)], [], _ => TimeSpan.Zero);
            var now = Start.AddMinutes(at);
            var says = table.At(now);
            if (says.Until is { } until)
            {
                Assert.True(until > now);
                Assert.NotEqual(says.IsOpen, table.At(until).IsOpen);
                Assert.Equal(says.IsOpen, table.At(until - TimeSpan.FromTicks(1)).IsOpen);
            }

            Assert.Equal(says.Why == ClosedWhy.Frozen, !says.IsOpen && table.Frozen(now).Count > 0);
        },
        iter: 200);

    [Fact]
    public void What_takes_long_starts_only_where_every_minute_of_it_is_open() => Gen.Select(
        SlotWordsTests.Slots.List[0, 3], SlotWordsTests.Slots.List[0, 2], Gen.Int[0, 500_000], Gen.Int[1, 900]).Sample(
        (groups, freezes, at, minutes) =>
        {
            var table = Timetable.Of([.. Held("w", groups, false, null), .. Held("f", freezes, true, null)], [], _ => TimeSpan.Zero);
            var (now, takes) = (Start.AddMinutes(at), TimeSpan.FromMinutes(minutes));
            var says = table.At(now, takes);
            Assert.Equal(Enumerable.Range(0, minutes).All(minute => table.At(now.AddMinutes(minute)).IsOpen), says.IsOpen);
            if (says.Until is { } until)
            {
                Assert.NotEqual(says.IsOpen, table.At(until, takes).IsOpen);
                Assert.Equal(says.IsOpen, table.At(until - TimeSpan.FromTicks(1), takes).IsOpen);
            }
        },
        iter: 200);

    [Fact]
    public void What_is_reset_is_open_after_that_alone_within_its_windows() => Gen.Select(
        SlotWordsTests.Slots.List[0, 2], SlotWordsTests.Slots.List[0, 1], Gen.Int[0, 400], Gen.Int[0, 1439], Gen.OneOf([.. ZoneNames.Select(Gen.Const)])).Sample(
        (groups, freezes, day, reset, zone) =>
        {
            var own = Zones.Of(zone)!;
            var whole = Timetable.Of([.. Held("w", groups, false, null), .. Held("f", freezes, true, null)], [], own);
            var at = new TimeOnly(reset / 60, reset % 60);
            var table = whole.AfterReset(at, own);

            // From the beginning of a stretch on, as the clocks on the wall go by.
            var minute = Start.AddDays(day);
            while (whole.At(minute).IsOpen && minute > Start.AddDays(day - 8))
            {
                minute -= TimeSpan.FromMinutes(1);
            }

            if (whole.At(minute).IsOpen)
            {
                return;
            }

            var hasReset = false;
            for (var end = minute.AddDays(2); minute < end; minute += TimeSpan.FromMinutes(1))
            {
                var (before, now) = ((minute - TimeSpan.FromMinutes(1) + own(minute - TimeSpan.FromMinutes(1))).DateTime, (minute + own(minute)).DateTime);
                var isNow = now.TimeOfDay == at.ToTimeSpan() || (before < now.Date + at.ToTimeSpan() && now.Date + at.ToTimeSpan() < now);
                hasReset = groups.Count > 0 && whole.At(minute).IsOpen && (hasReset || isNow);
                Assert.True(hasReset == table.At(minute).IsOpen, $"{minute:O} ({now:s} in {zone}), reset at {at}: {string.Join("; ", groups.Select(SlotWords.Write))}");
                Assert.Equal(!hasReset && whole.At(minute).IsOpen, !table.At(minute).IsOpen && table.At(minute).Why == ClosedWhy.BeforeReset && whole.At(minute).IsOpen);
            }
        },
        iter: 60);

    [Fact]
    public void Groups_are_united_a_deployment_narrows_a_freeze_wins_and_what_is_not_known_any_more_closes()
    {
        var alder = Held("alder", SlotWords.Parse("Fri 20:00-23:00").Value, false, null).Single();
        var desks = Held("desks", SlotWords.Parse("Fri 22:00 to Sat 04:00").Value, false, null).Single();
        var late = Held("late", SlotWords.Parse("daily 22:30-24:00; Thu 08:00-10:00").Value, false, null).Single();
        var freeze = Held("year-end", SlotWords.Parse("2026-12-11 to 2026-12-31").Value, true, null).Single();
        DateTimeOffset At(int day, int hour, int minute = 0) => new(2026, 12, day, hour, minute, 0, TimeSpan.Zero);

        var both = Timetable.Of([alder, desks], [], _ => TimeSpan.Zero);
        Assert.Equal(new TimetableSays(ClosedWhy.No, ["alder"], At(5, 4)), both.At(At(4, 21)), Same);
        Assert.Equal(new TimetableSays(ClosedWhy.OutsideWindow, ["alder", "desks"], At(4, 20)), both.At(At(3, 9)), Same);

        var narrowed = Timetable.Of([alder, desks], [late], _ => TimeSpan.Zero);
        Assert.Equal(new TimetableSays(ClosedWhy.OutsideWindow, ["alder", "desks", "late"], At(4, 22, 30)), narrowed.At(At(3, 9)), Same);
        Assert.True(Timetable.Of([], [late], _ => TimeSpan.Zero).At(At(3, 9)).IsOpen);

        var frozen = Timetable.Of([alder, desks, freeze], [], _ => TimeSpan.Zero);
        Assert.Equal(new TimetableSays(ClosedWhy.Frozen, ["year-end"], new DateTimeOffset(2027, 1, 1, 20, 0, 0, TimeSpan.Zero)), frozen.At(At(11, 21)), Same);
        Assert.True(frozen.At(At(4, 21), TimeSpan.FromHours(7)).IsOpen);
        Assert.Equal(new TimetableSays(ClosedWhy.NoRoom, ["alder", "desks"], null), frozen.At(At(4, 21), TimeSpan.FromHours(8.1)), Same);
        var until = At(11, 20);
        Assert.Equal(new TimetableSays(ClosedWhy.NoRoom, ["alder", "desks"], until), both.At(At(4, 21), TimeSpan.FromHours(7.1)), Same);
        Assert.Equal("It takes 7 h 6 min, for which 'alder', 'desks' leaves no room", both.At(At(4, 21), TimeSpan.FromHours(7.1)).ToString());

        // Without windows it is the freeze that comes too soon; past its deadline too.
        var toFreeze = Timetable.Of([freeze], [], _ => TimeSpan.Zero);
        Assert.Equal(new TimetableSays(ClosedWhy.NoRoom, ["year-end"], At(31, 0).AddDays(1)), toFreeze.At(At(10, 23), TimeSpan.FromHours(2)), Same);
        Assert.Equal(ClosedWhy.NoRoom, frozen.StartAt(At(10, 23), false, At(9, 0), TimeSpan.FromHours(2)).Why);
        Assert.True(frozen.StartAt(At(10, 23), false, At(9, 0), TimeSpan.FromHours(1)).IsOpen);

        // A deadline in a freeze opens nothing before that ends.
        Assert.Equal(At(31, 0).AddDays(1), frozen.StartAt(At(12, 0), false, At(14, 0), default).Until);
        Assert.Equal(At(8, 0), frozen.StartAt(At(5, 12), false, At(8, 0), default).Until);

        // Reset at half past two, what is done in Friday's window before is lost; nothing else makes up for that.
        var reset = both.AfterReset(new TimeOnly(2, 30), _ => TimeSpan.Zero);
        Assert.Equal(new TimetableSays(ClosedWhy.BeforeReset, ["alder", "desks"], At(5, 2, 30)), reset.At(At(4, 21)), Same);
        Assert.Equal(new TimetableSays(ClosedWhy.No, ["desks"], At(5, 4)), reset.At(At(5, 3)), Same);
        Assert.Equal(ClosedWhy.OutsideWindow, reset.At(At(3, 9)).Why);
        Assert.False(reset.StartAt(At(4, 21), true, At(4, 20), default).IsOpen);
        Assert.Equal("It is reset at 02:30, and what is done before is lost", reset.At(At(4, 21)).ToString());
        Assert.Equal(new TimetableSays(ClosedWhy.BeforeReset, [], null), Timetable.Always.AfterReset(new TimeOnly(2, 30), _ => TimeSpan.Zero).At(At(4, 21)), Same);
        Assert.Equal(At(4, 20), frozen.NextStart(At(1, 0), TimeSpan.FromHours(8)));
        Assert.Null(frozen.NextStart(At(1, 0), TimeSpan.FromHours(9)));

        var short_ = Timetable.Of([alder with { GoodUntil = At(10, 0) }], [], _ => TimeSpan.Zero);
        Assert.Equal(new TimetableSays(ClosedWhy.Stale, ["alder"], null), short_.At(At(11, 21)), Same);
        Assert.True(Timetable.Always.At(At(1, 0)).IsOpen);
        Assert.Null(Timetable.Always.At(At(1, 0)).Until);
    }

    [Theory]
    // The clocks of Lisbon go from 01:00 to 02:00 on 28 March 2027, and from 02:00 back to 01:00 on 31 October.
    [InlineData("2027-03-28 01:30 to 2027-03-28 02:30", "2027-03-28T01:00:00Z", "2027-03-28T01:30:00Z")]
    [InlineData("2027-03-28 00:30 to 2027-03-28 01:30", "2027-03-28T00:30:00Z", "2027-03-28T01:00:00Z")]
    [InlineData("2027-03-27 22:00 for 6h", "2027-03-27T22:00:00Z", "2027-03-28T04:00:00Z")]
    [InlineData("2027-10-31 01:30 to 2027-10-31 03:00", "2027-10-31T00:30:00Z", "2027-10-31T03:00:00Z")]
    [InlineData("2027-10-30 22:00 to 2027-10-31 01:30", "2027-10-30T21:00:00Z", "2027-10-31T00:30:00Z")]
    public void In_the_nights_in_which_clocks_are_changed(string words, string from, string to)
    {
        foreach (var zone in new[] { null, "Europe/Lisbon" })
        {
            var held = Held("w", SlotWords.Parse(words).Value, false, zone).Single();
            Assert.Equal(new Span(DateTimeOffset.Parse(from), DateTimeOffset.Parse(to)), held.Spans(Zones.Of("Europe/Lisbon")!).Single());
        }
    }

    [Fact]
    public void Sets_of_moments_hold_what_they_say()
    {
        var spans = Gen.Select(Gen.Int[0, 60], Gen.Int[0, 9]).List[0, 8];
        IReadOnlyList<Span> Of(List<(int At, int Long)> list) =>
            Spans.Sorted(list.Select(each => new Span(Start.AddMinutes(each.At), Start.AddMinutes(each.At + each.Long))));
        bool Holds(IReadOnlyList<Span> set, DateTimeOffset at) => set.Any(span => span.Holds(at));
        Gen.Select(spans, spans).Sample((one, other) =>
        {
            var (a, b) = (Of(one), Of(other));
            var sets = new[] { Spans.Union(a, b), Spans.Both(a, b), Spans.Less(a, b) };
            for (var minute = 0; minute < 75; minute++)
            {
                var at = Start.AddMinutes(minute);
                var (inA, inB) = (Holds(a, at), Holds(b, at));
                Assert.Equal([inA || inB, inA && inB, inA && !inB], sets.Select(set => Holds(set, at)));
                Assert.Equal(one.Any(each => each.Item1 <= minute && minute < each.Item1 + each.Item2), inA);
                Assert.Equal(inA, Spans.From(a, at) is { } next && next.Holds(at));
            }

            Assert.All(sets.Append(a), set => Assert.All(set.Zip(set.Skip(1)), pair => Assert.True(pair.First.To < pair.Second.From)));
        });
    }

    internal static IEnumerable<HeldCalendar> Held(string name, IReadOnlyList<Slot> slots, bool isFreeze, string? zone)
    {
        if (slots.Count == 0)
        {
            return [];
        }

        var times = CalendarFile.Of(name, slots, zone, Made.AddDays(-400)).Occasions(Made.AddDays(-10), Made.AddDays(800)).Value;
        return [new HeldCalendar(
            name, name, isFreeze, Start.AddDays(800), [.. times.Where(each => each.Zone is null).Select(each => each.Span)],
            Spans.Sorted(times.Where(each => each.Zone is not null).Select(each => each.Span.At(Zones.Of(each.Zone!)!))))];
    }

    private static bool Same(TimetableSays one, TimetableSays other) =>
        one.Why == other.Why && one.Until == other.Until && one.Names.SequenceEqual(other.Names);

    // The days on which clocks are changed, and some between.
    private static IEnumerable<DateTimeOffset> Days(OffsetAt offset)
    {
        for (var day = 0; day < 365; day++)
        {
            var at = Start.AddDays(day);
            if (day % 41 == 0 || offset(at) != offset(at.AddDays(1)))
            {
                yield return at;
            }
        }
    }

    private static bool IsTwice(DateTime wall, OffsetAt offset)
    {
        var at = new DateTimeOffset(wall, TimeSpan.Zero);
        return Enumerable.Range(-60, 121).Select(quarter => at.AddMinutes(quarter * 15)).Count(each => (each + offset(each)).DateTime == wall) > 1;
    }

    // By the clock alone: some day on which it begins is such that it has begun and not ended.
    private static bool Shows(Slot slot, DateTime wall)
    {
        for (var back = 0; back <= slot.DaysLater; back++)
        {
            var day = DateOnly.FromDateTime(wall).AddDays(-back);
            if (slot.BeginsOn(day) && (slot.Until is not { } until || day <= until) && !slot.Except.Contains(day)
                && day.ToDateTime(slot.From) <= wall && wall < day.AddDays(slot.DaysLater).ToDateTime(slot.To))
            {
                return true;
            }
        }

        return false;
    }
}
