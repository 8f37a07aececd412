using Bandejo.Core.Rules;

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

    /// <summary>What would be started does not end before it closes.</summary>
    NoRoom,

    /// <summary>It is reset before it closes, and what is done until then is lost.</summary>
    BeforeReset,
}

/// <summary>What a timetable says of a moment.</summary>
/// <param name="Why">Why it is closed then.</param>
/// <param name="Names">The calendars that say so; open, the windows that are.</param>
/// <param name="Until">Open: until when it may still be started, null for ever. Closed: when it may be started, null where that is not known.</param>
public sealed record TimetableSays(ClosedWhy Why, IReadOnlyList<string> Names, DateTimeOffset? Until)
{
    /// <summary>How long what would be started takes.</summary>
    public TimeSpan Takes { get; init; }

    /// <summary>When in the night it is reset, where that is why.</summary>
    public TimeOnly Reset { get; init; }

    public bool IsOpen => Why == ClosedWhy.No;

    /// <summary>The same in words, without a full stop and without until when.</summary>
    public override string ToString()
    {
        var names = string.Join(", ", Names.Select(name => $"'{name}'"));
        return Why switch
        {
            ClosedWhy.No => Names.Count > 0 ? $"It is in its window {names}" : "It may be changed now",
            ClosedWhy.Frozen => $"It is frozen by {names}",
            ClosedWhy.NoRoom => $"It takes {Units.FormatDuration(Takes)}, for which {names} leaves no room",
            ClosedWhy.BeforeReset => $"It is reset at {Reset:HH:mm}, and what is done before is lost",
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

    /// <summary>The same if it were not reset; null where it is not.</summary>
    private Timetable? Unreset { get; init; }

    private TimeOnly Reset { get; init; }

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

    /// <summary>
    /// The same for a device that is reset to what it was at a time of each day: it is open only after the reset within a window, where what is done stays.
    /// Without windows, or past a deadline, nothing is done that would be lost.
    /// </summary>
    /// <param name="reset">When, by its own clocks.</param>
    public Timetable AfterReset(TimeOnly reset, OffsetAt own)
    {
        var open = new List<Span>();
        foreach (var span in _windows.Count == 0 ? [] : Open)
        {
            var day = DateOnly.FromDateTime((span.From + own(span.From)).DateTime);
            var at = WallSpan.Moment(day.ToDateTime(reset), own);
            at = at < span.From ? WallSpan.Moment(day.AddDays(1).ToDateTime(reset), own) : at;
            if (at < span.To)
            {
                open.Add(span with { From = at });
            }
        }

        return new Timetable(open, _windows, _freezes, _good) { Unreset = this, Reset = reset };
    }

    /// <summary>What is so at a moment for a start of something that takes so long and has to end before it closes.</summary>
    public TimetableSays At(DateTimeOffset now, TimeSpan takes = default)
    {
        var next = Spans.From(Open, now);
        var isOpen = next is { } span && span.Holds(now);
        if (isOpen && next!.Value.To == DateTimeOffset.MaxValue)
        {
            return new TimetableSays(ClosedWhy.No, On(_windows, now), null);
        }

        if (isOpen && next!.Value.To - now >= takes)
        {
            // At the last moment of all it may still be started.
            return new TimetableSays(ClosedWhy.No, On(_windows, now), takes == TimeSpan.Zero ? next.Value.To : next.Value.To - takes + TimeSpan.FromTicks(1));
        }

        var opens = NextStart(now, takes);
        if (Unreset is { } unreset && !isOpen && (unreset.At(now).IsOpen || (opens is null && unreset.NextStart(now, takes) is not null)))
        {
            return new TimetableSays(ClosedWhy.BeforeReset, [.. _windows.Select(each => each.Name).Distinct()], opens) { Reset = Reset };
        }

        var frozen = Frozen(now);
        return frozen.Count > 0 ? new TimetableSays(ClosedWhy.Frozen, frozen, opens)
            : _good.Count > 0 && _good[0].Until <= now
                ? new TimetableSays(ClosedWhy.Stale, [.. _good.Where(each => each.Until <= now).Select(each => each.Name)], null)
            : isOpen || (opens is null && next is not null)
                ? new TimetableSays(ClosedWhy.NoRoom, WhoCloses(isOpen ? next!.Value.To : null), opens) { Takes = takes }
            : new TimetableSays(ClosedWhy.OutsideWindow, [.. _windows.Select(each => each.Name).Distinct()], opens);
    }

    /// <summary>
    /// What is so at a moment for a start that waits for no window, or for none from a moment on: a freeze holds even then. Decided alike by the service, which
    /// says it, and by the device, which holds it.
    /// </summary>
    /// <param name="isAtOnce">It waits for no window.</param>
    /// <param name="from">From when on it waits for none; null for never.</param>
    /// <param name="takes">How long it takes: it has to end before it closes.</param>
    public TimetableSays StartAt(DateTimeOffset now, bool isAtOnce, DateTimeOffset? from, TimeSpan takes)
    {
        var free = Pressing ?? this;
        var says = (isAtOnce || from <= now ? free : this).At(now, takes);
        if (says.IsOpen || !(from > now) || says.Until <= from)
        {
            return says;
        }

        // A freeze may be on even then.
        var then = free.At(from.Value, takes);
        return says with { Until = then.IsOpen ? from : says.Until < then.Until ? says.Until : then.Until ?? says.Until };
    }

    /// <summary>The freezes that are on at a moment, by name.</summary>
    public IReadOnlyList<string> Frozen(DateTimeOffset now) => On(_freezes, now);

    /// <summary>The first moment from now on at which something that takes so long can be started; null where none is known.</summary>
    public DateTimeOffset? NextStart(DateTimeOffset now, TimeSpan takes) => NextSpan(now, takes)?.From;

    /// <summary>The first stretch from now on in which something that takes so long can be started and ended; null where none is known.</summary>
    public Span? NextSpan(DateTimeOffset now, TimeSpan takes)
    {
        foreach (var span in Open)
        {
            var from = span.From > now ? span.From : now;
            if (span.To > from && span.To - from >= takes)
            {
                return new Span(from, span.To);
            }
        }

        return null;
    }

    /// <summary>The calendars for which it closes at a moment: a freeze that begins, else the windows.</summary>
    private IReadOnlyList<string> WhoCloses(DateTimeOffset? at) =>
        at is { } end && Frozen(end) is { Count: > 0 } frozen ? frozen
            : _windows.Count > 0 ? [.. _windows.Select(each => each.Name).Distinct()]
            : [.. _good.Select(each => each.Name)];

    private static IReadOnlyList<string> On(IReadOnlyList<(string Name, IReadOnlyList<Span> Spans)> calendars, DateTimeOffset now) =>
        [.. calendars.Where(each => Spans.From(each.Spans, now) is { } span && span.Holds(now)).Select(each => each.Name).Distinct()];
}
