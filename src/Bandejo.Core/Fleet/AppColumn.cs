using System.Runtime.CompilerServices;
using Bandejo.Core.Rules;

namespace Bandejo.Core.Fleet;

/// <summary>
/// The installed version of one app. Most devices lack most apps, so it begins as a list of the rows that have it (sorted by row, eight bytes each); once more
/// than an eighth of all have it, a byte for every row is smaller, and quicker to pass over. A row without an entry is "absent" where its inventory is
/// complete and "not known" where not.
/// </summary>
internal sealed class AppColumn(Bitmap complete) : Column
{
    /// <summary>In the dense form: no entry. Entries have codes from 2 on.</summary>
    private const byte None = 0;

    private const int BytesOfAnEntry = 8;

    private readonly ValueTable _table = new();
    private byte[]? _dense;
    private int[] _rows = [];
    private int[] _codes = [];
    private int _count;
    private int _askedRow = -1;
    private int _askedCode;

    public override FactLookup Get(int row) => _table[Find(row)];

    public override void Set(int row, FactLookup value)
    {
        Forget();
        var code = value.Value is null ? None : _table.CodeOf(value);
        if (_dense is not null && code > byte.MaxValue)
        {
            MakeSparse();
        }

        if (_dense is null)
        {
            SetSparse(row, code);
            return;
        }

        _dense = CodedColumn.Grown(_dense, row);
        _dense[row] = (byte)code;
    }

    public override RowTest Compile(ConditionNode condition) => new CodeTest(_table, condition, CodeAt);

    public override void Test(ConditionNode condition, int rows, Bitmap isTrue, Bitmap notKnown)
    {
        var answers = _table.Answers(condition);
        ulong[] yes = isTrue.Words, open = notKnown.Words;
        var whenNotKnown = answers[ValueTable.NotKnown];
        if (_dense is not null)
        {
            // What is installed is known, so "not known" is free to mark the rows without an entry.
            answers[None] = Truth.NotKnown;
            _dense = CodedColumn.Grown(_dense, Math.Max(0, rows - 1));
            CodedColumn.Mark(_dense, answers, rows, yes, open);
        }
        else
        {
            MarkSparse(answers, rows, yes, open);
        }

        MarkWithoutEntry(yes, open, complete.Words, answers[ValueTable.Absent], whenNotKnown);
    }

    /// <summary>What was looked up last may not hold any more.</summary>
    public void Forget() => _askedRow = -1;

    private void SetSparse(int row, int code)
    {
        var at = _count == 0 || _rows[_count - 1] < row ? ~_count : Array.BinarySearch(_rows, 0, _count, row);
        if (code == None)
        {
            if (at >= 0)
            {
                _count--;
                Array.Copy(_rows, at + 1, _rows, at, _count - at);
                Array.Copy(_codes, at + 1, _codes, at, _count - at);
            }

            return;
        }

        if (at < 0)
        {
            at = ~at;
            if (_count == _rows.Length)
            {
                Array.Resize(ref _rows, Math.Max(16, _count * 2));
                Array.Resize(ref _codes, _rows.Length);
            }

            if (at < _count)
            {
                Array.Copy(_rows, at, _rows, at + 1, _count - at);
                Array.Copy(_codes, at, _codes, at + 1, _count - at);
            }

            _count++;
            _rows[at] = row;
        }

        _codes[at] = code;
        if (_count >= 64 && _count * BytesOfAnEntry > _rows[_count - 1] && _table.Count <= byte.MaxValue + 1)
        {
            MakeDense();
        }
    }

    private void MakeDense()
    {
        _dense = CodedColumn.Grown(Array.Empty<byte>(), _rows[_count - 1]);
        for (var i = 0; i < _count; i++)
        {
            _dense[_rows[i]] = (byte)_codes[i];
        }

        (_rows, _codes, _count) = ([], [], 0);
    }

    private void MakeSparse()
    {
        var dense = _dense!;
        _dense = null;
        _rows = [.. Enumerable.Range(0, dense.Length).Where(row => dense[row] != None)];
        _codes = Array.ConvertAll(_rows, row => (int)dense[row]);
        _count = _rows.Length;
    }

    // Marks the rows whose entry fits, and as open those without one.
    [MethodImpl(MethodImplOptions.AggressiveOptimization)]
    private void MarkSparse(Truth[] answers, int rows, ulong[] yes, ulong[] open)
    {
        Array.Clear(yes);
        for (var word = 0; word < open.Length; word++)
        {
            open[word] = (word + 1) * 64 <= rows ? ulong.MaxValue : (1UL << (rows & 63)) - 1;
        }

        for (var i = 0; i < _count && _rows[i] < rows; i++)
        {
            var bit = 1UL << _rows[i];
            yes[_rows[i] >> 6] |= answers[_codes[i]] == Truth.True ? bit : 0;
            open[_rows[i] >> 6] &= ~bit;
        }
    }

    // In place of "open" for the rows without an entry comes what the condition says of absent and of not known.
    [MethodImpl(MethodImplOptions.AggressiveOptimization)]
    private static void MarkWithoutEntry(ulong[] yes, ulong[] open, ulong[] complete, Truth whenAbsent, Truth whenNotKnown)
    {
        var (absentYes, absentOpen) = (Mask(whenAbsent == Truth.True), Mask(whenAbsent == Truth.NotKnown));
        var (unsureYes, unsureOpen) = (Mask(whenNotKnown == Truth.True), Mask(whenNotKnown == Truth.NotKnown));
        for (var word = 0; word < yes.Length; word++)
        {
            var known = word < complete.Length ? complete[word] : 0;
            var (absent, unsure) = (open[word] & known, open[word] & ~known);
            yes[word] |= (absent & absentYes) | (unsure & unsureYes);
            open[word] = (absent & absentOpen) | (unsure & unsureOpen);
        }

        static ulong Mask(bool all) => all ? ulong.MaxValue : 0;
    }

    // The rules that speak of one app ask for the same row one after the other.
    private int CodeAt(int row)
    {
        if (_askedRow != row)
        {
            (_askedRow, _askedCode) = (row, Find(row));
        }

        return _askedCode;
    }

    private int Find(int row)
    {
        int code = None;
        if (_dense is { } dense)
        {
            code = row < dense.Length ? dense[row] : None;
        }
        else if (Array.BinarySearch(_rows, 0, _count, row) is >= 0 and var at)
        {
            code = _codes[at];
        }

        return code != None ? code : complete[row] ? ValueTable.Absent : ValueTable.NotKnown;
    }
}
