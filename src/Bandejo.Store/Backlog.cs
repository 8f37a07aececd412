using System.Runtime.InteropServices;

namespace Bandejo.Store;

/// <summary>What is durable in <c>recent</c> and not in its table yet, for those who ask meanwhile. Safe for use from several threads.</summary>
internal sealed class Backlog
{
    private readonly Lock _lock = new();
    private readonly Queue<(long Number, StoreChange[] Changes)> _rows = new();
    private readonly List<StoredEvent> _events = [];
    private readonly Dictionary<string, StoredAttempt> _attempts = new(StringComparer.Ordinal);
    private readonly Dictionary<string, List<string>> _ofDevice = new(StringComparer.Ordinal);

    /// <summary>How many changes wait.</summary>
    public int Count { get; private set; }

    public void Add(long number, StoreChange[] changes)
    {
        lock (_lock)
        {
            _rows.Enqueue((number, changes));
            Count += changes.Length;
            foreach (var change in changes)
            {
                switch (change)
                {
                    case AddEvent(var added):
                        _events.Add(added);
                        break;
                    case PutAttempt(var attempt):
                        if (_attempts.TryGetValue(attempt.Id, out var earlier))
                        {
                            Forget(earlier);
                        }

                        _attempts[attempt.Id] = attempt;
                        (CollectionsMarshal.GetValueRefOrAddDefault(_ofDevice, attempt.Device, out _) ??= []).Add(attempt.Id);
                        break;
                }
            }
        }
    }

    /// <summary>The oldest rows, about so many changes; the number is that of the last of these rows. They stay until <see cref="Remove"/>.</summary>
    public (IReadOnlyList<StoreChange> Changes, long Number) Oldest(int atLeast)
    {
        lock (_lock)
        {
            var changes = new List<StoreChange>(atLeast + 1024);
            var number = 0L;
            foreach (var row in _rows)
            {
                if (changes.Count >= atLeast)
                {
                    break;
                }

                changes.AddRange(row.Changes);
                number = row.Number;
            }

            return (changes, number);
        }
    }

    /// <summary>Forgets the rows up to a number; they are in their tables now.</summary>
    public void Remove(long upTo)
    {
        lock (_lock)
        {
            var events = 0;
            while (_rows.TryPeek(out var row) && row.Number <= upTo)
            {
                _rows.Dequeue();
                Count -= row.Changes.Length;
                foreach (var change in row.Changes)
                {
                    switch (change)
                    {
                        case AddEvent:
                            events++;
                            break;
                        case PutAttempt(var attempt) when ReferenceEquals(_attempts.GetValueOrDefault(attempt.Id), attempt):
                            Forget(attempt);
                            break;
                    }
                }
            }

            _events.RemoveRange(0, events);
        }
    }

    /// <summary>Forgets all.</summary>
    public void Clear() => Remove(long.MaxValue);

    /// <summary>The events that a query asks for, in its order.</summary>
    public IReadOnlyList<StoredEvent> Events(EventQuery query)
    {
        lock (_lock)
        {
            // Their numbers rise, so that only the end is looked at by those who follow what happens.
            var from = query.After is { } after ? FirstAbove(after) : 0;
            var fitting = (query.After is null ? Enumerable.Reverse(_events) : _events.Skip(from)).Where(each =>
                (query.Topic is null || each.Topic == query.Topic) && (query.Deployment is null || each.Deployment == query.Deployment)
                && (query.Device is null || each.Device == query.Device) && (query.What is null || query.What.Contains(each.What)) && (query.Before is null || each.Number < query.Before));
            return [.. fitting.Take(query.Limit)];
        }
    }

    public StoredAttempt? Attempt(string id)
    {
        lock (_lock)
        {
            return _attempts.GetValueOrDefault(id);
        }
    }

    public IReadOnlyList<StoredAttempt> Attempts(string? deployment, string? device)
    {
        lock (_lock)
        {
            var asked = device is null ? _attempts.Values : _ofDevice.GetValueOrDefault(device, []).Select(id => _attempts[id]);
            return [.. asked.Where(attempt => deployment is null || attempt.Deployment == deployment)];
        }
    }

    private void Forget(StoredAttempt attempt)
    {
        _attempts.Remove(attempt.Id);
        var others = _ofDevice[attempt.Device];
        others.Remove(attempt.Id);
        if (others.Count == 0)
        {
            _ofDevice.Remove(attempt.Device);
        }
    }

    private int FirstAbove(long number)
    {
        int from = 0, to = _events.Count;
        while (from < to)
        {
            var middle = (from + to) / 2;
            (from, to) = _events[middle].Number <= number ? (middle + 1, to) : (from, middle);
        }

        return from;
    }
}
