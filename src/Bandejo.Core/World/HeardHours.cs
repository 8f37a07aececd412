namespace Bandejo.Core.World;

/// <summary>
/// In which hours of the week a device is usually heard: those of this week and of the one before it, by UTC, as far as the service was running. For what is
/// expected of it; decides nothing.
/// </summary>
public struct HeardHours
{
    private const int HoursOfAWeek = 7 * 24;

    private UInt128 _now, _before;
    private ulong _nowRest, _beforeRest;
    private int _week;

    /// <summary>Whether it was ever heard, so that something can be expected.</summary>
    public readonly bool IsKnown => (_now | _before) != 0 || (_nowRest | _beforeRest) != 0;

    /// <summary>Notes that it was heard at a moment.</summary>
    public void Note(DateTimeOffset at)
    {
        var (week, hour) = PlaceOf(at);
        if (week != _week)
        {
            (_before, _beforeRest) = week == _week + 1 ? (_now, _nowRest) : (0, 0);
            (_now, _nowRest, _week) = (0, 0, week);
        }

        if (hour < 128)
        {
            _now |= UInt128.One << hour;
        }
        else
        {
            _nowRest |= 1UL << (hour - 128);
        }
    }

    /// <summary>Whether it is usually heard in the hour of the week in which a moment is.</summary>
    public readonly bool Has(DateTimeOffset at)
    {
        var (_, hour) = PlaceOf(at);
        return hour < 128 ? ((_now | _before) >> hour & 1) != 0 : ((_nowRest | _beforeRest) >> (hour - 128) & 1) != 0;
    }

    /// <summary>
    /// When it is usually last heard before a moment, to the end of the hour; null where it is not heard in the hour that ends at an earlier moment, nor in
    /// any after it.
    /// </summary>
    public readonly DateTimeOffset? LastBefore(DateTimeOffset at, DateTimeOffset from)
    {
        for (var hour = at - TimeSpan.FromTicks(1); hour > from - TimeSpan.FromHours(1); hour -= TimeSpan.FromHours(1))
        {
            if (Has(hour))
            {
                var end = new DateTimeOffset(((hour.UtcTicks / TimeSpan.TicksPerHour) + 1) * TimeSpan.TicksPerHour, TimeSpan.Zero);
                return end < at ? end : at;
            }
        }

        return null;
    }

    private static (int Week, int Hour) PlaceOf(DateTimeOffset at)
    {
        var hours = at.UtcTicks / TimeSpan.TicksPerHour;
        return ((int)(hours / HoursOfAWeek), (int)(hours % HoursOfAWeek));
    }
}
