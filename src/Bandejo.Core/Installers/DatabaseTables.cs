using System.Text;

namespace Bandejo.Core.Installers;

/// <summary>
/// The tables of a Windows Installer database: streams of a compound file whose names are packed two characters to one, strings in a pool of their own,
/// rows by column. The form is that of the operating system's own interface as the open implementation of Wine documents it.
/// </summary>
internal sealed class DatabaseTables
{
    private const string Alphabet = "0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz._";
    private const int IsString = 0x0800;
    private const int IsNullable = 0x1000;
    private const int IsKey = 0x2000;
    private const int IsValid = 0x0100;
    private const int MaxRows = 1_000_000;

    private readonly CompoundFile _file;
    private readonly string[] _pool;
    private readonly int _referenceSize;
    private readonly Dictionary<string, string> _streams = new(StringComparer.Ordinal);
    private readonly Dictionary<string, List<(string Name, int Type)>> _columns = new(StringComparer.Ordinal);

    /// <param name="columnsOf">The database whose tables are changed, where this is a transform: it does not repeat what their columns are.</param>
    public DatabaseTables(CompoundFile file, DatabaseTables? columnsOf = null)
    {
        _file = file;
        foreach (var name in file.Streams.Keys)
        {
            _streams.TryAdd(Unpacked(name), name);
        }

        (_pool, _referenceSize) = ReadPool();
        if (columnsOf is not null)
        {
            _columns = columnsOf._columns;
            return;
        }

        var columns = Rows(
            [("Table", IsValid | IsString | IsKey | 64), ("Number", IsValid | IsKey | 2), ("Name", IsValid | IsString | 64), ("Type", IsValid | 2)],
            Table("_Columns"));
        foreach (var column in columns.OrderBy(row => Number(row[1])))
        {
            if (!_columns.TryGetValue(column[0] as string ?? "", out var list))
            {
                _columns[column[0] as string ?? ""] = list = [];
            }

            list.Add((column[2] as string ?? "", Number(column[3])));
        }
    }

    /// <summary>The streams that are not tables, by their names: <c>Binary.</c> before those of that table.</summary>
    public IEnumerable<(string Name, string Stream, long Size)> Others =>
        _streams.Where(each => !each.Key.StartsWith('!')).Select(each => (each.Key, each.Value, _file.Streams[each.Value].Size));

    public bool Has(string table) => _streams.ContainsKey("!" + table);

    /// <summary>The names of the tables that there is a stream for.</summary>
    public IEnumerable<string> Names => _streams.Keys.Where(name => name.StartsWith('!')).Select(name => name[1..]).Where(name => !name.StartsWith('_'));

    /// <summary>The first bytes of a stream.</summary>
    public byte[] Head(string stream, int most) => _file.Head(stream, most);

    /// <summary>The rows of a table, by the names of its columns; null for nothing. Empty where there is no such table.</summary>
    public IReadOnlyList<IReadOnlyDictionary<string, object?>> Read(string table)
    {
        if (!_columns.TryGetValue(table, out var columns) || !Has(table))
        {
            return [];
        }

        return [.. Rows(columns, Table(table)).Select(row => Named(columns, row))];
    }

    /// <summary>The rows of a transform: what a table gets, loses or has changed there. Columns that stay as they are are missing.</summary>
    public IReadOnlyList<(string Change, IReadOnlyDictionary<string, object?> Row)> Changes(string table)
    {
        if (!_columns.TryGetValue(table, out var columns) || !Has(table))
        {
            return [];
        }

        var data = Table(table);
        var changes = new List<(string, IReadOnlyDictionary<string, object?>)>();
        for (var at = 0; at + 2 <= data.Length && changes.Count < MaxRows;)
        {
            _file.Budget.Entry(200);
            var mask = data[at] | (data[at + 1] << 8);
            at += 2;
            var isAdded = (mask & 1) != 0;
            var row = new Dictionary<string, object?>(StringComparer.Ordinal);
            for (var i = 0; i < columns.Count && (!isAdded || i < mask >> 8); i++)
            {
                if (isAdded || (columns[i].Type & IsKey) != 0 || (mask & (1 << i)) != 0)
                {
                    var size = SizeOf(columns[i].Type);
                    if (at + size > data.Length)
                    {
                        throw new BrokenFileException($"the changes to its table {table} are cut short");
                    }

                    row[columns[i].Name] = Value(columns[i].Type, data.AsSpan(at, size));
                    at += size;
                }
            }

            changes.Add((isAdded ? "added" : mask == 0 ? "removed" : "changed", row));
        }

        return changes;
    }

    private static Dictionary<string, object?> Named(List<(string Name, int Type)> columns, object?[] row)
    {
        var named = new Dictionary<string, object?>(StringComparer.Ordinal);
        for (var i = 0; i < row.Length; i++)
        {
            named[columns[i].Name] = row[i];
        }

        return named;
    }

    /// <summary>The name of a stream as it is meant; tables begin with <c>!</c>.</summary>
    private static string Unpacked(string name)
    {
        var text = new StringBuilder(name.Length * 2);
        foreach (var c in name)
        {
            switch (c)
            {
                case (char)0x4840:
                    text.Append('!');
                    break;
                case >= (char)0x3800 and < (char)0x4800:
                    text.Append(Alphabet[(c - 0x3800) & 0x3F]).Append(Alphabet[((c - 0x3800) >> 6) & 0x3F]);
                    break;
                case >= (char)0x4800 and < (char)0x4840:
                    text.Append(Alphabet[c - 0x4800]);
                    break;
                default:
                    text.Append(c);
                    break;
            }
        }

        return text.ToString();
    }

    private byte[] Table(string name) => _streams.TryGetValue("!" + name, out var stream) ? _file.Read(stream) : [];

    private (string[] Pool, int ReferenceSize) ReadPool()
    {
        var (pool, data) = (Table("_StringPool"), Table("_StringData"));
        if (pool.Length < 4)
        {
            throw new BrokenFileException("it has no pool of strings, so it is no installer database");
        }

        var encoding = EncodingOf(pool[0] | (pool[1] << 8) | ((pool[2] | (pool[3] << 8)) & 0x7FFF) << 16);
        var strings = new List<string> { "" };
        var at = 0L;
        for (var i = 4; i + 4 <= pool.Length; i += 4)
        {
            long length = pool[i] | (pool[i + 1] << 8);
            var references = pool[i + 2] | (pool[i + 3] << 8);
            if (length == 0 && references != 0 && i + 8 <= pool.Length)
            {
                // Longer than 64 KiB: this entry holds the upper half of the length.
                i += 4;
                length = ((long)references << 16) | (uint)(pool[i] | (pool[i + 1] << 8));
            }

            if (length > data.Length - at)
            {
                throw new BrokenFileException("its pool of strings is longer than their text");
            }

            _file.Budget.Entry((int)Math.Min(int.MaxValue, 40 + (2 * length)));
            strings.Add(encoding.GetString(data, (int)at, (int)length));
            at += length;
        }

        return ([.. strings], (pool[3] & 0x80) != 0 ? 3 : 2);
    }

    /// <summary>The encoding of a code page; Latin 1 where it is not known here.</summary>
    public static Encoding EncodingOf(int page)
    {
        try
        {
            return page is 0 or 1252
                ? CodePagesEncodingProvider.Instance.GetEncoding(1252)!
                : CodePagesEncodingProvider.Instance.GetEncoding(page) ?? Encoding.GetEncoding(page);
        }
        catch (Exception error) when (error is ArgumentException or NotSupportedException)
        {
            return Encoding.Latin1;
        }
    }

    private IEnumerable<object?[]> Rows(List<(string Name, int Type)> columns, byte[] data)
    {
        var rowSize = columns.Sum(column => SizeOf(column.Type));
        var rows = rowSize == 0 ? 0 : data.Length / rowSize;
        if (rows > MaxRows)
        {
            throw new BrokenFileException($"a table in it would have {rows:N0} rows");
        }

        for (var row = 0; row < rows; row++)
        {
            // The values, and what holds them by name.
            _file.Budget.Entry(100 + (80 * columns.Count));
            var values = new object?[columns.Count];
            var at = 0;
            for (var i = 0; i < columns.Count; i++)
            {
                var size = SizeOf(columns[i].Type);
                values[i] = Value(columns[i].Type, data.AsSpan(at + (row * size), size));
                at += size * rows;
            }

            yield return values;
        }
    }

    private object? Value(int type, ReadOnlySpan<byte> bytes)
    {
        var number = 0L;
        for (var i = bytes.Length - 1; i >= 0; i--)
        {
            number = (number << 8) | bytes[i];
        }

        if (IsBinary(type) || (type & IsString) == 0)
        {
            return number == 0 ? null : bytes.Length == 2 ? (int)(number - 0x8000) : (object)(int)(number - 0x80000000L);
        }

        return number == 0 ? null
            : number < _pool.Length ? _pool[(int)number]
            : throw new BrokenFileException("a table in it names a string that is not in its pool");
    }

    private int SizeOf(int type) => IsBinary(type) ? 2 : (type & IsString) != 0 ? _referenceSize : (type & 0xFF) <= 2 ? 2 : 4;

    private static bool IsBinary(int type) => (type & ~(IsNullable | IsKey) & 0xFFFF) == (IsString | IsValid);

    private static int Number(object? value) => value is int number ? number : 0;
}
