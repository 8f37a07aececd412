using System.Data.Common;
using Bandejo.Core.World;
using Bandejo.Store.Databases;

namespace Bandejo.Store.Past;

/// <summary>Takes away what was before a moment. What says how it was from then on stays: the last row that says all, and those after it.</summary>
internal static class PastForgetting
{
    private const string Targets = "targets";
    private const string Counts = "counts";
    private const string Devices = "devices";
    private const string Members = "members";
    private const string Documents = "documents";
    private const string Attempts = "attempts";
    private const string Events = "events";

    /// <summary>About how many rows go at once.</summary>
    private const int AtOnce = 2000;

    /// <summary>Topics of events that tell the history of targets and devices; decisions and the audit trail are kept for ever.</summary>
    private const string Topics = "('target', 'device', 'group')";

    /// <summary>Of each key, how many rows are before the last one that says all up to a record.</summary>
    private const string Before = "(SELECT count(*) FROM {0} AS h WHERE h.{1} = k.{2} AND h.number < (SELECT x.{3} FROM {0} AS x WHERE x.{1} = k.{2} AND "
        + "x.number <= @record ORDER BY x.number DESC LIMIT 1))";

    /// <summary>Takes one slice away.</summary>
    public static void Apply(Statements statements, ForgetPast forget)
    {
        switch (forget.What)
        {
            case Targets:
                Rows("target_past", "place", "base");
                break;
            case Devices:
                Rows("device_past", "device", "base");
                break;
            case Counts:
                // What changed since all states were last written down together stays.
                statements.Run(
                    "DELETE FROM count_past WHERE book >= $1 AND book <= $2 AND number < (SELECT x.number FROM state_past AS x WHERE x.book = count_past.book "
                        + "AND x.number <= $3 ORDER BY x.number DESC LIMIT 1)", forget.From, forget.To, forget.Record);
                Rows("state_past", "book", "number");
                break;
            case Members:
                statements.Run(
                    "DELETE FROM member_past WHERE number < (SELECT x.base FROM member_past AS x WHERE x.device_group = member_past.device_group "
                        + "AND x.number <= $1 ORDER BY x.number DESC LIMIT 1)", forget.Record);
                break;
            case Documents:
                statements.Run(
                    "DELETE FROM document_past WHERE number < (SELECT max(x.number) FROM document_past AS x WHERE x.kind = document_past.kind AND x.id = "
                        + "document_past.id AND x.number <= $1)", forget.Record);
                break;
            case Attempts:
                statements.Run("DELETE FROM attempt WHERE started >= $1 AND started <= $2 AND outcome IS NOT NULL", forget.From, forget.To);
                break;
            case Events:
                statements.Run($"DELETE FROM event WHERE number >= $1 AND number <= $2 AND topic IN {Topics}", forget.From, forget.To);
                break;
            default:
                throw new StoreException($"The log has something forgotten that this version does not know: {forget.What}.");
        }

        void Rows(string table, string key, string last) => statements.Run(
            $"DELETE FROM {table} WHERE {key} >= $1 AND {key} <= $2 AND number < (SELECT x.{last} FROM {table} AS x WHERE x.{key} = {table}.{key} "
                + "AND x.number <= $3 ORDER BY x.number DESC LIMIT 1)", forget.From, forget.To, forget.Record);
    }

    /// <summary>What there is to be taken away, in slices, each with how many rows go with it.</summary>
    /// <param name="record">The last record before the moment.</param>
    /// <param name="until">The moment.</param>
    public static IReadOnlyList<(ForgetPast Slice, long Rows)> Slices(DbConnection connection, long record, DateTimeOffset until)
    {
        var slices = new List<(ForgetPast, long)>();
        Add(Targets, Keys(string.Format(null, Before, "target_past", "place", "place", "base"), "target_page AS k", "k.place"));
        Add(Devices, Keys(string.Format(null, Before, "device_past", "device", "number", "base"), "device_number AS k", "k.number"));
        Add(Counts, Keys(
            "(SELECT count(*) FROM count_past AS h WHERE h.book = k.number AND h.number < (SELECT x.number FROM state_past AS x WHERE x.book = k.number "
                + "AND x.number <= @record ORDER BY x.number DESC LIMIT 1))", "target_book AS k", "k.number"));
        Whole(Members, "SELECT count(*) FROM member_past AS h WHERE number < (SELECT x.base FROM member_past AS x WHERE x.device_group = h.device_group AND "
            + "x.number <= @record ORDER BY x.number DESC LIMIT 1)");
        Whole(Documents, "SELECT count(*) FROM document_past AS h WHERE number < (SELECT max(x.number) FROM document_past AS x WHERE x.kind = h.kind "
            + "AND x.id = h.id AND x.number <= @record)");
        Add(Attempts, Each(
            "SELECT started, 1 FROM attempt WHERE started < @until AND outcome IS NOT NULL ORDER BY started", ("@until", until.ToUnixTimeMilliseconds())));
        Add(Events, Each(
            $"SELECT number, 1 FROM event WHERE number < @first AND topic IN {Topics} ORDER BY number", ("@first", EventReading.FirstAt(connection, until))));
        return slices;

        IEnumerable<(long Key, long Rows)> Keys(string rows, string table, string key) =>
            Each($"SELECT key, rows FROM (SELECT {key} AS key, {rows} AS rows FROM {table}) AS found WHERE rows > 0 ORDER BY key", ("@record", record));

        IEnumerable<(long Key, long Rows)> Each(string sql, params (string, object)[] given) =>
            KeptTables.Rows(connection, sql, row => (row.GetInt64(0), row.GetInt64(1)), given);

        void Whole(string what, string sql)
        {
            if (KeptTables.Rows(connection, sql, row => row.GetInt64(0), ("@record", record)).Single() is > 0 and var rows)
            {
                slices.Add((new ForgetPast(what, record, until, 0, 0), rows));
            }
        }

        void Add(string what, IEnumerable<(long Key, long Rows)> keys)
        {
            var (from, to, sum) = (0L, 0L, 0L);
            foreach (var (key, rows) in keys)
            {
                // All rows of one key go together.
                if (sum >= AtOnce && key != to)
                {
                    slices.Add((new ForgetPast(what, record, until, from, to), sum));
                    sum = 0;
                }

                (from, to, sum) = (sum == 0 ? key : from, key, sum + rows);
            }

            if (sum > 0)
            {
                slices.Add((new ForgetPast(what, record, until, from, to), sum));
            }
        }
    }
}
