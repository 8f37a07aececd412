using System.Globalization;
using Bandejo.Core.Rules;

namespace Bandejo.Core.Calendars;

/// <summary>Reads one slot word by word.</summary>
internal sealed class SlotReader
{
    private const int MostExcept = 100;

    private readonly List<(string Text, int At)> _words = [];
    private readonly string _text;
    private readonly int _end;
    private int _next;

    public SlotReader(string text, int at)
    {
        (_text, _end) = (text, at + text.Length);
        for (var i = 0; i < text.Length;)
        {
            if (char.IsWhiteSpace(text[i]))
            {
                i++;
                continue;
            }

            // A hyphen stands within a date, and between two times or days; a comma by itself.
            var start = i;
            if (text[i] is ',')
            {
                i++;
            }
            else
            {
                while (i < text.Length && !char.IsWhiteSpace(text[i]) && text[i] is not ',')
                {
                    i++;
                }
            }

            _words.Add((text[start..i], at + start));
        }
    }

    public Slot Slot()
    {
        if (_words.Count == 0)
        {
            throw new WrongWordException("A time is missing.", _end, 1);
        }

        var slot = Takes("yearly") || (IsAt("every") && IsNext("year") && Takes("every") && Takes("year")) ? ByDate(SlotPattern.Yearly)
            : DateIn(Word) is not null ? ByDate(SlotPattern.Once)
            : ByDays();
        slot = Ends(slot);
        if (_next < _words.Count)
        {
            throw Wrong("is not understood here");
        }

        if (slot.Length <= TimeSpan.Zero)
        {
            throw new WrongWordException($"'{_text.Trim()}' ends before it begins.", _words[0].At, _text.Trim().Length);
        }

        return slot.Length <= Calendars.Slot.Longest
            ? slot
            : throw new WrongWordException(
                $"'{_text.Trim()}' lasts longer than {Calendars.Slot.Longest.TotalDays} days.", _words[0].At, _text.Trim().Length);
    }

    private string Word => _next < _words.Count ? _words[_next].Text : "";

    private bool IsAt(string word) => Word.Equals(word, StringComparison.OrdinalIgnoreCase);

    private bool IsNext(string word) => _next + 1 < _words.Count && _words[_next + 1].Text.Equals(word, StringComparison.OrdinalIgnoreCase);

    private bool Takes(string word)
    {
        if (!IsAt(word))
        {
            return false;
        }

        _next++;
        return true;
    }

    private WrongWordException Wrong(string what) => _next < _words.Count
        ? new WrongWordException($"'{Word}' {what}.", _words[_next].At, Word.Length)
        : new WrongWordException($"'{_text.Trim()}' breaks off.", _end, 1);

    private Slot ByDate(SlotPattern pattern)
    {
        var first = DateIn(Word) ?? throw Wrong("is no date such as 2026-12-20");
        _next++;
        if (pattern == SlotPattern.Yearly && first is { Month: 2, Day: 29 })
        {
            _next--;
            throw Wrong("is not in every year");
        }

        var from = TimeIn(Word);
        if (from is { } start)
        {
            _next++;
            if (Takes("for"))
            {
                return new Slot { Pattern = pattern, Date = first, From = TimeOnly.FromTimeSpan(start), Lasts = Duration() };
            }
        }
        else if (Range(Word) is { } range)
        {
            // One day, from an hour to an hour.
            _next++;
            var later = range.To <= range.From || range.To == TimeSpan.FromDays(1) ? 1 : 0;
            return new Slot { Pattern = pattern, Date = first, From = TimeOnly.FromTimeSpan(range.From), DaysLater = later, To = OfDay(range.To) };
        }

        if (!Takes("to"))
        {
            return from is null
                ? new Slot { Pattern = pattern, Date = first, DaysLater = 1 }
                : throw Wrong("stands where 'to' and the end, or 'for' and how long, should");
        }

        var last = DateIn(Word) ?? throw Wrong("is no date such as 2027-01-03");
        _next++;
        var days = last.DayNumber - first.DayNumber;
        if (from is null)
        {
            return new Slot { Pattern = pattern, Date = first, DaysLater = days + 1 };
        }

        var to = TimeIn(Word, isEnd: true) ?? throw Wrong("is no time of day such as 06:00");
        _next++;
        return new Slot
        {
            Pattern = pattern, Date = first, From = TimeOnly.FromTimeSpan(from.Value), DaysLater = days + (to == TimeSpan.FromDays(1) ? 1 : 0), To = OfDay(to),
        };
    }

    private Slot ByDays()
    {
        var slot = new Slot { Pattern = SlotPattern.Weekly };
        _ = Takes("every") || Takes("each") || Takes("the");
        if (Takes("daily") || Takes("day"))
        {
            return Hours(slot with { Days = WeekDays.All });
        }

        var nth = Array.FindIndex(SlotWords.Ordinals, IsAt) is var found and >= 0 ? found + 1 : IsAt("last") ? -1 : 0;
        if (nth != 0)
        {
            _next++;
            if (IsAt("week"))
            {
                if (nth < 0)
                {
                    throw Wrong("has no days of its own where it is the last of a month: write 'fourth week', or 'last Friday'");
                }

                _next++;
                PassMonth();
                slot = slot with { Pattern = SlotPattern.WeekOfMonth, Nth = nth, Days = DayIn(Word.Split('-')[0]) is null ? WeekDays.All : Days() };
            }
            else
            {
                slot = slot with { Pattern = SlotPattern.NthInMonth, Nth = nth, Days = Days() };
            }

            PassMonth();
            return Hours(slot);
        }

        return Hours(slot with { Days = Days() });
    }

    private void PassMonth()
    {
        if (IsAt("of") || IsAt("in"))
        {
            _next++;
            _ = Takes("the") || Takes("each") || Takes("every");
            if (!Takes("month"))
            {
                throw Wrong("stands where 'month' should");
            }
        }
    }

    private WeekDays Days()
    {
        var days = WeekDays.None;
        do
        {
            var word = Word.ToLowerInvariant();
            if (word is "weekdays" or "workdays")
            {
                days |= WeekDays.Work;
            }
            else if (word is "weekends" or "weekend")
            {
                days |= WeekDays.End;
            }
            else
            {
                var ends = word.Split('-');
                if (ends.Length > 2 || DayIn(ends[0]) is not { } first || DayIn(ends[^1]) is not { } last)
                {
                    var near = Suggest.Nearest(word, SlotWords.DayNames.Concat(SlotWords.DayNames.Select(name => name[..3])), isInAnyCase: true);
                    throw Wrong($"is no day{(near is null ? "" : $" (did you mean '{near}'?)")}");
                }

                for (var day = first; ; day = (day + 1) % 7)
                {
                    days |= (WeekDays)(1 << day);
                    if (day == last)
                    {
                        break;
                    }
                }
            }

            _next++;
        }
        while (Takes(",") || Takes("and"));
        return days;
    }

    private Slot Hours(Slot slot)
    {
        if (Word.Length == 0 || IsAt("until") || IsAt("except"))
        {
            return slot with { DaysLater = 1 };
        }

        if (Range(Word) is { } range)
        {
            _next++;
            return slot with
            {
                From = TimeOnly.FromTimeSpan(range.From), DaysLater = range.To <= range.From || range.To == TimeSpan.FromDays(1) ? 1 : 0, To = OfDay(range.To),
            };
        }

        var from = TimeIn(Word) ?? throw Wrong("is no time of day such as 20:00-23:00");
        _next++;
        slot = slot with { From = TimeOnly.FromTimeSpan(from) };
        if (Takes("for"))
        {
            return slot with { Lasts = Duration() };
        }

        if (!Takes("to"))
        {
            throw Wrong("stands where 'to' and the end, or 'for' and how long, should");
        }

        if (TimeIn(Word, isEnd: true) is { } sameDay)
        {
            _next++;
            return slot with { DaysLater = sameDay <= from || sameDay == TimeSpan.FromDays(1) ? 1 : 0, To = OfDay(sameDay) };
        }

        // Over several days, to a day of the week: only from one day is it clear which.
        var last = DayIn(Word) ?? throw Wrong("is no time of day, and no day");
        if (System.Numerics.BitOperations.PopCount((uint)slot.Days) != 1)
        {
            throw Wrong("says to which day a time goes that begins on several");
        }

        _next++;
        var to = TimeIn(Word, isEnd: true) ?? throw Wrong("is no time of day such as 05:00");
        _next++;
        var days = (last - System.Numerics.BitOperations.TrailingZeroCount((int)slot.Days) + 7) % 7;
        if (days == 0 && to <= from)
        {
            days = 7;
        }

        return slot with { DaysLater = days + (to == TimeSpan.FromDays(1) ? 1 : 0), To = OfDay(to) };
    }

    private Slot Ends(Slot slot)
    {
        while (true)
        {
            if (slot is { Until: null, Pattern: not SlotPattern.Once } && Takes("until"))
            {
                slot = slot with { Until = DateIn(Word) ?? throw Wrong("is no date such as 2027-03-31") };
                _next++;
            }
            else if (slot is { Except.Count: 0, Pattern: not SlotPattern.Once } && Takes("except"))
            {
                var except = new SortedSet<DateOnly>();
                do
                {
                    except.Add(DateIn(Word) ?? throw Wrong("is no date such as 2026-12-25"));
                    _next++;
                }
                while (Takes(",") || Takes("and"));
                slot = except.Count <= MostExcept
                    ? slot with { Except = [.. except] }
                    : throw new WrongWordException($"At most {MostExcept} days can be left out, not {except.Count}.", _words[0].At, 1);
            }
            else
            {
                return slot;
            }
        }
    }

    private TimeSpan Duration()
    {
        // Written in one word or in two: 6h, 90 min.
        foreach (var words in new[] { 2, 1 })
        {
            if (_next + words <= _words.Count
                && Units.TryParseDuration(string.Join(' ', _words.Skip(_next).Take(words).Select(word => word.Text)), out var lasts)
                && lasts >= TimeSpan.FromMinutes(1))
            {
                _next += words;
                return lasts;
            }
        }

        throw Wrong("is no length of time such as 6h or 90min");
    }

    private static int? DayIn(string word) =>
        word.Length < 3 ? null
        : Array.FindIndex(
            SlotWords.DayNames,
            name => name.StartsWith(word, StringComparison.OrdinalIgnoreCase) || (name + "s").Equals(word, StringComparison.OrdinalIgnoreCase))
            is var day and >= 0 ? day : null;

    private static DateOnly? DateIn(string word) =>
        DateOnly.TryParseExact(word, "yyyy-MM-dd", CultureInfo.InvariantCulture, DateTimeStyles.None, out var day) && day.Year is >= 1990 and < 9000
            ? day
            : null;

    private static TimeSpan? TimeIn(string word, bool isEnd = false) =>
        TimeOnly.TryParseExact(word, ["HH:mm", "H:mm"], CultureInfo.InvariantCulture, DateTimeStyles.None, out var time) ? time.ToTimeSpan()
        : isEnd && word == "24:00" ? TimeSpan.FromDays(1) : null;

    private static (TimeSpan From, TimeSpan To)? Range(string word) =>
        word.Split('-', '\u2013') is [var from, var to] && TimeIn(from) is { } first && TimeIn(to, isEnd: true) is { } last ? (first, last) : null;

    // The end of a day is the beginning of the next.
    private static TimeOnly OfDay(TimeSpan time) => time == TimeSpan.FromDays(1) ? TimeOnly.MinValue : TimeOnly.FromTimeSpan(time);
}

/// <summary>A word that is not understood, or not there.</summary>
internal sealed class WrongWordException(string message, int at, int length) : Exception(message)
{
    public int At { get; } = at;

    public int Length { get; } = length;
}
