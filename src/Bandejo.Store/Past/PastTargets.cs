using Bandejo.Core.Deployments;
using Bandejo.Store.Databases;
using Bandejo.Store.Forms;
using Google.Protobuf;

namespace Bandejo.Store.Past;

/// <summary>
/// Keeps how targets were, how many of a book were in each state, and now and then in which state each was, so that whoever counts some of them need not
/// read all that was ever said of their pages.
/// </summary>
internal sealed class PastTargets(Statements statements)
{
    /// <summary>After how many rows one says all again: few enough to be read in no time, enough that what is said again costs little.</summary>
    private const int Most = 32;

    /// <summary>After so many rows that say which targets changed their states, all states are written down together.</summary>
    private const int MostRows = 4096;

    /// <summary>Fewer changes than these are read as quickly as anything.</summary>
    private const int FewChanges = 64;

    private static readonly int States = Enum.GetValues<TargetState>().Length;

    private readonly PastRows _rows = new(statements, "target_past", "place", Most);
    private readonly Dictionary<long, KeptCounts> _counts = [];
    private readonly SortedDictionary<long, SortedDictionary<uint, byte>> _changedBooks = [];

    /// <summary>Notes that a page is another.</summary>
    /// <param name="before">What stood in it.</param>
    /// <param name="after">What stands in it now.</param>
    public void Changed(LogMoment moment, long place, ReadOnlySpan<Target?> before, ReadOnlySpan<Target?> after)
    {
        var (changed, gone, count) = (new Target?[after.Length], new List<uint>(), 0);
        var book = TargetPages.BookOf(place);
        var counts = Counts(book);
        for (var at = 0; at < after.Length; at++)
        {
            if (ReferenceEquals(before[at], after[at]) || IsSame(before[at], after[at]))
            {
                continue;
            }

            var moved = Moved(book);
            count++;
            changed[at] = after[at];
            Count(counts, before[at], -1);
            Count(counts, after[at], 1);
            if (before[at]?.State != after[at]?.State)
            {
                moved[(uint)(TargetPages.FirstDevice(place) + at)] = (byte)(after[at] is { } target ? (int)target.State + 1 : 0);
            }

            if (after[at] is null)
            {
                gone.Add((uint)at);
            }
        }

        if (count == 0)
        {
            return;
        }

        var isAll = count > after.Length / 2 || _rows.WantsAll(place);
        _rows.Add(moment, place, isAll, isAll ? TargetForm.Write(after) : TargetForm.Write(changed, gone));
    }

    /// <summary>Writes how many are in each state now, where that is another; the pages themselves are written already.</summary>
    public void Flush(LogMoment moment)
    {
        foreach (var (book, moved) in _changedBooks)
        {
            var counts = _counts[book];
            counts.Rows++;
            counts.Changes += (uint)moved.Count;
            if (counts.Rows >= MostRows || counts.Changes >= Math.Max(counts.States.Sum(count => count), FewChanges))
            {
                statements.Add("state_past", book, moment.Number, StatesForm.Write(StatesOf(book)));
                (counts.Rows, counts.Changes) = (0, 0);
            }

            StatesForm.Put(counts, moved);
            statements.Add("count_past", book, moment.Number, counts.ToByteArray());
        }

        _changedBooks.Clear();
    }

    /// <summary>Takes away all that was kept of a book.</summary>
    public void Drop(long book)
    {
        var (from, to) = TargetPages.Places(book);
        statements.Run("DELETE FROM target_past WHERE place >= $1 AND place < $2", from, to);
        statements.Run("DELETE FROM count_past WHERE book = $1", book);
        statements.Run("DELETE FROM state_past WHERE book = $1", book);
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

    private static void Count(KeptCounts counts, Target? target, int by)
    {
        if (target is not null)
        {
            counts.States[(int)target.State] = (uint)(counts.States[(int)target.State] + by);
        }
    }

    private SortedDictionary<uint, byte> Moved(long book) => _changedBooks.TryGetValue(book, out var moved) ? moved : _changedBooks[book] = [];

    private KeptCounts Counts(long book)
    {
        if (!_counts.TryGetValue(book, out var counts))
        {
            var kept = statements.First("SELECT body FROM count_past WHERE book = $1 ORDER BY number DESC LIMIT 1", row => row.Bytes(0), book);
            _counts[book] = counts = kept is null ? new KeptCounts() : KeptCounts.Parser.ParseFrom(kept);
            counts.States.AddRange(Enumerable.Repeat(0u, Math.Max(0, States - counts.States.Count)));
        }

        return counts;
    }

    /// <summary>In which state each target of a book is now, in the order of the numbers of devices.</summary>
    private byte[] StatesOf(long book)
    {
        var (from, to) = TargetPages.Places(book);
        var pages = statements.All(
            "SELECT place, body FROM target_page WHERE place >= $1 AND place < $2 ORDER BY place", row => (Place: row.Number(0), Body: row.Bytes(1)), from, to);
        var states = new byte[pages.Count == 0 ? 0 : TargetPages.FirstDevice(pages[^1].Place) + TargetForm.Places];
        foreach (var (place, body) in pages)
        {
            TargetForm.ReadStates(body, states.AsSpan((int)TargetPages.FirstDevice(place), TargetForm.Places));
        }

        return states;
    }
}
