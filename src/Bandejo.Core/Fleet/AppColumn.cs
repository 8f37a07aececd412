using System.Numerics;
using System.Runtime.CompilerServices;
using Bandejo.Core.Rules;

namespace Bandejo.Core.Fleet;

/// <summary>
/// The installed version of one app. Most devices lack most apps, so it begins as a list of the rows that have it (sorted by row, eight bytes each); once more
/// than an eighth of all have it, a byte for every row is smaller, and quicker to pass over. A row without an entry is "absent" where its inventory is
/// complete and "not known" where not.
/// </summary>
/// <param name="complete">The rows whose inventory is complete; null for what no inventory is ever complete of.</param>
internal sealed class AppColumn(Bitmap? complete) : Column
{
    /// <summary>In the dense form: no entry. Entries have codes from 2 on.</summary>
    private const byte None = 0;

    private const int BytesOfAnEntry = 8;

    private ValueTable _table = new();
    private Pages<byte>? _dense;
    private int[] _rows = [];
    private int[] _codes = [];
    private int _count;
    private bool _isShared;
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

        if (_dense[row] != code)
        {
            _dense[row] = (byte)code;
        }
    }

    public override RowTest Compile(ConditionNode condition) => new CodeTest(_table, condition, CodeAt);

    public override BlockTest CompileBlocks(ConditionNode condition)
    {
        var answers = _table.Answers(condition);
        var whenNotKnown = answers[ValueTable.NotKnown];

        // What is installed is known, so "not known" is free to mark the rows without an entry.
        answers[None] = Truth.NotKnown;
        return new WithEntries(
            _dense is null ? new Sparse(_rows.AsMemory(0, _count), _codes, answers) : CodeBlocks.Of(_dense, answers), complete?.Words ?? [],
            answers[ValueTable.Absent], whenNotKnown);
    }

    public override Column Still(Bitmap completeThen)
    {
        _isShared = true;
        return new AppColumn(
            complete is null ? null : completeThen) { _table = _table.Still(), _dense = _dense?.Still(), _rows = _rows, _codes = _codes, _count = _count };
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
                Own();
                _count--;
                Array.Copy(_rows, at + 1, _rows, at, _count - at);
                Array.Copy(_codes, at + 1, _codes, at, _count - at);
            }

            return;
        }

        if (at >= 0 && _codes[at] == code)
        {
            return;
        }

        Own();
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

    /// <summary>Before a list is changed that somebody may be reading.</summary>
    private void Own()
    {
        if (_isShared)
        {
            (_rows, _codes, _isShared) = ((int[])_rows.Clone(), (int[])_codes.Clone(), false);
        }
    }

    private void MakeDense()
    {
        _dense = CodeBlocks.NewBytes();
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
        _rows = [.. Enumerable.Range(0, dense.Room).Where(row => dense[row] != None)];
        _codes = Array.ConvertAll(_rows, row => (int)dense[row]);
        (_count, _isShared) = (_rows.Length, false);
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
            code = dense[row];
        }
        else if (Array.BinarySearch(_rows, 0, _count, row) is >= 0 and var at)
        {
            code = _codes[at];
        }

        return code != None ? code : complete?[row] == true ? ValueTable.Absent : ValueTable.NotKnown;
    }

    /// <summary>Entries by row: true where one fits, open where there is none.</summary>
    private sealed class Sparse(ReadOnlyMemory<int> rows, int[] codes, Truth[] answers) : BlockTest
    {
        [MethodImpl(MethodImplOptions.AggressiveOptimization)]
        public override void Mark(int word, Span<ulong> yes, Span<ulong> open)
        {
            yes.Clear();
            open.Fill(ulong.MaxValue);
            var entries = rows.Span;
            var first = entries.BinarySearch(word * 64);
            for (var i = first < 0 ? ~first : first; i < entries.Length && (entries[i] >> 6) - word is var at && at < yes.Length; i++)
            {
                var bit = 1UL << entries[i];
                yes[at] |= answers[codes[i]] == Truth.True ? bit : 0;
                open[at] &= ~bit;
            }
        }
    }

    /// <summary>In place of "open" for the rows without an entry comes what the condition says of absent and of not known.</summary>
    private sealed class WithEntries(BlockTest entries, ulong[] complete, Truth whenAbsent, Truth whenNotKnown) : BlockTest
    {
        private readonly ulong _absentYes = Mask(whenAbsent == Truth.True);
        private readonly ulong _absentOpen = Mask(whenAbsent == Truth.NotKnown);
        private readonly ulong _unsureYes = Mask(whenNotKnown == Truth.True);
        private readonly ulong _unsureOpen = Mask(whenNotKnown == Truth.NotKnown);

        [MethodImpl(MethodImplOptions.AggressiveOptimization)]
        public override void Mark(int word, Span<ulong> yes, Span<ulong> open)
        {
            entries.Mark(word, yes, open);
            ReadOnlySpan<ulong> whole = word < complete.Length ? complete.AsSpan(word, Math.Min(yes.Length, complete.Length - word)) : [];
            var at = 0;
            for (; at <= whole.Length - Vector<ulong>.Count; at += Vector<ulong>.Count)
            {
                Vector<ulong> without = new(open[at..]), known = new(whole[at..]);
                var (absent, unsure) = (without & known, without & ~known);
                (new Vector<ulong>(yes[at..]) | (absent & new Vector<ulong>(_absentYes)) | (unsure & new Vector<ulong>(_unsureYes))).CopyTo(yes[at..]);
                ((absent & new Vector<ulong>(_absentOpen)) | (unsure & new Vector<ulong>(_unsureOpen))).CopyTo(open[at..]);
            }

            for (; at < yes.Length; at++)
            {
                var known = at < whole.Length ? whole[at] : 0;
                var (absent, unsure) = (open[at] & known, open[at] & ~known);
                yes[at] |= (absent & _absentYes) | (unsure & _unsureYes);
                open[at] = (absent & _absentOpen) | (unsure & _unsureOpen);
            }
        }

        private static ulong Mask(bool all) => all ? ulong.MaxValue : 0;
    }
}
