namespace Bandejo.Core.Calendars;

/// <summary>On which days a slot begins.</summary>
public enum SlotPattern
{
    /// <summary>On these days of each week.</summary>
    Weekly,

    /// <summary>On one of the first four of these days in each month, or on the last.</summary>
    NthInMonth,

    /// <summary>On these days of the first, second, third or fourth seven days of each month.</summary>
    WeekOfMonth,

    /// <summary>Once.</summary>
    Once,

    /// <summary>On a day of each year.</summary>
    Yearly,
}

/// <summary>A set of days of the week; the lowest bit is Monday.</summary>
[Flags]
public enum WeekDays
{
    None = 0,
    Monday = 1,
    Tuesday = 2,
    Wednesday = 4,
    Thursday = 8,
    Friday = 16,
    Saturday = 32,
    Sunday = 64,
    Work = Monday | Tuesday | Wednesday | Thursday | Friday,
    End = Saturday | Sunday,
    All = Work | End,
}

/// <summary>One line of a calendar: when it begins, how long it lasts, and on which days not.</summary>
public sealed record Slot
{
    /// <summary>The longest that a slot lasts.</summary>
    public static readonly TimeSpan Longest = TimeSpan.FromDays(366);

    public required SlotPattern Pattern { get; init; }

    /// <summary>The days of the week that it begins on; of a slot by date none.</summary>
    public WeekDays Days { get; init; }

    /// <summary>Which in the month: 1 to 4, or -1 for the last; 0 where the pattern asks for none.</summary>
    public int Nth { get; init; }

    /// <summary>The day of a slot by date, for one of each year its first.</summary>
    public DateOnly? Date { get; init; }

    public TimeOnly From { get; init; }

    /// <summary>How many days after it began it ends; with <see cref="To"/>.</summary>
    public int DaysLater { get; init; }

    /// <summary>What the clocks show at its end.</summary>
    public TimeOnly To { get; init; }

    /// <summary>How long it lasts by a stop-watch; zero where <see cref="DaysLater"/> and <see cref="To"/> say its end.</summary>
    public TimeSpan Lasts { get; init; }

    /// <summary>The last day on which it may begin; null for no end.</summary>
    public DateOnly? Until { get; init; }

    /// <summary>Days on which it does not begin; in order.</summary>
    public IReadOnlyList<DateOnly> Except { get; init; } = [];

    /// <summary>Whether it takes whole days.</summary>
    public bool IsWholeDays => Lasts == TimeSpan.Zero && From == TimeOnly.MinValue && To == TimeOnly.MinValue;

    /// <summary>How long it lasts on a day on which clocks are not changed.</summary>
    public TimeSpan Length => Lasts > TimeSpan.Zero ? Lasts : TimeSpan.FromDays(DaysLater) + (To - TimeOnly.MinValue) - (From - TimeOnly.MinValue);

    /// <summary>Whether it begins on a day, as far as its pattern goes: neither its end nor what is left out is looked at.</summary>
    public bool BeginsOn(DateOnly day) => Pattern switch
    {
        SlotPattern.Weekly => Days.HasFlag(Of(day.DayOfWeek)),
        SlotPattern.NthInMonth => Days.HasFlag(Of(day.DayOfWeek))
            && (Nth > 0 ? (day.Day - 1) / 7 == Nth - 1 : day.Day > DateTime.DaysInMonth(day.Year, day.Month) - 7),
        SlotPattern.WeekOfMonth => Days.HasFlag(Of(day.DayOfWeek)) && (day.Day - 1) / 7 == Nth - 1,
        SlotPattern.Yearly => day >= Date && day.Day == Date!.Value.Day && day.Month == Date.Value.Month,
        _ => day == Date,
    };

    public bool Equals(Slot? other) =>
        other is not null && (Pattern, Days, Nth, Date, From, DaysLater, To, Lasts, Until)
            == (other.Pattern, other.Days, other.Nth, other.Date, other.From, other.DaysLater, other.To, other.Lasts, other.Until)
        && Except.SequenceEqual(other.Except);

    public override int GetHashCode() => HashCode.Combine(Pattern, Days, Nth, Date, From, DaysLater, To, Lasts);

    internal static WeekDays Of(DayOfWeek day) => (WeekDays)(1 << (((int)day + 6) % 7));
}
