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

    /// <summary>The condition in a form that answers for blocks of rows; until a fact changes.</summary>
    public abstract BlockTest CompileBlocks(ConditionNode condition);

    /// <summary>The column as it stands now, for readers, while this one is changed on.</summary>
    /// <param name="complete">What stands for the rows whose inventory is complete, as it is now.</param>
    public abstract Column Still(Bitmap complete);
}

/// <summary>Distinct values, each with a small number. Number 0 is "not known", 1 is "absent".</summary>
internal sealed class ValueTable
{
    public const int NotKnown = 0;
    public const int Absent = 1;

    private readonly Dictionary<FactValue, int>? _codes;

    // What was written once stays, so that one who stands still may share it up to as many as there were.
    private FactLookup[] _values;

    public ValueTable() => (_values, Count, _codes) = ([FactLookup.NotKnown, FactLookup.Absent, default, default], 2, []);

    private ValueTable(FactLookup[] values, int count) => (_values, Count) = (values, count);

    public FactLookup this[int code] => _values[code];

    public int Count { get; private set; }

    /// <summary>The table as it stands now; it takes no further values.</summary>
    public ValueTable Still() => new(_values, Count);

    public int CodeOf(FactLookup lookup)
    {
        if (lookup.Value is null)
        {
            return lookup.IsAbsent ? Absent : NotKnown;
        }

        ref var code = ref CollectionsMarshal.GetValueRefOrAddDefault(_codes!, lookup.Value, out var isThere);
        if (!isThere)
        {
            code = Count;
            if (Count == _values.Length)
            {
                Array.Resize(ref _values, Count * 2);
            }

            _values[Count++] = lookup;
        }

        return code;
    }

    /// <summary>The condition's answer for every distinct value, so that rows cost one look-up each.</summary>
    public Truth[] Answers(ConditionNode condition)
    {
        var answers = new Truth[Count];
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
    private readonly ValueTable _table;
    private Pages<byte>? _narrow;
    private Pages<int>? _wide;

    public CodedColumn() => (_table, _narrow) = (new ValueTable(), CodeBlocks.NewBytes());

    private CodedColumn(ValueTable table, Pages<byte>? narrow, Pages<int>? wide) => (_table, _narrow, _wide) = (table, narrow, wide);

    /// <summary>There are no more than 256 different values.</summary>
    public bool IsNarrow => _narrow is not null;

    /// <summary>One more than the highest row that has a place here.</summary>
    public int Room => _narrow?.Room ?? _wide!.Room;

    public override FactLookup Get(int row) => _table[CodeAt(row)];

    public override void Set(int row, FactLookup value)
    {
        var code = _table.CodeOf(value);
        if (_narrow is { } narrow && code > byte.MaxValue)
        {
            _wide = CodeBlocks.NewNumbers();
            for (var each = 0; each < narrow.Room; each++)
            {
                _wide[each] = narrow[each];
            }

            _narrow = null;
        }

        if (CodeAt(row) == code)
        {
            return;
        }

        if (_narrow is not null)
        {
            _narrow[row] = (byte)code;
        }
        else
        {
            _wide![row] = code;
        }
    }

    public override RowTest Compile(ConditionNode condition) => new CodeTest(_table, condition, CodeAt);

    public override BlockTest CompileBlocks(ConditionNode condition)
    {
        var answers = _table.Answers(condition);
        return _narrow is not null ? CodeBlocks.Of(_narrow, answers) : CodeBlocks.Of(_wide!, answers);
    }

    public override Column Still(Bitmap complete) => new CodedColumn(_table.Still(), _narrow?.Still(), _wide?.Still());

    private int CodeAt(int row) => _narrow is { } narrow ? narrow[row] : _wide![row];
}
