using Bandejo.Store.Databases;

namespace Bandejo.Store.Past;

/// <summary>The record of the log by which something was changed.</summary>
/// <param name="At">Its moment; never before that of an earlier record.</param>
internal readonly record struct LogMoment(long Number, DateTimeOffset At);

/// <summary>
/// Rows of a table of what was. Each says what changed since the one before under the same key; after so many one says all again, so that never more than
/// these must be read to know how it was.
/// </summary>
/// <param name="table">Its columns: the key, number, base, at, body.</param>
/// <param name="key">The name of the key's column; the key is a whole number.</param>
/// <param name="most">After how many rows one says all again.</param>
internal sealed class PastRows(Statements statements, string table, string key, int most)
{
    /// <summary>Of how many keys it is remembered how they stand; they are looked up again where it is more.</summary>
    private const int MostKnown = 200_000;

    private readonly string _base = $"SELECT base FROM {table} WHERE {key} = $1 ORDER BY number DESC LIMIT 1";
    private readonly string _rows = $"SELECT count(*) FROM {table} WHERE {key} = $1 AND number >= $2";
    private readonly Dictionary<long, (long Base, int Rows)> _known = [];

    /// <summary>Whether the next row must say all.</summary>
    public bool WantsAll(long of) => Known(of) is var (first, rows) && (first == 0 || rows >= most);

    /// <summary>Adds a row.</summary>
    /// <param name="isAll">Whether it says all.</param>
    public void Add(LogMoment moment, long of, bool isAll, byte[] body)
    {
        var (first, rows) = Known(of);
        (long Base, int Rows) next = isAll ? (moment.Number, 1) : (first, rows + 1);
        _known[of] = next;
        statements.Add(table, of, moment.Number, next.Base, moment.At.UtcTicks, body);
    }

    /// <summary>Forgets what it knows: rows were taken away.</summary>
    public void ForgetAll() => _known.Clear();

    private (long Base, int Rows) Known(long of)
    {
        if (!_known.TryGetValue(of, out var known))
        {
            var first = statements.First(_base, row => row.Number(0), of);
            known = first == 0 ? (0, 0) : (first, (int)statements.First(_rows, row => row.Number(0), of, first));
            if (_known.Count >= MostKnown)
            {
                _known.Clear();
            }

            _known[of] = known;
        }

        return known;
    }
}
