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
