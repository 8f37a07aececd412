using Bandejo.Core.Deployments;
using Bandejo.Store.Databases;
using Bandejo.Store.Forms;
using Google.Protobuf;

namespace Bandejo.Store.Past;

/// <summary>Keeps how targets were, and how many of a book were in each state.</summary>
internal sealed class PastTargets(Statements statements)
{
    /// <summary>After how many rows one says all again: few enough to be read in no time, enough that what is said again costs little.</summary>
    private const int Most = 32;

    private static readonly int States = Enum.GetValues<TargetState>().Length;

    private readonly PastRows _rows = new(statements, "target_past", "place", Most);
    private readonly Dictionary<long, uint[]> _counts = [];
    private readonly SortedSet<long> _changedBooks = [];

    /// <summary>Notes that a page is another.</summary>
    /// <param name="before">What stood in it.</param>
    /// <param name="after">What stands in it now.</param>
    public void Changed(LogMoment moment, long place, ReadOnlySpan<Target?> before, ReadOnlySpan<Target?> after)
    {
        var (changed, gone, count) = (new Target?[after.Length], new List<uint>(), 0);
        var states = Counts(TargetPages.BookOf(place));
        for (var at = 0; at < after.Length; at++)
        {
            if (ReferenceEquals(before[at], after[at]) || IsSame(before[at], after[at]))
            {
                continue;
            }

            count++;
            changed[at] = after[at];
            Count(states, before[at], -1);
            Count(states, after[at], 1);
            if (after[at] is null)
            {
                gone.Add((uint)at);
            }
        }

        if (count == 0)
        {
            return;
        }

        _changedBooks.Add(TargetPages.BookOf(place));
        var isAll = count > after.Length / 2 || _rows.WantsAll(place);
        _rows.Add(moment, place, isAll, isAll ? TargetForm.Write(after) : TargetForm.Write(changed, gone));
    }

    /// <summary>Writes how many are in each state now, where that is another.</summary>
    public void Flush(LogMoment moment)
    {
        foreach (var book in _changedBooks)
        {
            statements.Add("count_past", book, moment.Number, new KeptCounts { States = { _counts[book] } }.ToByteArray());
        }

        _changedBooks.Clear();
    }

    /// <summary>Takes away all that was kept of a book.</summary>
    public void Drop(long book)
    {
        var (from, to) = TargetPages.Places(book);
        statements.Run("DELETE FROM target_past WHERE place >= $1 AND place < $2", from, to);
        statements.Run("DELETE FROM count_past WHERE book = $1", book);
        _counts.Remove(book);
        _changedBooks.Remove(book);
        _rows.ForgetAll();
    }

    /// <summary>
    /// Whether nothing of it changed that is asked later. That a proof was seen to hold once more is none: of every target that happens every few days.
    /// </summary>
    private static bool IsSame(Target? before, Target? after) =>
        before is not null && after is not null && before.State == after.State
            && before with { Device = after.Device, ProvenAt = after.ProvenAt } == after;

    private static void Count(uint[] states, Target? target, int by)
    {
        if (target is not null)
        {
            states[(int)target.State] = (uint)(states[(int)target.State] + by);
        }
    }

    private uint[] Counts(long book)
    {
        if (!_counts.TryGetValue(book, out var states))
        {
            var kept = statements.First("SELECT body FROM count_past WHERE book = $1 ORDER BY number DESC LIMIT 1", row => row.Bytes(0), book);
            _counts[book] = states = new uint[States];
            if (kept is not null)
            {
                KeptCounts.Parser.ParseFrom(kept).States.CopyTo(states, 0);
            }
        }

        return states;
    }
}
