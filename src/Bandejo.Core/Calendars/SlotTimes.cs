namespace Bandejo.Core.Calendars;

/// <summary>When slots are by the clocks of one place, looked for day by day.</summary>
public static class SlotTimes
{
    /// <summary>So far ahead they are looked for, in days: none that come at all come more seldom than once a year.</summary>
    private const int DaysAhead = 800;

    /// <summary>The earliest stretch that ends after a moment, which may have begun before it; null for none.</summary>
    public static Span? Next(IReadOnlyList<Slot> slots, OffsetAt clocks, DateTimeOffset from)
    {
        var today = DateOnly.FromDateTime((from + clocks(from)).Date);
        var longest = slots.Max(slot => slot.Length).Days + 1;
        Span? first = null;
        for (var day = today.AddDays(-longest); day <= today.AddDays(DaysAhead); day = day.AddDays(1))
        {
            // No zone is further from UTC than a day.
            if (first?.From <= day.ToDateTime(TimeOnly.MinValue, DateTimeKind.Utc).AddDays(-1))
            {
                break;
            }

            foreach (var slot in slots.Where(each => each.BeginsOn(day) && !(day > each.Until) && !each.Except.Contains(day)))
            {
                var span = (slot.Lasts > TimeSpan.Zero
                    ? new WallSpan(day.ToDateTime(slot.From), null, slot.Lasts)
                    : new WallSpan(day.ToDateTime(slot.From), day.AddDays(slot.DaysLater).ToDateTime(slot.To), TimeSpan.Zero)).At(clocks);
                if (span.To > from && span.To > span.From && !(first?.From <= span.From))
                {
                    first = span;
                }
            }
        }

        return first;
    }
}
