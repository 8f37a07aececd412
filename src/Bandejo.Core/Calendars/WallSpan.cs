namespace Bandejo.Core.Calendars;

/// <summary>How far the clocks on the wall are ahead of UTC at a moment.</summary>
public delegate TimeSpan OffsetAt(DateTimeOffset at);

/// <summary>A stretch of time as clocks on the wall show it, wherever they hang.</summary>
/// <param name="From">What they show at its first moment.</param>
/// <param name="To">What they show at the first moment after it; null where it lasts for so long whatever they show.</param>
/// <param name="Lasts">How long it lasts by a stop-watch; zero where <paramref name="To"/> says its end.</param>
public readonly record struct WallSpan(DateTime From, DateTime? To, TimeSpan Lasts)
{
    /// <summary>
    /// The stretch where clocks show so. A time that clocks skip, in the night in which they are put forward, is the moment at which they are; one that they
    /// show twice, in the night in which they are put back, is the first of the two. It may come to nothing.
    /// </summary>
    public Span At(OffsetAt offset)
    {
        var from = Moment(From, offset);
        return new Span(from, To is { } to ? Moment(to, offset) : from + Lasts);
    }

    /// <summary>The first moment at which clocks show a time, or at which they go past it.</summary>
    public static DateTimeOffset Moment(DateTime wall, OffsetAt offset)
    {
        var utc = new DateTimeOffset(DateTime.SpecifyKind(wall, DateTimeKind.Unspecified), TimeSpan.Zero);

        // No zone is further from UTC than a day, and none changes its clocks twice within two.
        var (before, after) = (offset(Moved(utc, -TimeSpan.FromDays(1))), offset(Moved(utc, TimeSpan.FromDays(1))));
        var (early, late) = (Moved(utc, -Max(before, after)), Moved(utc, -Min(before, after)));
        if (offset(early) == utc - early)
        {
            return early;
        }

        if (offset(late) == utc - late)
        {
            return late;
        }

        // Clocks go past it in between: from the last moment at which they show less to the first at which they show more.
        while (late - early > TimeSpan.FromTicks(1))
        {
            var middle = early + TimeSpan.FromTicks((late - early).Ticks / 2);
            if (middle + offset(middle) < utc)
            {
                early = middle;
            }
            else
            {
                late = middle;
            }
        }

        return late;
    }

    private static TimeSpan Max(TimeSpan one, TimeSpan other) => one > other ? one : other;

    private static TimeSpan Min(TimeSpan one, TimeSpan other) => one < other ? one : other;

    private static DateTimeOffset Moved(DateTimeOffset at, TimeSpan by)
    {
        // At the ends of time there is no more of it.
        var ticks = at.UtcTicks + by.Ticks;
        return new DateTimeOffset(Math.Clamp(ticks, DateTimeOffset.MinValue.UtcTicks, DateTimeOffset.MaxValue.UtcTicks), TimeSpan.Zero);
    }
}
