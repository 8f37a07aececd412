using System.Runtime.InteropServices;
using Bandejo.Core.World;

namespace Bandejo.Store;

/// <summary>
/// What is durable in <c>recent</c> and not in its table yet, for those who ask meanwhile. It is held as it was written, a text of bytes for each row with
/// the places where records begin: tens of thousands of records that live for seconds would otherwise be most of what the collector of garbage has to do.
/// Safe for use from several threads.
/// </summary>
internal sealed class Backlog
{
    private readonly Lock _lock = new();
    private readonly List<Row> _rows = [];
    private readonly List<Place> _events = [];
    private readonly List<Place> _attempts = [];

    // By a device's key, where its last attempt stands among all that ever were here: a device is asked for at its first result, thousands of them in a row.
    private readonly Dictionary<int, long> _lastOfDevice = [];
    private long _attemptsGone;
    private volatile int _count;

    /// <summary>How many changes wait.</summary>
    public int Count => _count;

    /// <summary>Takes a row that is durable now. Rows are numbered on without a gap.</summary>
    /// <param name="number">Its number.</param>
    /// <param name="form">As <see cref="RecentChanges"/> writes it.</param>
    /// <param name="count">How many changes it holds.</param>
    /// <param name="marks">Where its events and attempts begin.</param>
    public void Add(long number, byte[] form, int count, IReadOnlyList<RecentMark> marks)
    {
        lock (_lock)
        {
            _rows.Add(new Row(number, form, count));
            _count += count;
            foreach (var mark in marks)
            {
                if (mark.Number > 0)
                {
                    _events.Add(new Place(number, mark, -1));
                    continue;
                }

                _attempts.Add(new Place(number, mark, _lastOfDevice.GetValueOrDefault(mark.Device, -1)));
                _lastOfDevice[mark.Device] = _attemptsGone + _attempts.Count - 1;
            }
        }
    }

    /// <summary>The oldest rows, about so many changes; the number is that of the last of these rows. They stay until <see cref="Remove"/>.</summary>
    public (IReadOnlyList<Change> Changes, long Number) Oldest(int atLeast)
    {
        var changes = new List<Change>(atLeast + 1024);
        var number = 0L;
        var texts = new TextPool();
        foreach (var row in Rows())
        {
            if (changes.Count >= atLeast)
            {
                break;
            }

            changes.AddRange(RecentChanges.Read(row.Form, texts));
            number = row.Number;
        }

        return (changes, number);
    }

    /// <summary>Targets, attempts and last signs of life as they were last written, and the number of the last event.</summary>
    public LatestChanges Latest()
    {
        var (latest, texts) = (new LatestChanges(), new TextPool());
        foreach (var row in Rows())
        {
            latest.Take(RecentChanges.Read(row.Form, texts));
        }

        return latest;
    }

    /// <summary>Forgets the rows up to a number; they are in their tables now.</summary>
    public void Remove(long upTo)
    {
        lock (_lock)
        {
            foreach (var row in _rows)
            {
                _count -= row.Number <= upTo ? row.Count : 0;
            }

            _rows.RemoveRange(0, Before(CollectionsMarshal.AsSpan(_rows), row => row.Number <= upTo));
            _events.RemoveRange(0, Before(CollectionsMarshal.AsSpan(_events), place => place.Row <= upTo));
            var gone = Before(CollectionsMarshal.AsSpan(_attempts), place => place.Row <= upTo);
            _attempts.RemoveRange(0, gone);
            _attemptsGone += gone;
            if (_attempts.Count == 0)
            {
                _lastOfDevice.Clear();
            }
        }
    }

    /// <summary>Forgets all.</summary>
    public void Clear() => Remove(long.MaxValue);

    /// <summary>The events that a query asks for, in its order.</summary>
    public IReadOnlyList<EventRecord> Events(EventQuery query)
    {
        var found = new List<EventRecord>();
        lock (_lock)
        {
            // Their numbers rise, so that only the end is looked at by those who follow what happens.
            var places = CollectionsMarshal.AsSpan(_events);
            var (from, step) = query.After is { } after ? (Before(places, place => place.Mark.Number <= after), 1) : (places.Length - 1, -1);
            var (device, deployment, topic) = (RecentMark.KeyOf(query.Device), RecentMark.KeyOf(query.Deployment), RecentMark.KeyOf(query.Topic));
            for (var i = from; i >= 0 && i < places.Length && found.Count < query.Limit; i += step)
            {
                var mark = places[i].Mark;
                if ((query.Device is not null && mark.Device != device) || (query.Deployment is not null && mark.Deployment != deployment)
                    || (query.Topic is not null && mark.Name != topic) || mark.Number >= query.Before)
                {
                    continue;
                }

                var each = Event(places[i]);
                if ((query.Topic is null || each.Topic == query.Topic) && (query.Deployment is null || each.Deployment == query.Deployment)
                    && (query.Device is null || each.Device == query.Device) && (query.What is null || query.What.Contains(each.What)))
                {
                    found.Add(each);
                }
            }
        }

        return found;
    }

    /// <summary>An attempt as it was last written.</summary>
    public AttemptRecord? Attempt(string id)
    {
        var name = RecentMark.KeyOf(id);
        lock (_lock)
        {
            AttemptRecord? last = null;
            foreach (ref readonly var place in CollectionsMarshal.AsSpan(_attempts))
            {
                if (place.Mark.Name == name && Attempt(place) is var attempt && attempt.Id == id && LatestChanges.Belongs(attempt, last))
                {
                    last = attempt;
                }
            }

            return last;
        }
    }

    /// <summary>Attempts as they were last written; null for any deployment, or device.</summary>
    public IReadOnlyList<AttemptRecord> Attempts(string? deployment, string? device)
    {
        var found = new Dictionary<string, AttemptRecord>(StringComparer.Ordinal);
        var deploymentKey = RecentMark.KeyOf(deployment);
        lock (_lock)
        {
            foreach (var place in device is null ? (IEnumerable<Place>)_attempts : OfDevice(RecentMark.KeyOf(device)))
            {
                if ((deployment is null || place.Mark.Deployment == deploymentKey)
                    && Attempt(place) is var attempt && (device is null || attempt.Device == device) && (deployment is null || attempt.Deployment == deployment)
                        && LatestChanges.Belongs(attempt, found.GetValueOrDefault(attempt.Id)))
                {
                    found[attempt.Id] = attempt;
                }
            }
        }

        return [.. found.Values];
    }

    /// <summary>The attempts of a device in the order in which they were written.</summary>
    private Stack<Place> OfDevice(int key)
    {
        var places = new Stack<Place>();
        for (var at = _lastOfDevice.GetValueOrDefault(key, -1); at >= _attemptsGone; at = places.Peek().Earlier)
        {
            places.Push(_attempts[(int)(at - _attemptsGone)]);
        }

        return places;
    }

    private Row[] Rows()
    {
        lock (_lock)
        {
            return [.. _rows];
        }
    }

    private EventRecord Event(in Place place)
    {
        var reader = Reader(place);
        return CompactForm.ReadEvent(ref reader);
    }

    private AttemptRecord Attempt(in Place place)
    {
        var reader = Reader(place);
        return CompactForm.ReadAttempt(ref reader);
    }

    private FormReader Reader(in Place place) => new(_rows[(int)(place.Row - _rows[0].Number)].Form.AsSpan(place.Mark.Offset));

    /// <summary>How many at the beginning a condition holds for, which holds for none after the first that it does not hold for.</summary>
    private static int Before<T>(ReadOnlySpan<T> all, Func<T, bool> holds)
    {
        int from = 0, to = all.Length;
        while (from < to)
        {
            var middle = (from + to) / 2;
            (from, to) = holds(all[middle]) ? (middle + 1, to) : (from, middle);
        }

        return from;
    }

    private readonly record struct Row(long Number, byte[] Form, int Count);

    /// <param name="Row">The row it is in.</param>
    /// <param name="Mark">Where in it.</param>
    /// <param name="Earlier">Of an attempt, where the one before it of the same device stands, as in <see cref="_lastOfDevice"/>; -1 for none.</param>
    private readonly record struct Place(long Row, RecentMark Mark, long Earlier);
}
