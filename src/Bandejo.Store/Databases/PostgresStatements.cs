using Npgsql;
using NpgsqlTypes;

namespace Bandejo.Store.Databases;

/// <summary>
/// Statements carried out by a PostgreSQL server: what answers nothing is put off and sent with what comes after it, for the way there and back costs more
/// than most of them; many rows go by COPY.
/// </summary>
internal sealed class PostgresStatements(NpgsqlConnection connection) : Statements
{
    /// <summary>How many statements are put off at most.</summary>
    private const int MostPutOff = 512;

    /// <summary>From how many rows on COPY is quicker.</summary>
    private const int WorthCopying = 16;

    private readonly Dictionary<string, List<object?[]>> _rows = new(StringComparer.Ordinal);
    private NpgsqlBatch _batch = new(connection);

    public override void Run(string sql, params ReadOnlySpan<object?> values)
    {
        _batch.BatchCommands.Add(Command(sql, values));
        if (_batch.BatchCommands.Count >= MostPutOff)
        {
            Send();
        }
    }

    public override T? First<T>(string sql, Func<Row, T> read, params ReadOnlySpan<object?> values)
        where T : default
    {
        Send();
        using var command = Asking(sql, values);
        using var reader = command.ExecuteReader();
        return reader.Read() ? read(new ReaderRow(reader)) : default;
    }

    public override IReadOnlyList<T> All<T>(string sql, Func<Row, T> read, params ReadOnlySpan<object?> values)
    {
        Flush();
        using var command = Asking(sql, values);
        using var reader = command.ExecuteReader();
        var rows = new List<T>();
        while (reader.Read())
        {
            rows.Add(read(new ReaderRow(reader)));
        }

        return rows;
    }

    public override void Add(string table, params ReadOnlySpan<object?> values)
    {
        if (!_rows.TryGetValue(table, out var rows))
        {
            _rows[table] = rows = [];
        }

        rows.Add(values.ToArray());
    }

    public override void Flush()
    {
        foreach (var (table, rows) in _rows)
        {
            if (rows.Count < WorthCopying)
            {
                var sql = $"INSERT INTO {table} VALUES ({string.Join(", ", Enumerable.Range(1, rows.Count == 0 ? 0 : rows[0].Length).Select(at => $"${at}"))})";
                rows.ForEach(row => Run(sql, row));
            }
            else
            {
                Send();
                Copy(table, rows);
            }

            rows.Clear();
        }

        Send();
    }

    public override void Dispose() => _batch.Dispose();

    private void Send()
    {
        if (_batch.BatchCommands.Count == 0)
        {
            return;
        }

        using var batch = _batch;
        _batch = new NpgsqlBatch(connection);
        batch.ExecuteNonQuery();
    }

    private void Copy(string table, List<object?[]> rows)
    {
        using var copy = connection.BeginBinaryImport($"COPY {table} FROM STDIN (FORMAT binary)");
        foreach (var row in rows)
        {
            copy.StartRow();
            foreach (var value in row)
            {
                switch (value)
                {
                    case null:
                        copy.WriteNull();
                        break;
                    case long number:
                        copy.Write(number, NpgsqlDbType.Bigint);
                        break;
                    case byte[] bytes:
                        copy.Write(bytes, NpgsqlDbType.Bytea);
                        break;
                    default:
                        copy.Write(Text(value), NpgsqlDbType.Text);
                        break;
                }
            }
        }

        copy.Complete();
    }

    private NpgsqlCommand Asking(string sql, ReadOnlySpan<object?> values)
    {
        var command = new NpgsqlCommand(sql, connection);
        foreach (var value in values)
        {
            command.Parameters.Add(Parameter(value));
        }

        return command;
    }

    private static NpgsqlBatchCommand Command(string sql, ReadOnlySpan<object?> values)
    {
        var command = new NpgsqlBatchCommand(sql);
        foreach (var value in values)
        {
            command.Parameters.Add(Parameter(value));
        }

        return command;
    }

    private static NpgsqlParameter Parameter(object? value) => value switch
    {
        null => new NpgsqlParameter { Value = DBNull.Value },
        long number => new NpgsqlParameter<long> { TypedValue = number, NpgsqlDbType = NpgsqlDbType.Bigint },
        byte[] bytes => new NpgsqlParameter<byte[]> { TypedValue = bytes, NpgsqlDbType = NpgsqlDbType.Bytea },
        _ => new NpgsqlParameter<string> { TypedValue = Text(value), NpgsqlDbType = NpgsqlDbType.Text },
    };

    private static string Text(object value) => value switch
    {
        string text => Keepable(text),
        Utf8Text text => System.Text.Encoding.UTF8.GetString(text.Bytes),
        _ => throw new InvalidOperationException($"A statement cannot hold {value.GetType().Name}."),
    };

    private sealed class ReaderRow(NpgsqlDataReader reader) : Row
    {
        public override long Number(int column) => reader.IsDBNull(column) ? 0 : reader.GetInt64(column);

        public override byte[] Bytes(int column) => reader.GetFieldValue<byte[]>(column);

        public override string Text(int column) => reader.GetString(column);
    }
}
