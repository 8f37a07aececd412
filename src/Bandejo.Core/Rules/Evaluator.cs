using Bandejo.Core.Versions;

namespace Bandejo.Core.Rules;

/// <summary>The answer of a rule for a device.</summary>
public enum Truth
{
    False,
    True,

    /// <summary>Not known yet: a fact that decides is missing. Never counts as false.</summary>
    NotKnown,
}

/// <summary>An answer with the conditions that decided it.</summary>
/// <param name="Truth">The answer.</param>
/// <param name="Conditions">Each deciding condition with what the device has.</param>
public sealed record Verdict(Truth Truth, IReadOnlyList<DecidedBy> Conditions)
{
    /// <summary>The conditions as one line.</summary>
    public string Why => string.Join("; ", Conditions);
}

/// <summary>A condition that decided.</summary>
/// <param name="Condition">As it is written, such as <c>memory >= 4 GiB</c>.</param>
/// <param name="Has">What the device has of it, such as <c>has 2 GiB</c>; empty where that is not asked.</param>
public sealed record DecidedBy(string Condition, string Has)
{
    public override string ToString() => Has.Length == 0 ? Condition : $"{Condition} ({Has})";
}

/// <summary>What the conditions of a rule answer for one device.</summary>
internal interface IConditionAnswers
{
    Truth Of(ConditionNode condition);
}

/// <summary>Answers from what is known of the device.</summary>
internal readonly struct AnswersOf(IFactSource facts) : IConditionAnswers
{
    public Truth Of(ConditionNode condition) => Evaluator.Test(condition, facts.Find(condition.Fact));
}

/// <summary>
/// Evaluates a rule for one device in three-valued logic (Kleene): <c>and</c> is false as soon as one part is false, <c>or</c> is true as soon as one part
/// is true, otherwise what is not known decides.
/// </summary>
internal static class Evaluator
{
    public static Verdict Evaluate(RuleNode node, IFactSource facts)
    {
        switch (node)
        {
            case ConstantNode constant:
                return new Verdict(constant.Value ? Truth.True : Truth.False, []);
            case UnreadableNode unreadable:
                return new Verdict(Truth.NotKnown, [new DecidedBy(unreadable.Why, "")]);
            case NotNode not:
                var inner = Evaluate(not.Part, facts);
                return inner with { Truth = Opposite(inner.Truth) };
            case JoinedNode joined:
                var parts = joined.Parts.Select(part => Evaluate(part, facts)).ToList();
                var truth = parts.Aggregate(Nothing(joined.IsAnd), (all, part) => Join(joined.IsAnd, all, part.Truth));
                return new Verdict(truth, [.. parts.Where(part => part.Truth == truth).SelectMany(part => part.Conditions)]);
            case ConditionNode condition:
                var lookup = facts.Find(condition.Fact);
                return new Verdict(Test(condition, lookup), [Of(condition, lookup)]);
            default:
                throw new InvalidOperationException($"No meaning for {node.GetType().Name}.");
        }
    }

    /// <summary>The answer alone, for whoever holds a device against many rules.</summary>
    /// <param name="node">The rule, or a part of it.</param>
    /// <param name="answers">What its conditions answer; each is asked once at most, and none that decides nothing any more.</param>
    public static Truth Test<TAnswers>(RuleNode node, TAnswers answers)
        where TAnswers : IConditionAnswers
    {
        switch (node)
        {
            case ConstantNode constant:
                return constant.Value ? Truth.True : Truth.False;
            case UnreadableNode:
                return Truth.NotKnown;
            case NotNode not:
                return Opposite(Test(not.Part, answers));
            case JoinedNode joined:
                var answer = Nothing(joined.IsAnd);
                for (var part = 0; part < joined.Parts.Count && answer != Nothing(!joined.IsAnd); part++)
                {
                    answer = Join(joined.IsAnd, answer, Test(joined.Parts[part], answers));
                }

                return answer;
            case ConditionNode condition:
                return answers.Of(condition);
            default:
                throw new InvalidOperationException($"No meaning for {node.GetType().Name}.");
        }
    }

    public static Truth Opposite(Truth truth) => truth switch { Truth.True => Truth.False, Truth.False => Truth.True, _ => Truth.NotKnown };

    /// <summary>The answer of one condition for what a device says of its fact.</summary>
    public static Truth Test(ConditionNode condition, FactLookup lookup)
    {
        if (condition.Comparison == Comparison.IsKnown)
        {
            return lookup.IsKnown ? Truth.True : Truth.False;
        }

        if (!lookup.IsKnown)
        {
            return Truth.NotKnown;
        }

        var holds = condition.Comparison switch
        {
            Comparison.IsPresent => !lookup.IsAbsent,
            Comparison.IsAbsent => lookup.IsAbsent,
            Comparison.IsNot or Comparison.NotIn or Comparison.NotLike => lookup.IsAbsent || !Matches(condition, lookup.Value!),
            _ => !lookup.IsAbsent && Matches(condition, lookup.Value!),
        };
        return holds ? Truth.True : Truth.False;
    }

    /// <summary>Whether a value fits the condition, the <c>not</c> of <c>is not</c>, <c>not in</c> and <c>not like</c> left aside.</summary>
    private static bool Matches(ConditionNode condition, FactValue value)
    {
        if (condition.Type == FactType.Set)
        {
            return value.Members.Contains(condition.Values[0].Text, StringComparer.OrdinalIgnoreCase);
        }

        switch (condition.Comparison)
        {
            case Comparison.Is or Comparison.IsNot or Comparison.In or Comparison.NotIn:
                return condition.Values.Any(wanted => Compare(value, wanted) == 0);
            case Comparison.Like or Comparison.NotLike:
                return Like(value.Text, condition.Values[0].Text);
            default:
                var order = Compare(value, condition.Values[0]);
                return condition.Comparison switch
                {
                    Comparison.Less => order < 0,
                    Comparison.AtMost => order <= 0,
                    Comparison.More => order > 0,
                    _ => order >= 0,
                };
        }
    }

    /// <summary><c>*</c> stands for any characters, <c>?</c> for one; case does not matter. Linear in both lengths but for one step back per star.</summary>
    internal static bool Like(string text, string pattern)
    {
        int t = 0, p = 0, star = -1, mark = 0;
        while (t < text.Length)
        {
            if (p < pattern.Length && pattern[p] == '*')
            {
                star = p++;
                mark = t;
            }
            else if (p < pattern.Length && (pattern[p] == '?' || char.ToLowerInvariant(pattern[p]) == char.ToLowerInvariant(text[t])))
            {
                p++;
                t++;
            }
            else if (star >= 0)
            {
                p = star + 1;
                t = ++mark;
            }
            else
            {
                return false;
            }
        }

        while (p < pattern.Length && pattern[p] == '*')
        {
            p++;
        }

        return p == pattern.Length;
    }

    /// <summary>What nothing at all answers, joined: it changes no answer that comes to it.</summary>
    private static Truth Nothing(bool isAnd) => isAnd ? Truth.True : Truth.False;

    private static Truth Join(bool isAnd, Truth one, Truth other) =>
        one == Nothing(!isAnd) || other == Nothing(!isAnd) ? Nothing(!isAnd)
            : one == Truth.NotKnown || other == Truth.NotKnown ? Truth.NotKnown
            : Nothing(isAnd);

    private static int Compare(FactValue value, FactValue wanted) => value.Type switch
    {
        FactType.Text => string.Compare(value.Text, wanted.Text, StringComparison.OrdinalIgnoreCase),
        FactType.Version => value.Version!.CompareTo(wanted.Version),
        _ => value.Number.CompareTo(wanted.Number),
    };

    private static DecidedBy Of(ConditionNode condition, FactLookup lookup) =>
        new(Printer.Print(condition), lookup.Value is { } value ? $"has {value}" : lookup.IsAbsent ? "has none" : "not reported yet");
}
