using System.Runtime.InteropServices;
using Bandejo.Core.Rules;

namespace Bandejo.Core.Fleet;

/// <summary>The values of one fact for all rows, and what a condition says of them.</summary>
internal abstract class Column
{
    public abstract FactLookup Get(int row);

    public abstract void Set(int row, FactLookup value);

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

/// <summary>Texts, versions, sets, yes and no: one small number a row.</summary>
internal sealed class CodedColumn : Column
{
    private readonly ValueTable _table = new();
    private int[] _codes = [];

    public override FactLookup Get(int row) => row < _codes.Length ? _table[_codes[row]] : FactLookup.NotKnown;

    public override void Set(int row, FactLookup value)
    {
        if (row >= _codes.Length)
        {
            Array.Resize(ref _codes, Math.Max(64, Math.Max(row + 1, _codes.Length * 2)));
        }

        _codes[row] = _table.CodeOf(value);
    }

    public override void Test(ConditionNode condition, int rows, Bitmap isTrue, Bitmap notKnown)
    {
        var answers = _table.Answers(condition);
        for (var start = 0; start < rows; start += 64)
        {
            ulong yes = 0, open = 0;
            var end = Math.Min(64, rows - start);
            for (var bit = 0; bit < end; bit++)
            {
                var row = start + bit;
                var answer = answers[row < _codes.Length ? _codes[row] : ValueTable.NotKnown];
                yes |= (answer == Truth.True ? 1UL : 0) << bit;
                open |= (answer == Truth.NotKnown ? 1UL : 0) << bit;
            }

            isTrue.Words[start >> 6] = yes;
            notKnown.Words[start >> 6] = open;
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
        if (row >= _numbers.Length)
        {
            var old = _numbers.Length;
            Array.Resize(ref _numbers, Math.Max(64, Math.Max(row + 1, old * 2)));
            Array.Fill(_numbers, double.NaN, old, _numbers.Length - old);
        }

        _numbers[row] = value.Value?.Number ?? double.NaN;
    }

    public override void Test(ConditionNode condition, int rows, Bitmap isTrue, Bitmap notKnown)
    {
        var comparison = condition.Comparison;
        var wanted = condition.Values.Select(value => value.Number).ToArray();
        for (var start = 0; start < rows; start += 64)
        {
            ulong yes = 0, known = 0;
            var end = Math.Min(64, rows - start);
            for (var bit = 0; bit < end; bit++)
            {
                var number = start + bit < _numbers.Length ? _numbers[start + bit] : double.NaN;
                if (!double.IsNaN(number))
                {
                    known |= 1UL << bit;
                    yes |= (Holds(comparison, number, wanted) ? 1UL : 0) << bit;
                }
            }

            var all = end == 64 ? ulong.MaxValue : (1UL << end) - 1;
            isTrue.Words[start >> 6] = comparison == Comparison.IsKnown ? known : yes;
            notKnown.Words[start >> 6] = comparison == Comparison.IsKnown ? 0 : all & ~known;
        }
    }

    private static bool Holds(Comparison comparison, double number, double[] wanted) => comparison switch
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

    public override FactLookup Get(int row)
    {
        var at = Array.BinarySearch(_rows, 0, _count, row);
        return at >= 0 ? _table[_codes[at]] : complete[row] ? FactLookup.Absent : FactLookup.NotKnown;
    }

    public override void Set(int row, FactLookup value)
    {
        var at = _count > 0 && _rows[_count - 1] < row ? ~_count : Array.BinarySearch(_rows, 0, _count, row);
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

            Array.Copy(_rows, at, _rows, at + 1, _count - at);
            Array.Copy(_codes, at, _codes, at + 1, _count - at);
            _count++;
            _rows[at] = row;
        }

        _codes[at] = _table.CodeOf(value);
    }

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

        for (var i = 0; i < _count && _rows[i] < rows; i++)
        {
            var answer = answers[_codes[i]];
            isTrue[_rows[i]] = answer == Truth.True;
            notKnown[_rows[i]] = answer == Truth.NotKnown;
        }
    }
}
