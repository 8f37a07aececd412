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
    private readonly Node _root;

    internal RowRule(FleetColumns columns, Rule rule, Func<ConditionNode, RowTest> testOf)
    {
        _columns = columns;
        _root = Compile(rule.Root, testOf);
    }

    /// <summary>The answer for a row.</summary>
    public Truth At(int row) => _root.At(row, _columns.Version);

    private static Node Compile(RuleNode node, Func<ConditionNode, RowTest> testOf) => node switch
    {
        ConstantNode constant => new Constant(constant.Value ? Truth.True : Truth.False),
        UnreadableNode => new Constant(Truth.NotKnown),
        NotNode not => new Not(Compile(not.Part, testOf)),
        JoinedNode joined => new Joined(joined.IsAnd, [.. joined.Parts.Select(part => Compile(part, testOf))]),
        ConditionNode condition => new Condition(testOf(condition)),
        _ => throw new InvalidOperationException($"No meaning for {node.GetType().Name}."),
    };

    private abstract class Node
    {
        public abstract Truth At(int row, long version);
    }

    private sealed class Constant(Truth truth) : Node
    {
        public override Truth At(int row, long version) => truth;
    }

    private sealed class Condition(RowTest test) : Node
    {
        public override Truth At(int row, long version) => test.At(row, version);
    }

    private sealed class Not(Node part) : Node
    {
        public override Truth At(int row, long version) => Evaluator.Opposite(part.At(row, version));
    }

    private sealed class Joined(bool isAnd, Node[] parts) : Node
    {
        public override Truth At(int row, long version)
        {
            var decisive = isAnd ? Truth.False : Truth.True;
            var answer = isAnd ? Truth.True : Truth.False;
            foreach (var part in parts)
            {
                var each = part.At(row, version);
                if (each == decisive)
                {
                    return decisive;
                }

                answer = each == Truth.NotKnown ? Truth.NotKnown : answer;
            }

            return answer;
        }
    }
}
