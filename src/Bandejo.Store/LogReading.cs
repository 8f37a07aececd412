using System.Data.Common;

namespace Bandejo.Store;

/// <summary>Reads the log, and finds what is wrong with it.</summary>
internal static class LogReading
{
    private const int AtOnce = 64;

    /// <summary>How many of the newest records are looked at before the service goes by what is kept, as long as they are not large.</summary>
    private const int LookedAtFirst = 1000;

    /// <summary>After so many bytes of them no more are looked at, so that a start takes no longer for what was written in one go.</summary>
    private const long MostLookedAt = 4 << 20;

    /// <summary>How many records the log has, by its own word.</summary>
    public static long Last(DbConnection connection) => Head(connection).Number;

    /// <summary>Where it ends.</summary>
    public static LogEnd End(DbConnection connection)
    {
        var (number, digest) = Head(connection);
        return new LogEnd(number, Convert.ToHexStringLower(digest));
    }

    /// <summary>The digest of a record; null where there is none of that number.</summary>
    public static string? DigestOf(DbConnection connection, long number) =>
        Some(connection, number, number).SingleOrDefault() is { } row ? Convert.ToHexStringLower(row.Digest) : null;

    /// <summary>When the last of it was decided.</summary>
    public static DateTimeOffset LastAt(DbConnection connection) =>
        KeptTables.Rows(connection, "SELECT at FROM log ORDER BY number DESC LIMIT 1", row => At(row.GetInt64(0))).SingleOrDefault();

    /// <summary>When the first of it was decided.</summary>
    public static DateTimeOffset FirstAt(DbConnection connection) =>
        KeptTables.Rows(connection, "SELECT at FROM log ORDER BY number LIMIT 1", row => At(row.GetInt64(0))).SingleOrDefault();

    /// <summary>
    /// The records from one number on, each after it was found whole and in its place, up to the last that there is by the log's own word.
    /// </summary>
    /// <exception cref="StoreException">A record is missing, or not as it was written.</exception>
    public static IEnumerable<LogRow> From(DbConnection connection, long first = 1)
    {
        var (last, digest) = Head(connection);
        var before = first == 1 ? [] : Some(connection, first - 1, first - 1).SingleOrDefault()?.Digest ?? throw Missing(first - 1, last);
        var next = first;
        while (next <= last)
        {
            var some = Some(connection, next, Math.Min(last, next + AtOnce - 1));
            foreach (var row in some)
            {
                if (row.Number != next)
                {
                    throw Missing(next, last);
                }

                if (!row.Digest.AsSpan().SequenceEqual(Log.Digest(before, row.Number, row.Epoch, row.At, row.Body)))
                {
                    throw new StoreException($"Record {row.Number} of the log is not as it was written.");
                }

                yield return row;
                (next, before) = (next + 1, row.Digest);
            }

            if (some.Count == 0)
            {
                throw Missing(next, last);
            }
        }

        if (!before.AsSpan().SequenceEqual(digest))
        {
            throw new StoreException($"The log does not end with record {last} as it was written.");
        }
    }

    /// <summary>Looks at the end of the log, where a copy that was taken while it was written, or a disk that did not keep what it took, shows first.</summary>
    /// <inheritdoc cref="From" path="/exception"/>
    public static void CheckEnd(DbConnection connection)
    {
        var last = Last(connection);
        var sizes = KeptTables.Rows(
            connection, "SELECT length(body) FROM log WHERE number > @first AND number <= @last ORDER BY number DESC", row => row.GetInt64(0),
            ("@first", last - LookedAtFirst), ("@last", last)).ToList();
        var bytes = 0L;

        // Where some are missing, all are looked at, and which it is is said.
        var some = sizes.Count < Math.Min(last, LookedAtFirst) ? LookedAtFirst : Math.Max(1, sizes.TakeWhile(size => (bytes += size) <= MostLookedAt).Count());
        foreach (var row in From(connection, Math.Max(1, last - some + 1)))
        {
            _ = Log.Read(row);
        }

        if (KeptTables.Rows(connection, "SELECT max(number) FROM log", row => row.IsDBNull(0) ? 0 : row.GetInt64(0)).Single() is var there && there != last)
        {
            throw new StoreException($"The log says that it ends with record {last}, and has record {there}.");
        }
    }

    private static (long Number, byte[] Digest) Head(DbConnection connection) =>
        KeptTables.Rows(connection, "SELECT number, digest FROM log_head", row => (row.GetInt64(0), row.GetFieldValue<byte[]>(1))).SingleOrDefault(
            (-1, [])) is { Item1: >= 0 } head ? head : throw new StoreException("The log has no head.");

    private static List<LogRow> Some(DbConnection connection, long from, long to) => [.. KeptTables.Rows(
        connection, "SELECT number, epoch, at, digest, body FROM log WHERE number >= @from AND number <= @to ORDER BY number",
        row => new LogRow(
            row.GetInt64(0), row.GetInt64(1), At(row.GetInt64(2)), row.GetFieldValue<byte[]>(3), row.GetFieldValue<byte[]>(4)),
        ("@from", from), ("@to", to))];

    // One that is outside the calendar was not written so, and its digest says it.
    private static DateTimeOffset At(long ticks) =>
        ticks >= 0 && ticks <= DateTimeOffset.MaxValue.UtcTicks ? new DateTimeOffset(ticks, TimeSpan.Zero) : default;

    private static StoreException Missing(long number, long last) => new($"Record {number} of the log is missing; it has {last}.");
}
