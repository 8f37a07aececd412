using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;
using System.Runtime.Intrinsics;
using System.Runtime.Intrinsics.X86;
using Bandejo.Core.Rules;

namespace Bandejo.Core.Fleet;

/// <summary>The values of one fact for all rows, and what a condition says of them.</summary>
internal abstract class Column
{
    public abstract FactLookup Get(int row);

    public abstract void Set(int row, FactLookup value);

    /// <summary>The condition in a form that answers for one row at a time.</summary>
    public abstract RowTest Compile(ConditionNode condition);

    /// <summary>Marks in both sets what the condition answers for the rows below <paramref name="rows"/>.</summary>
    public abstract void Test(ConditionNode condition, int rows, Bitmap isTrue, Bitmap notKnown);
}

/// <summary>Distinct values, each with a small number. Number 0 is "not known", 1 is "absent".</summary>
internal sealed class ValueTable
{
    public const int NotKnown = 0;
    public const int Absent = 1;

    private readonly List<FactLookup> _values = [FactLookup.NotKnown, FactLookup.Absent];
    private readonly Dictionary<FactValue, int> _codes = [];

    public FactLookup this[int code] => _values[code];

    public int CodeOf(FactLookup lookup)
    {
        if (lookup.Value is null)
        {
            return lookup.IsAbsent ? Absent : NotKnown;
        }

        ref var code = ref CollectionsMarshal.GetValueRefOrAddDefault(_codes, lookup.Value, out var isThere);
        if (!isThere)
        {
            code = _values.Count;
            _values.Add(lookup);
        }

        return code;
    }

    public int Count => _values.Count;

    /// <summary>The condition's answer for every distinct value, so that rows cost one look-up each.</summary>
    public Truth[] Answers(ConditionNode condition)
    {
        var answers = new Truth[_values.Count];
        for (var code = 0; code < answers.Length; code++)
        {
            answers[code] = Evaluator.Test(condition, _values[code]);
        }

        return answers;
    }
}

/// <summary>Texts, versions, sets, yes and no: one small number a row, a byte as long as there are no more than 256 different ones.</summary>
/// <remarks>Loops over a whole fleet run too seldom to be compiled anew once they turn out to be busy, so they are compiled well at once.</remarks>
internal sealed class CodedColumn : Column
{
    /// <summary>Of more codes than this, looking each up is quicker than comparing with all.</summary>
    private const int MostCompared = 12;

    private readonly ValueTable _table = new();
    private byte[]? _narrow = [];
    private int[] _wide = [];

    /// <summary>There are no more than 256 different values.</summary>
    public bool IsNarrow => _narrow is not null;

    /// <summary>One more than the highest row that has a place here.</summary>
    public int Room => _narrow?.Length ?? _wide.Length;

    public override FactLookup Get(int row) => _table[CodeAt(row)];

    public override void Set(int row, FactLookup value)
    {
        var code = _table.CodeOf(value);
        if (_narrow is not null && code > byte.MaxValue)
        {
            _wide = Array.ConvertAll(_narrow, each => (int)each);
            _narrow = null;
        }

        if (_narrow is not null)
        {
            _narrow = Grown(_narrow, row);
            _narrow[row] = (byte)code;
        }
        else
        {
            _wide = Grown(_wide, row);
            _wide[row] = code;
        }
    }

    public override RowTest Compile(ConditionNode condition) => new CodeTest(_table, condition, CodeAt);

    public override void Test(ConditionNode condition, int rows, Bitmap isTrue, Bitmap notKnown)
    {
        var answers = _table.Answers(condition);
        if (_narrow is not null)
        {
            _narrow = Grown(_narrow, Math.Max(0, rows - 1));
            Mark(_narrow, answers, rows, isTrue.Words, notKnown.Words);
            return;
        }

        for (var start = 0; start < rows; start += 64)
        {
            ulong yes = 0, open = 0;
            var end = Math.Min(64, rows - start);
            for (var bit = 0; bit < end; bit++)
            {
                var answer = answers[CodeAt(start + bit)];
                yes |= (answer == Truth.True ? 1UL : 0) << bit;
                open |= (answer == Truth.NotKnown ? 1UL : 0) << bit;
            }

            isTrue.Words[start >> 6] = yes;
            notKnown.Words[start >> 6] = open;
        }
    }

    private int CodeAt(int row) => _narrow is { } narrow ? row < narrow.Length ? narrow[row] : ValueTable.NotKnown : row < _wide.Length ? _wide[row] : ValueTable.NotKnown;

    // Always a whole number of words, so that blocks of 64 rows can be read without looking at the end.
    internal static T[] Grown<T>(T[] array, int row)
    {
        if (row >= array.Length)
        {
            Array.Resize(ref array, (Math.Max(row + 1, array.Length * 2) + 63) & ~63);
        }

        return array;
    }

    /// <summary>Marks in both sets what the answers say of each row's code.</summary>
    [MethodImpl(MethodImplOptions.AggressiveOptimization)]
    internal static void Mark(byte[] codes, Truth[] answers, int rows, ulong[] yes, ulong[] open)
    {
        if (answers.Length <= Vector128<byte>.Count)
        {
            MarkFew(codes, answers, rows, yes, open);
            return;
        }

        var (isTrue, notKnown) = (Codes(answers, Truth.True), Codes(answers, Truth.NotKnown));
        var isCompared = isTrue.Length <= MostCompared && notKnown.Length <= MostCompared && Vector256.IsHardwareAccelerated;
        for (var start = 0; start < rows; start += 64)
        {
            ulong inTrue = 0, inOpen = 0;
            if (isCompared)
            {
                var low = Vector256.Create(codes, start);
                var high = Vector256.Create(codes, start + 32);
                inTrue = Among(low, high, isTrue);
                inOpen = Among(low, high, notKnown);
            }
            else
            {
                for (var bit = 0; bit < 64; bit++)
                {
                    // A block of the last rows may hold codes of no row; they are below the count of codes all the same.
                    var answer = answers[codes[start + bit]];
                    inTrue |= (answer == Truth.True ? 1UL : 0) << bit;
                    inOpen |= (answer == Truth.NotKnown ? 1UL : 0) << bit;
                }
            }

            var all = rows - start >= 64 ? ulong.MaxValue : (1UL << (rows - start)) - 1;
            yes[start >> 6] = inTrue & all;
            open[start >> 6] = inOpen & all;
        }
    }

    // Sixteen codes fit a vector: one instruction looks up the answers of sixteen rows. The highest bit says true, the one below it not known.
    [MethodImpl(MethodImplOptions.AggressiveOptimization)]
    private static void MarkFew(byte[] codes, Truth[] answers, int rows, ulong[] yes, ulong[] open)
    {
        const byte IsTrue = 0x80, NotKnown = 0x40;
        Span<byte> each = stackalloc byte[Vector128<byte>.Count];
        each.Clear();
        for (var code = 0; code < answers.Length; code++)
        {
            each[code] = answers[code] switch { Truth.True => IsTrue, Truth.NotKnown => NotKnown, _ => 0 };
        }

        var table = Vector128.Create<byte>(each);
        var tables = Vector256.Create(table, table);
        for (var start = 0; start < rows; start += 64)
        {
            ulong inTrue = 0, inOpen = 0;
            if (Avx2.IsSupported)
            {
                var low = Avx2.Shuffle(tables, Vector256.Create(codes, start));
                var high = Avx2.Shuffle(tables, Vector256.Create(codes, start + 32));
                inTrue = low.ExtractMostSignificantBits() | ((ulong)high.ExtractMostSignificantBits() << 32);
                inOpen = (low + low).ExtractMostSignificantBits() | ((ulong)(high + high).ExtractMostSignificantBits() << 32);
            }
            else
            {
                for (var at = 0; at < 64; at += Vector128<byte>.Count)
                {
                    var found = Vector128.ShuffleNative(table, Vector128.Create(codes, start + at));
                    inTrue |= (ulong)found.ExtractMostSignificantBits() << at;
                    inOpen |= (ulong)(found + found).ExtractMostSignificantBits() << at;
                }
            }

            var all = rows - start >= 64 ? ulong.MaxValue : (1UL << (rows - start)) - 1;
            yes[start >> 6] = inTrue & all;
            open[start >> 6] = inOpen & all;
        }
    }

    private static ulong Among(Vector256<byte> low, Vector256<byte> high, byte[] wanted)
    {
        Vector256<byte> inLow = default, inHigh = default;
        foreach (var code in wanted)
        {
            var each = Vector256.Create(code);
            inLow |= Vector256.Equals(low, each);
            inHigh |= Vector256.Equals(high, each);
        }

        return inLow.ExtractMostSignificantBits() | ((ulong)inHigh.ExtractMostSignificantBits() << 32);
    }

    private static byte[] Codes(Truth[] answers, Truth truth) => [.. Enumerable.Range(0, answers.Length).Where(code => answers[code] == truth).Select(code => (byte)code)];
}

/// <summary>
/// Numbers, amounts, lengths of time and days. Most facts of this kind have few different values in a fleet (memory, processors): as long as they have, they
/// are kept by code, an eighth of the room to pass over; after that one number a row, not-a-number where it is not known.
/// </summary>
internal sealed class NumberColumn(FactType type) : Column
{
    private CodedColumn? _few = new();
    private double[] _numbers = [];

    public override FactLookup Get(int row) =>
        _few is not null ? _few.Get(row)
            : row >= _numbers.Length || double.IsNaN(_numbers[row])
            ? FactLookup.NotKnown
            : FactLookup.Of(type switch
            {
                FactType.Number => FactValue.OfNumber(_numbers[row]),
                FactType.Size => FactValue.OfSize(_numbers[row]),
                FactType.Duration => FactValue.OfDuration(TimeSpan.FromSeconds(_numbers[row])),
                _ => FactValue.OfDate(DateOnly.FromDayNumber((int)_numbers[row])),
            });

    public override void Set(int row, FactLookup value)
    {
        if (_few is { } few)
        {
            few.Set(row, value);
            if (!few.IsNarrow)
            {
                _few = null;
                Room(few.Room);
                for (var each = 0; each < few.Room; each++)
                {
                    _numbers[each] = few.Get(each).Value?.Number ?? double.NaN;
                }
            }

            return;
        }

        Room(row);
        _numbers[row] = value.Value?.Number ?? double.NaN;
    }

    public override RowTest Compile(ConditionNode condition) => new NumberTest(condition, NumberAt);

    public override void Test(ConditionNode condition, int rows, Bitmap isTrue, Bitmap notKnown)
    {
        if (_few is not null)
        {
            _few.Test(condition, rows, isTrue, notKnown);
            return;
        }

        Room(Math.Max(0, rows - 1));
        var comparison = condition.Comparison;
        var wanted = condition.Values.Select(value => value.Number).ToArray();
        var isSimple = Vector256.IsHardwareAccelerated && comparison is Comparison.Is or Comparison.IsNot or Comparison.Less or Comparison.AtMost or Comparison.More or Comparison.AtLeast;
        for (var start = 0; start < rows; start += 64)
        {
            var (yes, known) = isSimple ? Fast(comparison, start, wanted[0]) : Slow(comparison, start, wanted);
            var all = rows - start >= 64 ? ulong.MaxValue : (1UL << (rows - start)) - 1;
            isTrue.Words[start >> 6] = (comparison == Comparison.IsKnown ? known : yes & known) & all;
            notKnown.Words[start >> 6] = comparison == Comparison.IsKnown ? 0 : all & ~known;
        }
    }

    private double NumberAt(int row) =>
        _few is not null ? _few.Get(row).Value?.Number ?? double.NaN
            : row < _numbers.Length ? _numbers[row] : double.NaN;

    /// <summary>Whether a known number fits.</summary>
    internal static bool Holds(Comparison comparison, double number, double[] wanted) => comparison switch
    {
        Comparison.Is => number == wanted[0],
        Comparison.IsNot => number != wanted[0],
        Comparison.Less => number < wanted[0],
        Comparison.AtMost => number <= wanted[0],
        Comparison.More => number > wanted[0],
        Comparison.AtLeast => number >= wanted[0],
        Comparison.In => Array.IndexOf(wanted, number) >= 0,
        Comparison.NotIn => Array.IndexOf(wanted, number) < 0,
        _ => true,
    };

    // Every comparison is one of three of "more" and "equal", or the opposite of one; what is not a number is neither, and is taken out by what is known.
    private (ulong Yes, ulong Known) Fast(Comparison comparison, int start, double wanted)
    {
        ulong more = 0, equal = 0, known = 0;
        var right = Vector256.Create(wanted);
        for (var at = 0; at < 64; at += 4)
        {
            var left = Vector256.Create(_numbers, start + at);
            more |= (ulong)Vector256.GreaterThan(left, right).ExtractMostSignificantBits() << at;
            equal |= (ulong)Vector256.Equals(left, right).ExtractMostSignificantBits() << at;
            known |= (ulong)Vector256.Equals(left, left).ExtractMostSignificantBits() << at;
        }

        return (comparison switch
        {
            Comparison.Is => equal,
            Comparison.IsNot => ~equal,
            Comparison.Less => ~(more | equal),
            Comparison.AtMost => ~more,
            Comparison.More => more,
            _ => more | equal,
        }, known);
    }

    private (ulong Yes, ulong Known) Slow(Comparison comparison, int start, double[] wanted)
    {
        ulong yes = 0, known = 0;
        for (var bit = 0; bit < 64; bit++)
        {
            var number = _numbers[start + bit];
            if (!double.IsNaN(number))
            {
                known |= 1UL << bit;
                yes |= (Holds(comparison, number, wanted) ? 1UL : 0) << bit;
            }
        }

        return (yes, known);
    }

    // Always a whole number of words, so that blocks of 64 rows can be read without looking at the end.
    private void Room(int row)
    {
        if (row >= _numbers.Length)
        {
            var old = _numbers.Length;
            Array.Resize(ref _numbers, (Math.Max(row + 1, old * 2) + 63) & ~63);
            Array.Fill(_numbers, double.NaN, old, _numbers.Length - old);
        }
    }
}

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
