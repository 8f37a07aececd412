using Bandejo.Core.Deployments;
using Bandejo.Store.Databases;
using Bandejo.Store.Forms;
using Bandejo.Store.Past;

namespace Bandejo.Store;

/// <summary>
/// Writes targets into their pages. A page that is changed by a commit is read once and written once, by <see cref="Flush"/>.
/// </summary>
/// <param name="numberOf">The number of a device; given to it where it has none.</param>
/// <param name="keepsPast">Whether it is kept how they were.</param>
internal sealed class TargetPages(Statements statements, Func<string, long> numberOf, bool keepsPast)
{
    private const int BookBits = 32;

    private readonly Dictionary<string, long> _books = new(StringComparer.Ordinal);
    private readonly Dictionary<long, (Target?[] Targets, Target?[] Before, bool IsThere)> _changed = [];
    private readonly PastTargets? _past = keepsPast ? new PastTargets(statements) : null;

    /// <summary>The places of all pages of a book, from the first to before the last.</summary>
    public static (long From, long To) Places(long book) => (book << BookBits, (book + 1) << BookBits);

    /// <summary>The book that a page belongs to.</summary>
    public static long BookOf(long place) => place >> BookBits;

    /// <summary>The place of the page in which a device stands, and its place there.</summary>
    public static (long Page, int At) PlaceOf(long book, long device) => ((book << BookBits) | (device / TargetForm.Places), (int)(device % TargetForm.Places));

    /// <summary>The number of the first device of a page.</summary>
    public static long FirstDevice(long place) => (place & ((1L << BookBits) - 1)) * TargetForm.Places;

    /// <summary>A new book that belongs to no deployment yet.</summary>
    public long NewBook() => statements.First(
        "INSERT INTO target_book (number, deployment) SELECT coalesce(max(number), 0) + 1, NULL FROM target_book RETURNING number", row => row.Number(0));

    /// <summary>Writes targets into a book that belongs to no deployment yet; made where it is not there.</summary>
    public void PutAhead(long book, IReadOnlyList<Target> targets)
    {
        statements.Run("INSERT INTO target_book (number, deployment) VALUES ($1, NULL) ON CONFLICT DO NOTHING", book);
        foreach (var target in targets)
        {
            Put(book, target);
        }
    }

    /// <summary>From now on a book is that of a deployment.</summary>
    /// <exception cref="StoreException">There is no such book.</exception>
    public void Give(long book, string deployment)
    {
        statements.Run("UPDATE target_book SET deployment = $1 WHERE number = $2 AND deployment IS NULL", deployment, book);
        if (BookOf(deployment) != book)
        {
            throw new StoreException($"What was written down ahead for {deployment} is not there.");
        }

        _books[deployment] = book;
    }

    /// <summary>Takes a book away with all that stands in it.</summary>
    public void Drop(long book)
    {
        var (from, to) = Places(book);
        statements.Run("DELETE FROM target_page WHERE place >= $1 AND place < $2", from, to);
        statements.Run("DELETE FROM target_book WHERE number = $1", book);
        _past?.Drop(book);
    }

    public void Put(string deployment, Target target)
    {
        if (!_books.TryGetValue(deployment, out var book))
        {
            book = BookOf(deployment);
            if (book == 0)
            {
                book = NewBook();
                Give(book, deployment);
            }

            _books[deployment] = book;
        }

        Put(book, target);
    }

    private void Put(long book, Target target)
    {
        var number = numberOf(target.Device);
        Page(book, number / TargetForm.Places)[number % TargetForm.Places] = target;
    }

    /// <summary>Takes away all targets of a device.</summary>
    public void RemoveDevice(string device)
    {
        var number = numberOf(device);
        for (var book = After(0); book != 0; book = After(book))
        {
            Page(book, number / TargetForm.Places)[number % TargetForm.Places] = null;
        }

        long After(long book) =>
            statements.First("SELECT min(number) FROM target_book WHERE number > $1", row => row.Number(0), book);
    }

    /// <summary>Writes the pages that changed, and how they were. One that has no target any more stays, for what was in it.</summary>
    public void Flush(LogMoment moment)
    {
        foreach (var (place, (targets, before, isThere)) in _changed.OrderBy(page => page.Key))
        {
            if (isThere)
            {
                statements.Run("UPDATE target_page SET body = $1 WHERE place = $2", TargetForm.Write(targets), place);
            }
            else if (Array.Exists(targets, target => target is not null))
            {
                statements.Add("target_page", place, TargetForm.Write(targets));
            }

            _past?.Changed(moment, place, before, targets);
        }

        _changed.Clear();
        _past?.Flush(moment);
    }

    private long BookOf(string deployment) =>
        statements.First("SELECT number FROM target_book WHERE deployment = $1", row => row.Number(0), deployment);

    private Target?[] Page(long book, long page)
    {
        var place = (book << BookBits) | page;
        if (!_changed.TryGetValue(place, out var known))
        {
            var targets = new Target?[TargetForm.Places];
            var body = statements.First("SELECT body FROM target_page WHERE place = $1", row => row.Bytes(0), place);
            if (body is not null)
            {
                // Who a target is of says its place.
                TargetForm.Read(body, _ => "", (at, target) => targets[at] = target);
            }

            _changed[place] = known = (targets, (Target?[])targets.Clone(), body is not null);
        }

        return known.Targets;
    }
}
