using System.Runtime.InteropServices;
using System.Runtime.Intrinsics;
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
internal sealed class CodedColumn : Column
{
    /// <summary>Of more codes than this, looking each up is quicker than comparing with all.</summary>
    private const int MostCompared = 12;

    private readonly ValueTable _table = new();
    private byte[]? _narrow = [];
    private int[] _wide = [];

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
            _narrow = Room(_narrow, row);
            _narrow[row] = (byte)code;
        }
        else
        {
            _wide = Room(_wide, row);
            _wide[row] = code;
        }
    }

    public override RowTest Compile(ConditionNode condition) => new CodeTest(_table, condition, CodeAt);

    public override void Test(ConditionNode condition, int rows, Bitmap isTrue, Bitmap notKnown)
    {
        var answers = _table.Answers(condition);
        if (_narrow is not null)
        {
            _narrow = Room(_narrow, Math.Max(0, rows - 1));
            Mark(_narrow, Codes(Truth.True), rows, isTrue.Words);
            Mark(_narrow, Codes(Truth.NotKnown), rows, notKnown.Words);
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

        byte[] Codes(Truth truth) => [.. Enumerable.Range(0, answers.Length).Where(code => answers[code] == truth).Select(code => (byte)code)];
    }

    private int CodeAt(int row) => _narrow is { } narrow ? row < narrow.Length ? narrow[row] : ValueTable.NotKnown : row < _wide.Length ? _wide[row] : ValueTable.NotKnown;

    // Always a whole number of words, so that blocks of 64 rows can be read without looking at the end.
    private static T[] Room<T>(T[] array, int row)
    {
        if (row >= array.Length)
        {
            Array.Resize(ref array, (Math.Max(row + 1, array.Length * 2) + 63) & ~63);
        }

        return array;
    }

    private static void Mark(byte[] codes, byte[] wanted, int rows, ulong[] words)
    {
        if (wanted.Length == 0)
        {
            Array.Clear(words, 0, (rows + 63) >> 6);
            return;
        }

        var among = new bool[256];
        foreach (var code in wanted)
        {
            among[code] = true;
        }

        for (var start = 0; start < rows; start += 64)
        {
            ulong word = 0;
            if (wanted.Length <= MostCompared && Vector256.IsHardwareAccelerated)
            {
                var low = Vector256.Create(codes, start);
                var high = Vector256.Create(codes, start + 32);
                Vector256<byte> inLow = default, inHigh = default;
                foreach (var code in wanted)
                {
                    var each = Vector256.Create(code);
                    inLow |= Vector256.Equals(low, each);
                    inHigh |= Vector256.Equals(high, each);
                }

                word = inLow.ExtractMostSignificantBits() | ((ulong)inHigh.ExtractMostSignificantBits() << 32);
            }
            else
            {
                for (var bit = 0; bit < 64; bit++)
                {
                    word |= (among[codes[start + bit]] ? 1UL : 0) << bit;
                }
            }

            words[start >> 6] = rows - start >= 64 ? word : word & ((1UL << (rows - start)) - 1);
        }
    }
}

/// <summary>Numbers, amounts, lengths of time and days: one number a row, not-a-number where it is not known.</summary>
internal sealed class NumberColumn(FactType type) : Column
{
    private double[] _numbers = [];

    public override FactLookup Get(int row) =>
        row >= _numbers.Length || double.IsNaN(_numbers[row])
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
        Room(row);
        _numbers[row] = value.Value?.Number ?? double.NaN;
    }

    public override RowTest Compile(ConditionNode condition) => new NumberTest(condition, row => row < _numbers.Length ? _numbers[row] : double.NaN);

    public override void Test(ConditionNode condition, int rows, Bitmap isTrue, Bitmap notKnown)
    {
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
/// The installed version of one app, kept only for the rows that have it (sorted by row), because most devices lack most apps. A row without an entry is
/// "absent" where its inventory is complete and "not known" where not.
/// </summary>
internal sealed class AppColumn(Bitmap complete) : Column
{
    private readonly ValueTable _table = new();
    private int[] _rows = [];
    private int[] _codes = [];
    private int _count;
    private int _askedRow = -1;
    private int _askedCode;

    public override FactLookup Get(int row)
    {
        var at = Array.BinarySearch(_rows, 0, _count, row);
        return at >= 0 ? _table[_codes[at]] : complete[row] ? FactLookup.Absent : FactLookup.NotKnown;
    }

    public override void Set(int row, FactLookup value)
    {
        Forget();
        var at = _count == 0 || _rows[_count - 1] < row ? ~_count : Array.BinarySearch(_rows, 0, _count, row);
        if (value.Value is null)
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

        _codes[at] = _table.CodeOf(value);
    }

    public override RowTest Compile(ConditionNode condition) => new CodeTest(_table, condition, CodeAt);

    public override void Test(ConditionNode condition, int rows, Bitmap isTrue, Bitmap notKnown)
    {
        var answers = _table.Answers(condition);
        var whenAbsent = answers[ValueTable.Absent];
        var whenNotKnown = answers[ValueTable.NotKnown];
        for (var word = 0; word < isTrue.Words.Length; word++)
        {
            var all = (word + 1) * 64 <= rows ? ulong.MaxValue : (1UL << (rows & 63)) - 1;
            var known = word < complete.Words.Length ? complete.Words[word] & all : 0;
            var open = all & ~known;
            isTrue.Words[word] = (whenAbsent == Truth.True ? known : 0) | (whenNotKnown == Truth.True ? open : 0);
            notKnown.Words[word] = (whenAbsent == Truth.NotKnown ? known : 0) | (whenNotKnown == Truth.NotKnown ? open : 0);
        }

        ulong[] yes = isTrue.Words, unsure = notKnown.Words;
        var holds = Array.ConvertAll(answers, answer => answer == Truth.True ? 1UL : 0);
        for (var i = 0; i < _count && _rows[i] < rows; i++)
        {
            // An installed version is known: the row's bits of the default are taken away, and its own answer is put there.
            var (word, shift) = (_rows[i] >> 6, _rows[i]);
            yes[word] = (yes[word] & ~(1UL << shift)) | (holds[_codes[i]] << shift);
            if (unsure[word] != 0)
            {
                unsure[word] &= ~(1UL << shift);
            }
        }
    }

    // The rules that speak of one app ask for the same row one after the other.
    private int CodeAt(int row)
    {
        if (_askedRow != row)
        {
            var at = Array.BinarySearch(_rows, 0, _count, row);
            (_askedRow, _askedCode) = (row, at >= 0 ? _codes[at] : complete[row] ? ValueTable.Absent : ValueTable.NotKnown);
        }

        return _askedCode;
    }

    /// <summary>What was looked up last may not hold any more.</summary>
    public void Forget() => _askedRow = -1;
}
