using Microsoft.Data.Sqlite;
using SQLitePCL;

namespace Bandejo.Store;

/// <summary>
/// Statements that stay prepared, carried out through SQLite's own interface: thousands a second make the way through commands and readers the larger part of
/// the work.
/// </summary>
internal sealed class SqliteStatements(SqliteConnection connection) : IDisposable
{
    private readonly Dictionary<string, sqlite3_stmt> _statements = new(StringComparer.Ordinal);

    /// <summary>Carries out a statement that answers nothing.</summary>
    /// <param name="values">In the order of <c>$1</c>, <c>$2</c>, …: texts, whole numbers, bytes or null.</param>
    /// <exception cref="SqliteException">It failed.</exception>
    public void Run(string sql, params ReadOnlySpan<object?> values)
    {
        var statement = Bound(sql, values);
        var result = raw.sqlite3_step(statement);
        raw.sqlite3_reset(statement);
        Check(result == raw.SQLITE_DONE ? raw.SQLITE_OK : result);
    }

    /// <summary>The first row of an answer, as it is read; the default where there is none.</summary>
    /// <inheritdoc cref="Run"/>
    public T? First<T>(string sql, Func<sqlite3_stmt, T> read, params ReadOnlySpan<object?> values)
    {
        var statement = Bound(sql, values);
        var result = raw.sqlite3_step(statement);
        try
        {
            Check(result is raw.SQLITE_DONE or raw.SQLITE_ROW ? raw.SQLITE_OK : result);
            return result == raw.SQLITE_ROW ? read(statement) : default;
        }
        finally
        {
            raw.sqlite3_reset(statement);
        }
    }

    public void Dispose()
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
                string text => raw.sqlite3_bind_text(statement, i + 1, text),
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

    /// <summary>Text that is in UTF-8 already.</summary>
    public sealed record Utf8Text(byte[] Bytes);
}
