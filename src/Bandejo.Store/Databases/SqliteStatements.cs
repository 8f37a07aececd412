using Microsoft.Data.Sqlite;
using SQLitePCL;

namespace Bandejo.Store.Databases;

/// <summary>
/// Statements carried out through SQLite's own interface: the way through commands and readers is the larger part of the work.
/// </summary>
internal sealed class SqliteStatements(SqliteConnection connection) : Statements
{
    private readonly Dictionary<string, sqlite3_stmt> _statements = new(StringComparer.Ordinal);
    private readonly Dictionary<string, string> _insertions = new(StringComparer.Ordinal);

    public override void Run(string sql, params ReadOnlySpan<object?> values)
    {
        var statement = Bound(sql, values);
        var result = raw.sqlite3_step(statement);
        raw.sqlite3_reset(statement);
        Check(result is raw.SQLITE_DONE or raw.SQLITE_ROW ? raw.SQLITE_OK : result);
    }

    public override T? First<T>(string sql, Func<Row, T> read, params ReadOnlySpan<object?> values)
        where T : default
    {
        var statement = Bound(sql, values);
        var result = raw.sqlite3_step(statement);
        try
        {
            Check(result is raw.SQLITE_DONE or raw.SQLITE_ROW ? raw.SQLITE_OK : result);
            return result == raw.SQLITE_ROW ? read(new StatementRow(statement)) : default;
        }
        finally
        {
            raw.sqlite3_reset(statement);
        }
    }

    public override IReadOnlyList<T> All<T>(string sql, Func<Row, T> read, params ReadOnlySpan<object?> values)
    {
        var (statement, rows) = (Bound(sql, values), new List<T>());
        try
        {
            int result;
            while ((result = raw.sqlite3_step(statement)) == raw.SQLITE_ROW)
            {
                rows.Add(read(new StatementRow(statement)));
            }

            Check(result == raw.SQLITE_DONE ? raw.SQLITE_OK : result);
            return rows;
        }
        finally
        {
            raw.sqlite3_reset(statement);
        }
    }

    public override void Add(string table, params ReadOnlySpan<object?> values)
    {
        if (!_insertions.TryGetValue(table, out var sql))
        {
            sql = _insertions[table] = $"INSERT INTO {table} VALUES ({string.Join(", ", Enumerable.Range(1, values.Length).Select(at => $"${at}"))})";
        }

        Run(sql, values);
    }

    public override void Flush()
    {
    }

    public override void Dispose()
    {
        foreach (var statement in _statements.Values)
        {
            statement.Dispose();
        }
    }

    private sqlite3_stmt Bound(string sql, ReadOnlySpan<object?> values)
    {
        if (!_statements.TryGetValue(sql, out var statement))
        {
            Check(raw.sqlite3_prepare_v2(connection.Handle, sql, out statement));
            _statements[sql] = statement;
        }

        for (var i = 0; i < values.Length; i++)
        {
            Check(values[i] switch
            {
                null => raw.sqlite3_bind_null(statement, i + 1),
                long number => raw.sqlite3_bind_int64(statement, i + 1, number),
                string text => raw.sqlite3_bind_text(statement, i + 1, Keepable(text)),
                Utf8Text text => raw.sqlite3_bind_text(statement, i + 1, text.Bytes),
                byte[] bytes => raw.sqlite3_bind_blob(statement, i + 1, bytes),
                var other => throw new InvalidOperationException($"A statement cannot hold {other.GetType().Name}."),
            });
        }

        return statement;
    }

    private void Check(int result)
    {
        if (result != raw.SQLITE_OK)
        {
            throw new SqliteException($"SQLite Error {result}: '{raw.sqlite3_errmsg(connection.Handle).utf8_to_string()}'.", result);
        }
    }

    private sealed class StatementRow(sqlite3_stmt statement) : Row
    {
        public override long Number(int column) => raw.sqlite3_column_int64(statement, column);

        public override byte[] Bytes(int column) => raw.sqlite3_column_blob(statement, column).ToArray();

        public override string Text(int column) => raw.sqlite3_column_text(statement, column).utf8_to_string();
    }
}
