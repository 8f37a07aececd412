namespace Bandejo.Core.Calendars;

/// <summary>A calendar as it is held, with the times that it names laid out ahead.</summary>
/// <param name="Id">Its short name.</param>
/// <param name="IsFreeze">Nothing starts in its times; otherwise devices may be changed in them.</param>
/// <param name="GoodUntil">Nothing is known of it from then on.</param>
/// <param name="Own">Its times by the device's own clocks, in order.</param>
/// <param name="Fixed">Its times by clocks of a zone that it names, in order.</param>
public sealed record HeldCalendar(
    string Id, string Name, bool IsFreeze, DateTimeOffset GoodUntil, IReadOnlyList<WallSpan> Own, IReadOnlyList<Span> Fixed)
{
    /// <summary>Its times where the device's clocks are so.</summary>
    public IReadOnlyList<Span> Spans(OffsetAt own) => Calendars.Spans.Sorted(Own.Select(span => span.At(own)).Concat(Fixed));
}

/// <summary>Why a device may not be changed at a moment.</summary>
public enum ClosedWhy
{
    /// <summary>It may.</summary>
    No,

    /// <summary>It is in none of the windows that rule it.</summary>
    OutsideWindow,

    /// <summary>A freeze is on.</summary>
    Frozen,

    /// <summary>What is known of its calendars has ended.</summary>
    Stale,
}

/// <summary>What a timetable says of a moment.</summary>
/// <param name="Why">Why it is closed then.</param>
/// <param name="Names">The calendars that say so; open, the windows that are.</param>
/// <param name="Until">Open: when it closes, null where it does not. Closed: when it opens, null where that is not known.</param>
public sealed record TimetableSays(ClosedWhy Why, IReadOnlyList<string> Names, DateTimeOffset? Until)
{
    public bool IsOpen => Why == ClosedWhy.No;

    /// <summary>The same in words, without a full stop and without until when.</summary>
    public override string ToString()
    {
        var names = string.Join(", ", Names.Select(name => $"'{name}'"));
        return Why switch
        {
            ClosedWhy.No => Names.Count > 0 ? $"It is in its window {names}" : "It may be changed now",
            ClosedWhy.Frozen => $"It is frozen by {names}",
            ClosedWhy.Stale => $"Nothing is known any more of {names}",
            _ => $"It is outside its window {names}",
        };
    }
}

/// <summary>
/// When a device may be changed. The windows of its groups are united, and where none of them has any it is at all times; a deployment's own windows narrow
/// that, never widen it; a freeze of either wins; and a calendar of which nothing is known any more closes.
/// </summary>
public sealed class Timetable
{
    private readonly IReadOnlyList<(string Name, IReadOnlyList<Span> Spans)> _windows;
    private readonly IReadOnlyList<(string Name, IReadOnlyList<Span> Spans)> _freezes;
    private readonly IReadOnlyList<(string Name, DateTimeOffset Until)> _good;

    private Timetable(
        IReadOnlyList<Span> open, IReadOnlyList<(string, IReadOnlyList<Span>)> windows, IReadOnlyList<(string, IReadOnlyList<Span>)> freezes,
        IReadOnlyList<(string, DateTimeOffset)> good) =>
        (Open, _windows, _freezes, _good) = (open, windows, freezes, good);

    /// <summary>At all times, since no calendar rules.</summary>
    public static Timetable Always { get; } = new([new Span(DateTimeOffset.MinValue, DateTimeOffset.MaxValue)], [], [], []);

    /// <summary>When the device may be changed, in order.</summary>
    public IReadOnlyList<Span> Open { get; }

    /// <summary>The same where its windows do not hold any more, and its freezes do; null where it has no windows.</summary>
    private Timetable? Pressing { get; init; }

    /// <param name="groups">The calendars of the device's groups.</param>
    /// <param name="deployment">Those of the deployment.</param>
    /// <param name="own">The device's clocks.</param>
    public static Timetable Of(IReadOnlyList<HeldCalendar> groups, IReadOnlyList<HeldCalendar> deployment, OffsetAt own)
    {
        if (groups.Count + deployment.Count == 0)
        {
            return Always;
        }

        HeldCalendar[] all = [.. groups, .. deployment];
        var good = all.Min(each => each.GoodUntil);
        IReadOnlyList<Span> open = [new Span(DateTimeOffset.MinValue, good)];
        var ruling = new List<(string Name, IReadOnlyList<Span> Spans)>();
        foreach (var windows in new[] { groups, deployment })
        {
            var spans = windows.Where(each => !each.IsFreeze).Select(each => (each.Name, Spans: each.Spans(own))).ToList();
            if (spans.Count > 0)
            {
                open = Spans.Both(open, Spans.Sorted(spans.SelectMany(each => each.Spans)));
                ruling.AddRange(spans);
            }
        }

        var freezes = all.Where(each => each.IsFreeze).Select(each => (each.Name, Spans: each.Spans(own))).ToList();
        var frozen = Spans.Sorted(freezes.SelectMany(each => each.Spans));
        var known = all.Select(each => (each.Name, each.GoodUntil)).OrderBy(each => each.GoodUntil).ToList();
        return new Timetable(Spans.Less(open, frozen), ruling, freezes, known)
        {
            Pressing = ruling.Count == 0 ? null : new Timetable(Spans.Less([new Span(DateTimeOffset.MinValue, good)], frozen), [], freezes, known),
        };
    }

    /// <summary>What is so at a moment.</summary>
    public TimetableSays At(DateTimeOffset now)
    {
        var next = Spans.From(Open, now);
        if (next is { } span && span.Holds(now))
        {
            return new TimetableSays(ClosedWhy.No, On(_windows, now), span.To == DateTimeOffset.MaxValue ? null : span.To);
        }

        var frozen = Frozen(now);
        return frozen.Count > 0 ? new TimetableSays(ClosedWhy.Frozen, frozen, next?.From)
            : _good.Count > 0 && _good[0].Until <= now
                ? new TimetableSays(ClosedWhy.Stale, [.. _good.Where(each => each.Until <= now).Select(each => each.Name)], null)
            : new TimetableSays(ClosedWhy.OutsideWindow, [.. _windows.Select(each => each.Name).Distinct()], next?.From);
    }

    /// <summary>
    /// What is so at a moment for a start that waits for no window, or for none from a moment on: a freeze holds even then. Decided alike by the service, which
    /// says it, and by the device, which holds it.
    /// </summary>
    /// <param name="isAtOnce">It waits for no window.</param>
    /// <param name="from">From when on it waits for none; null for never.</param>
    public TimetableSays StartAt(DateTimeOffset now, bool isAtOnce, DateTimeOffset? from)
    {
        var says = (isAtOnce || from <= now ? Pressing ?? this : this).At(now);
        return !says.IsOpen && from > now && !(says.Until <= from) ? says with { Until = from } : says;
    }

    /// <summary>The freezes that are on at a moment, by name.</summary>
    public IReadOnlyList<string> Frozen(DateTimeOffset now) => On(_freezes, now);

    /// <summary>Whether something that takes so long can be started now and be over before it closes.</summary>
    public bool HasRoom(DateTimeOffset now, TimeSpan takes) => Spans.From(Open, now) is { } span && span.Holds(now) && span.To - now >= takes;

    /// <summary>The first moment from now on at which something that takes so long can be started; null where none is known.</summary>
    public DateTimeOffset? NextStart(DateTimeOffset now, TimeSpan takes)
    {
        foreach (var span in Open)
        {
            var from = span.From > now ? span.From : now;
            if (span.To > from && span.To - from >= takes)
            {
                return from;
            }
        }

        return null;
    }

    private static IReadOnlyList<string> On(IReadOnlyList<(string Name, IReadOnlyList<Span> Spans)> calendars, DateTimeOffset now) =>
        [.. calendars.Where(each => Spans.From(each.Spans, now) is { } span && span.Holds(now)).Select(each => each.Name).Distinct()];
}
