using System.Data.Common;
using Bandejo.Store.Databases;
using Dapper;

namespace Bandejo.Store;

/// <summary>Carries a log over into another database, of whatever kind, and makes the tables from it there.</summary>
internal static class Copying
{
    /// <summary>How many records are added at once.</summary>
    private const int AtOnce = 256;

    /// <summary>Copies the log from where it begins up to a record, and makes the tables, in one transaction: all of it or nothing.</summary>
    /// <param name="from">Where it is read.</param>
    /// <param name="to">Where nothing is yet.</param>
    /// <param name="check">Whether the tables are held against those they are copied from, into which nobody may write meanwhile then.</param>
    /// <param name="more">What is kept after it; null for nothing.</param>
    /// <param name="progress">Is told of how many records how many are done.</param>
    /// <returns>How many records were copied.</returns>
    /// <exception cref="StoreException">The log is not whole, or what came is not what was there.</exception>
    public static long Copy(DbConnection from, DbConnection to, Statements statements, bool check, LoggedPart? more, Action<long, long>? progress)
    {
        using var transaction = to.BeginTransaction();
        var log = new Log(statements, epoch: 0);
        var writer = new StoreWriter(to, statements, epoch: 0);
        var last = LogReading.Last(from);
        foreach (var row in LogReading.From(from))
        {
            writer.Write(row);
            log.Take(row);
            statements.Flush();
            progress?.Invoke(row.Number, last);
        }

        if (more is { } part)
        {
            writer.Write(log.Next(part.At), part.Changes);
            log.Append([part]);
        }

        // Who writes there next has the next epoch of both.
        statements.Run("UPDATE log_head SET epoch = $1", from.ExecuteScalar<long>("SELECT epoch FROM log_head"));
        statements.Flush();
        var differing = check ? Rebuilding.Differences(Rebuilding.Digests(from), Rebuilding.Digests(to)) : [];
        if (differing.Count > 0)
        {
            throw new StoreException(
                $"What came is not what was there, in: {string.Join(", ", differing)}. Nothing was copied. Look at what is copied with: "
                    + "bandejo-service check.");
        }

        transaction.Commit();
        return last;
    }

    /// <summary>Adds what a log has more than a copy of it, without its tables.</summary>
    /// <inheritdoc cref="DatabaseStore.Backup" path="/returns"/>
    /// <inheritdoc cref="DatabaseStore.Backup" path="/exception"/>
    public static (LogEnd End, DateTimeOffset At, long New) Add(DbConnection from, DbConnection to, Statements statements, Action<long, long>? progress)
    {
        var (there, last) = (LogReading.End(to), LogReading.Last(from));
        if (there.Number > last || (there.Number > 0 && LogReading.DigestOf(from, there.Number) != there.Digest))
        {
            throw new StoreException("What is there is of another store, or of a time that this one does not know. Name an empty folder.");
        }

        var log = new Log(statements, to.ExecuteScalar<long>("SELECT epoch FROM log_head"));
        foreach (var some in LogReading.From(from, there.Number + 1).Chunk(AtOnce))
        {
            using var transaction = to.BeginTransaction();
            foreach (var row in some)
            {
                log.Take(row);
            }

            statements.Flush();
            transaction.Commit();
            progress?.Invoke(some[^1].Number, last);
        }

        to.Execute("UPDATE log_head SET epoch = @epoch", new { epoch = from.ExecuteScalar<long>("SELECT epoch FROM log_head") });
        var end = LogReading.End(to);
        return (end, LogReading.LastAt(to), end.Number - there.Number);
    }
}
