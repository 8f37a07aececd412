namespace Bandejo.Core.Calendars;

/// <summary>A stretch of time.</summary>
/// <param name="From">Its first moment.</param>
/// <param name="To">The first moment after it; later than <paramref name="From"/>.</param>
public readonly record struct Span(DateTimeOffset From, DateTimeOffset To)
{
    public TimeSpan Length => To - From;

    public bool Holds(DateTimeOffset at) => From <= at && at < To;
}

/// <summary>
/// Sets of moments, as stretches in order that neither touch nor overlap. All but <see cref="Sorted"/> take such lists and give such lists.
/// </summary>
public static class Spans
{
    /// <summary>A set of moments of stretches in any order, which may overlap; empty ones are left out.</summary>
    public static IReadOnlyList<Span> Sorted(IEnumerable<Span> spans)
    {
        var sorted = new List<Span>();
        foreach (var span in spans.Where(span => span.From < span.To).OrderBy(span => span.From))
        {
            if (sorted.Count > 0 && span.From <= sorted[^1].To)
            {
                sorted[^1] = sorted[^1] with { To = span.To > sorted[^1].To ? span.To : sorted[^1].To };
            }
            else
            {
                sorted.Add(span);
            }
        }

        return sorted;
    }

    /// <summary>The moments that are in either.</summary>
    public static IReadOnlyList<Span> Union(IReadOnlyList<Span> one, IReadOnlyList<Span> other) => Sorted(one.Concat(other));

    /// <summary>The moments that are in both.</summary>
    public static IReadOnlyList<Span> Both(IReadOnlyList<Span> one, IReadOnlyList<Span> other)
    {
        var both = new List<Span>();
        for (int i = 0, j = 0; i < one.Count && j < other.Count;)
        {
            var from = one[i].From > other[j].From ? one[i].From : other[j].From;
            var to = one[i].To < other[j].To ? one[i].To : other[j].To;
            if (from < to)
            {
                both.Add(new Span(from, to));
            }

            if (one[i].To < other[j].To)
            {
                i++;
            }
            else
            {
                j++;
            }
        }

        return both;
    }

    /// <summary>The moments that are in one and not in the other.</summary>
    public static IReadOnlyList<Span> Less(IReadOnlyList<Span> one, IReadOnlyList<Span> other)
    {
        var less = new List<Span>();
        var j = 0;
        foreach (var span in one)
        {
            var from = span.From;
            while (j < other.Count && other[j].To <= from)
            {
                j++;
            }

            for (var k = j; k < other.Count && other[k].From < span.To; k++)
            {
                if (from < other[k].From)
                {
                    less.Add(new Span(from, other[k].From));
                }

                from = other[k].To;
            }

            if (from < span.To)
            {
                less.Add(new Span(from, span.To));
            }
        }

        return less;
    }

    /// <summary>The first stretch that ends after a moment: the one that holds it, or the next; null where there is none.</summary>
    public static Span? From(IReadOnlyList<Span> spans, DateTimeOffset at)
    {
        var (low, high) = (0, spans.Count);
        while (low < high)
        {
            var middle = (low + high) / 2;
            if (spans[middle].To <= at)
            {
                low = middle + 1;
            }
            else
            {
                high = middle;
            }
        }

        return low < spans.Count ? spans[low] : null;
    }
}
