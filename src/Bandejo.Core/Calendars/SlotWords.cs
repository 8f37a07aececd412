using System.Globalization;
using Bandejo.Core.Rules;

namespace Bandejo.Core.Calendars;

/// <summary>
/// Slots as people write them, and say them. Written: <c>Fri 20:00-23:00</c>, <c>Mon-Thu 22:00-04:00</c>, <c>daily 22:00 for 6h</c>,
/// <c>Fri 20:00 to Mon 05:00</c>, <c>third Saturday 22:00 for 6h</c>, <c>third week Mon-Thu 08:00-16:00</c> (days 15 to 21 of each month),
/// <c>2026-12-20 to 2027-01-03</c>, <c>2026-12-24 12:00 to 2026-12-27 06:00</c>, <c>yearly 2026-12-20 to 2027-01-03</c>; behind each may
/// stand <c>until 2027-03-31</c> and <c>except 2026-12-25, 2027-01-01</c>. A semicolon stands between two.
/// </summary>
public static class SlotWords
{
    /// <summary>How many slots may be written at once.</summary>
    public const int Most = 50;

    /// <summary>What right ones look like, for whoever wrote a wrong one.</summary>
    public const string Examples = "'Fri 20:00-23:00', 'Mon-Thu 22:00-04:00', 'third Saturday 22:00 for 6h' or '2026-12-20 to 2027-01-03'";

    private const int LongestText = 4000;

    internal static readonly string[] DayNames = ["Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"];
    internal static readonly string[] Ordinals = ["first", "second", "third", "fourth"];

    /// <summary>Reads slots; the failure says which word is not understood, where, and what would be right.</summary>
    public static Outcome<IReadOnlyList<Slot>> Parse(string text)
    {
        if (text.Length > LongestText)
        {
            return new Failure(
                ErrorKind.TooMuch, $"Times in words are at most {LongestText} letters, not {text.Length}; larger calendars come as iCalendar files.");
        }

        var slots = new List<Slot>();
        var at = 0;
        foreach (var part in text.Split(';'))
        {
            var reader = new SlotReader(part, at);
            try
            {
                slots.Add(reader.Slot());
            }
            catch (WrongWordException wrong)
            {
                return new Failure(
                    ErrorKind.Invalid, wrong.Message,
                    [new Finding($"{wrong.Message} Write a time like {Examples}.", "when", 1, wrong.At + 1, Math.Max(1, wrong.Length))]);
            }

            at += part.Length + 1;
        }

        return slots.Count <= Most ? slots : new Failure(ErrorKind.TooMuch, $"At most {Most} times in words, not {slots.Count}.");
    }

    /// <summary>A slot as it is written; reading that gives the same slot.</summary>
    public static string Write(Slot slot)
    {
        var head = slot.Pattern switch
        {
            SlotPattern.Weekly => slot.Days == WeekDays.All && slot.DaysLater < 2 ? "daily" : DaysShort(slot.Days),
            SlotPattern.NthInMonth => $"{OrdinalOf(slot.Nth)} {DaysShort(slot.Days)}",
            SlotPattern.WeekOfMonth => $"{OrdinalOf(slot.Nth)} week {DaysShort(slot.Days)}",
            _ => (slot.Pattern == SlotPattern.Yearly ? "yearly " : "") + Day(slot.Date!.Value),
        };
        var isByDate = slot.Pattern is SlotPattern.Once or SlotPattern.Yearly;
        var end = slot.Lasts > TimeSpan.Zero ? $" {Time(slot.From)} for {Lasting(slot.Lasts)}"
            : isByDate ? slot.IsWholeDays
                ? slot.DaysLater == 1 ? "" : $" to {Day(slot.Date!.Value.AddDays(slot.DaysLater - 1))}"
                : $" {Time(slot.From)} to {Day(LastDay(slot, slot.Date!.Value))} {EndTime(slot)}"
            : slot.IsWholeDays && slot.DaysLater == 1 ? ""
            : IsWithinADay(slot) ? $" {Time(slot.From)}-{EndTime(slot)}"
            : $" {Time(slot.From)} to {DayNames[EndDay(slot)][..3]} {EndTime(slot)}";
        return head + end + (slot.Until is { } until ? $" until {Day(until)}" : "")
            + (slot.Except.Count == 0 ? "" : $" except {string.Join(", ", slot.Except.Select(Day))}");
    }

    /// <summary>A slot as it is said in the middle of a sentence.</summary>
    public static string Say(Slot slot)
    {
        var days = slot.Pattern switch
        {
            SlotPattern.Weekly => DaysSaid(slot.Days),
            SlotPattern.NthInMonth => $"the {OrdinalOf(slot.Nth)} {Listed(slot.Days, "", "or")} of each month",
            SlotPattern.WeekOfMonth => DaysSaid(slot.Days),
            _ => (slot.Pattern == SlotPattern.Yearly ? "each year " : "") + Day(slot.Date!.Value),
        };
        var isByDate = slot.Pattern is SlotPattern.Once or SlotPattern.Yearly;
        var hours = slot.Lasts > TimeSpan.Zero ? $" from {Time(slot.From)} for {Lasting(slot.Lasts)}"
            : isByDate ? slot.IsWholeDays
                ? slot.DaysLater == 1 ? "" : $" to {Day(slot.Date!.Value.AddDays(slot.DaysLater - 1))}"
                : $" {Time(slot.From)} to {Day(LastDay(slot, slot.Date!.Value))} {EndTime(slot)}"
            : slot.IsWholeDays && slot.DaysLater == 1 ? ""
            : IsWithinADay(slot) ? $" {Time(slot.From)} to {EndTime(slot)}"
            : $" {Time(slot.From)} to {DayNames[EndDay(slot)]} {EndTime(slot)}";
        var weeks = slot.Pattern == SlotPattern.WeekOfMonth ? $" in the {OrdinalOf(slot.Nth)} week of each month" : "";
        return days + hours + weeks + (slot.Until is { } until ? $" until {Day(until)}" : "")
            + (slot.Except.Count == 0 ? "" : $" except {string.Join(", ", slot.Except.Select(Day))}");
    }

    // An end on the same day, at midnight, or in the night that follows is one that a time alone says.
    private static bool IsWithinADay(Slot slot) => slot.DaysLater == 0 || (slot.DaysLater == 1 && slot.To <= slot.From);

    private static int EndDay(Slot slot)
    {
        var first = System.Numerics.BitOperations.TrailingZeroCount((int)slot.Days);
        return (first + slot.DaysLater - (slot.To == TimeOnly.MinValue ? 1 : 0)) % 7;
    }

    private static DateOnly LastDay(Slot slot, DateOnly first) => first.AddDays(slot.DaysLater - (slot.To == TimeOnly.MinValue ? 1 : 0));

    private static string EndTime(Slot slot) => slot.To == TimeOnly.MinValue ? "24:00" : Time(slot.To);

    private static string Time(TimeOnly time) => time.ToString("HH:mm", CultureInfo.InvariantCulture);

    private static string Day(DateOnly day) => day.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture);

    private static string Lasting(TimeSpan lasts) => Units.FormatDuration(lasts).Replace(" ", "", StringComparison.Ordinal);

    private static string OrdinalOf(int nth) => nth < 0 ? "last" : Ordinals[nth - 1];

    private static IEnumerable<(int First, int Last)> Runs(WeekDays days)
    {
        for (var day = 0; day < 7; day++)
        {
            if (((int)days & (1 << day)) == 0)
            {
                continue;
            }

            var first = day;
            while (day < 6 && ((int)days & (1 << (day + 1))) != 0)
            {
                day++;
            }

            yield return (first, day);
        }
    }

    private static string DaysShort(WeekDays days) => string.Join(",", Runs(days).Select(
        run => run.Last - run.First < 2 ? string.Join(",", Enumerable.Range(run.First, run.Last - run.First + 1).Select(day => DayNames[day][..3]))
            : $"{DayNames[run.First][..3]}-{DayNames[run.Last][..3]}"));

    private static string DaysSaid(WeekDays days) => days == WeekDays.All ? "every day"
        : Runs(days).ToList() is [var (first, last)] && last - first >= 2 ? $"{DayNames[first]}s to {DayNames[last]}s" : Listed(days, "s", "and");

    private static string Listed(WeekDays days, string ending, string last)
    {
        var names = DayNames.Where((_, day) => ((int)days & (1 << day)) != 0).Select(name => name + ending).ToList();
        return names.Count < 2 ? names[0] : $"{string.Join(", ", names[..^1])} {last} {names[^1]}";
    }
}
