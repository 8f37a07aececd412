namespace Bandejo.Core.Rules;

/// <summary>
/// What follows from rules alone, whatever devices there are. What it says is true; where a rule is too long or too entangled to be sure, it says nothing.
/// </summary>
public static class RuleLogic
{
    /// <summary>Into how many cases a rule is taken apart at most.</summary>
    private const int MostCases = 200;

    /// <summary>Whether no device can ever fit a rule, such as one that wants two architectures at once.</summary>
    public static bool NeverHolds(Rule rule) => Cases(rule.Root, isTrue: true) is { } cases && cases.TrueForAll(Contradicts);

    /// <summary>Whether each device that fits a rule fits one of others.</summary>
    public static bool IsCovered(Rule rule, IReadOnlyList<Rule> by) =>
        by.Count > 0 && Cases(rule.Root, isTrue: true) is { } cases
            && cases.TrueForAll(each => Contradicts(each) || by.Any(other => Follows(each, other.Root, isTrue: true)));

    /// <summary>The ways in which a node comes out as asked: in each all of its conditions do. Null where there are too many.</summary>
    private static List<List<Known>>? Cases(RuleNode node, bool isTrue)
    {
        switch (node)
        {
            case ConstantNode constant:
                return constant.Value == isTrue ? [[]] : [];
            case NotNode not:
                return Cases(not.Part, !isTrue);
            case JoinedNode joined when joined.IsAnd == isTrue:
                List<List<Known>> all = [[]];
                foreach (var part in joined.Parts)
                {
                    if (Cases(part, isTrue) is not { } cases || cases.Count * all.Count > MostCases)
                    {
                        return null;
                    }

                    all = [.. all.SelectMany(before => cases.Select(each => (List<Known>)[.. before, .. each]))];
                }

                return all;
            case JoinedNode joined:
                List<List<Known>> any = [];
                foreach (var part in joined.Parts)
                {
                    if (Cases(part, isTrue) is not { } cases || cases.Count + any.Count > MostCases)
                    {
                        return null;
                    }

                    any.AddRange(cases);
                }

                return any;
            case ConditionNode condition when !isTrue && Opposite(condition.Comparison) is { } opposite:
                return Cases(condition with { Comparison = opposite }, isTrue: true);
            case ConditionNode { Comparison: Comparison.In, Type: not FactType.Set } condition when isTrue && condition.Values.Count <= MostCases:
                return [.. condition.Values.Select(value => (List<Known>)[new Known(condition with { Comparison = Comparison.Is, Values = [value] }, true)])];
            case ConditionNode condition:
                return [[new Known(condition, isTrue)]];
            default:
                return null;
        }
    }

    /// <summary>What holds exactly where a comparison comes out as false; null where that is none alone.</summary>
    private static Comparison? Opposite(Comparison comparison) => comparison switch
    {
        Comparison.Is => Comparison.IsNot,
        Comparison.IsNot => Comparison.Is,
        Comparison.In => Comparison.NotIn,
        Comparison.NotIn => Comparison.In,
        Comparison.Like => Comparison.NotLike,
        Comparison.NotLike => Comparison.Like,
        Comparison.IsPresent => Comparison.IsAbsent,
        Comparison.IsAbsent => Comparison.IsPresent,
        _ => null,
    };

    /// <summary>Whether a node comes out as asked wherever all that is known holds.</summary>
    private static bool Follows(List<Known> known, RuleNode node, bool isTrue) => node switch
    {
        ConstantNode constant => constant.Value == isTrue,
        NotNode not => Follows(known, not.Part, !isTrue),
        JoinedNode joined =>
            joined.IsAnd == isTrue ? joined.Parts.All(part => Follows(known, part, isTrue)) : joined.Parts.Any(part => Follows(known, part, isTrue)),
        ConditionNode condition => known.Exists(each => each.Condition.Fact == condition.Fact && Follows(each, condition, isTrue)),
        _ => false,
    };

    private static bool Follows(Known known, ConditionNode condition, bool isTrue)
    {
        if (known.IsTrue == isTrue && known.Condition.Comparison == condition.Comparison && known.Condition.Values.SequenceEqual(condition.Values))
        {
            return true;
        }

        if (known.Value is { } value)
        {
            return Evaluator.Test(condition, FactLookup.Of(value)) == (isTrue ? Truth.True : Truth.False);
        }

        if (known.IsTrue && condition.Comparison == Comparison.IsKnown)
        {
            return isTrue;
        }

        // Whoever is compared and holds is there.
        if (known.IsTrue && condition.Comparison is Comparison.IsPresent or Comparison.IsAbsent
            && known.Condition.Comparison is Comparison.Less or Comparison.AtMost or Comparison.More or Comparison.AtLeast or Comparison.Like)
        {
            return isTrue == (condition.Comparison == Comparison.IsPresent);
        }

        return known.IsTrue && Bound(known.Condition) is { } bound && isTrue && condition.Comparison switch
        {
            Comparison.AtLeast => !bound.IsAbove && Compare(bound.Value, condition.Values[0]) >= 0,
            Comparison.More =>
                !bound.IsAbove && Compare(bound.Value, condition.Values[0]) is var least
                    && (least > 0 || (least == 0 && known.Condition.Comparison == Comparison.More)),
            Comparison.AtMost => bound.IsAbove && Compare(bound.Value, condition.Values[0]) <= 0,
            Comparison.Less =>
                bound.IsAbove && Compare(bound.Value, condition.Values[0]) is var most
                    && (most < 0 || (most == 0 && known.Condition.Comparison == Comparison.Less)),
            Comparison.IsNot or Comparison.NotIn =>
                condition.Values.All(value => Follows(
                    known, condition with { Comparison = bound.IsAbove ? Comparison.Less : Comparison.More, Values = [value] }, true)),
            _ => false,
        };
    }

    /// <summary>Whether no device can be all of it at once.</summary>
    private static bool Contradicts(List<Known> known) =>
        known.Exists(each => known.Exists(other => each.Condition.Fact == other.Condition.Fact && !ReferenceEquals(each, other) && (
            Follows(each, other.Condition, !other.IsTrue) || IsEmptyBetween(each, other))));

    /// <summary>Whether one asks for more than the other allows.</summary>
    private static bool IsEmptyBetween(Known low, Known high) =>
        low.IsTrue && high.IsTrue && Bound(low.Condition) is { IsAbove: false } from && Bound(high.Condition) is { IsAbove: true } to
        && Compare(from.Value, to.Value) is var order
            && (order > 0 || (order == 0 && (low.Condition.Comparison == Comparison.More || high.Condition.Comparison == Comparison.Less)));

    private static (FactValue Value, bool IsAbove)? Bound(ConditionNode condition) => condition.Comparison switch
    {
        Comparison.Less or Comparison.AtMost => (condition.Values[0], true),
        Comparison.More or Comparison.AtLeast => (condition.Values[0], false),
        _ => null,
    };

    private static int Compare(FactValue left, FactValue right) =>
        left.Type == FactType.Version ? left.Version!.CompareTo(right.Version) : left.Number.CompareTo(right.Number);

    /// <summary>A condition that is known to come out as true, or as false.</summary>
    private sealed record Known(ConditionNode Condition, bool IsTrue)
    {
        /// <summary>The one value that the fact can have then; null where there are more.</summary>
        public FactValue? Value => IsTrue && Condition.Comparison == Comparison.Is && Condition.Type != FactType.Set ? Condition.Values[0] : null;
    }
}
