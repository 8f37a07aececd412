using Bandejo.Core.Rules;

namespace Bandejo.Core.Fleet;

/// <summary>One condition, ready to be asked for one row after the other. What it answered last it knows until a fact changes.</summary>
internal abstract class RowTest
{
    private int _row = -1;
    private long _version = -1;
    private Truth _answer;

    /// <param name="row">The row.</param>
    /// <param name="version">Changes with every fact.</param>
    public Truth At(int row, long version)
    {
        if (_row != row || _version != version)
        {
            (_row, _version, _answer) = (row, version, Ask(row));
        }

        return _answer;
    }

    protected abstract Truth Ask(int row);
}

/// <summary>A condition on a column of codes: answered once for each different value.</summary>
internal sealed class CodeTest(ValueTable table, ConditionNode condition, Func<int, int> codeAt) : RowTest
{
    private Truth[] _answers = [];

    protected override Truth Ask(int row)
    {
        var code = codeAt(row);
        if (code >= _answers.Length)
        {
            _answers = table.Answers(condition);
        }

        return _answers[code];
    }
}

/// <summary>A condition on a column of numbers.</summary>
internal sealed class NumberTest(ConditionNode condition, Func<int, double> numberAt) : RowTest
{
    private readonly double[] _wanted = [.. condition.Values.Select(value => value.Number)];

    protected override Truth Ask(int row)
    {
        var number = numberAt(row);
        var isKnown = !double.IsNaN(number);
        return condition.Comparison == Comparison.IsKnown ? isKnown ? Truth.True : Truth.False
            : !isKnown ? Truth.NotKnown
            : NumberColumn.Holds(condition.Comparison, number, _wanted) ? Truth.True : Truth.False;
    }
}

/// <summary>
/// A rule that is asked for one device again and again. Rules of the same columns share their conditions, so that a device is held against hundreds of rules
/// at the cost of the different conditions in them. The same answers as <see cref="Rule.Test"/>.
/// </summary>
public sealed class RowRule
{
    private readonly FleetColumns _columns;
    private readonly RuleNode _root;

    // By which object it is, not by what it says: to look that up would cost more than the answer.
    private readonly Dictionary<object, RowTest> _tests = new(ReferenceEqualityComparer.Instance);

    internal RowRule(FleetColumns columns, Rule rule, Func<ConditionNode, RowTest> testOf)
    {
        (_columns, _root) = (columns, rule.Root);
        foreach (var condition in rule.Conditions())
        {
            _tests[condition] = testOf(condition);
        }
    }

    /// <summary>The answer for a row.</summary>
    public Truth At(int row) => Evaluator.Test(_root, new AnswersAt(this, row));

    private readonly struct AnswersAt(RowRule rule, int row) : IConditionAnswers
    {
        public Truth Of(ConditionNode condition) => rule._tests[condition].At(row, rule._columns.Version);
    }
}
