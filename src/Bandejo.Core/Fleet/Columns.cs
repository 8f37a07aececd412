using System.Runtime.InteropServices;
using Bandejo.Core.Rules;

namespace Bandejo.Core.Fleet;

/// <summary>The values of one fact for all rows, and what a condition says of them.</summary>
internal abstract class Column
{
    public abstract FactLookup Get(int row);

    public abstract void Set(int row, FactLookup value);

    /// <summary>The condition in a form that answers for one row at a time.</summary>
    public abstract RowTest Compile(ConditionNode condition);

    /// <summary>The condition in a form that answers for blocks of the rows below <paramref name="rows"/>; until a fact changes.</summary>
    public abstract BlockTest CompileBlocks(ConditionNode condition, int rows);

    /// <summary>An array with room for a row: always a whole number of words of 64, so that blocks can be read without looking at the end.</summary>
    protected static T[] Grown<T>(T[] array, int row)
    {
        if (row >= array.Length)
        {
            Array.Resize(ref array, (Math.Max(row + 1, array.Length * 2) + 63) & ~63);
        }

        return array;
    }
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

    public override BlockTest CompileBlocks(ConditionNode condition, int rows)
    {
        var answers = _table.Answers(condition);
        if (_narrow is not null)
        {
            return CodeBlocks.Of(_narrow = Grown(_narrow, Math.Max(0, rows - 1)), answers);
        }

        return CodeBlocks.Of(_wide = Grown(_wide, Math.Max(0, rows - 1)), answers);
    }

    private int CodeAt(int row) => _narrow is { } narrow ? row < narrow.Length ? narrow[row] : ValueTable.NotKnown : row < _wide.Length ? _wide[row] : ValueTable.NotKnown;
}
