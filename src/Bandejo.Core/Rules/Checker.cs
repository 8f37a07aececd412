using System.Globalization;
using Bandejo.Core.Versions;

namespace Bandejo.Core.Rules;

/// <summary>Gives every fact and value its type, and finds what cannot be meant.</summary>
internal sealed class Checker(string text, List<Finding> findings)
{
    public RuleNode Check(SyntaxNode node) => node switch
    {
        JoinedSyntax joined => new JoinedNode(joined.IsAnd, [.. joined.Parts.Select(Check)]),
        NotSyntax not => new NotNode(Check(not.Part)),
        ConditionSyntax condition => Condition(condition),
        _ => new ConstantNode(false),
    };

    private RuleNode Condition(ConditionSyntax condition)
    {
        var left = condition.Left;
        var isAlone = condition.Right.Count == 0 && condition.Comparison == Comparison.Is;
        if (isAlone && left.Kind == OperandKind.Word && left.Text is "yes" or "no")
        {
            return new ConstantNode(left.Text == "yes");
        }

        // "value in set-fact" is the one form whose fact stands on the right.
        if (left.Kind is OperandKind.Quoted or OperandKind.Literal && condition.Comparison is Comparison.In or Comparison.NotIn && condition.Right is [var set])
        {
            return InSet(left, condition.Comparison, set);
        }

        if (Fact(left) is not { } fact)
        {
            return new ConstantNode(false);
        }

        var type = FactCatalog.TypeOf(fact)!.Value;
        if (isAlone)
        {
            if (type != FactType.YesNo)
            {
                return Wrong(left, $"'{fact}' is {Name(type)}; say what it is compared with, such as '{fact} {Example(fact, type)}'.");
            }

            return new ConditionNode(fact, type, Comparison.Is, [FactValue.OfYesNo(true)]);
        }

        if (condition.Comparison is Comparison.IsPresent or Comparison.IsAbsent && !fact.IsApp)
        {
            return Wrong(condition, $"'is present' and 'is absent' go with an app; for '{fact}' write 'is known'.");
        }

        if (!Allowed(type, condition.Comparison))
        {
            return Wrong(
                condition, $"'{fact}' is {Name(type)} and cannot be compared with '{Printer.Word(condition.Comparison)}'. Try '{fact} {Example(fact, type)}'.");
        }

        var values = new List<FactValue>();
        foreach (var operand in condition.Right)
        {
            if (Value(fact, type, operand) is { } value)
            {
                values.Add(value);
            }
        }

        return new ConditionNode(fact, type, condition.Comparison, values);
    }

    private RuleNode InSet(OperandSyntax value, Comparison comparison, OperandSyntax set)
    {
        if (Fact(set) is not { } fact)
        {
            return new ConstantNode(false);
        }

        var type = FactCatalog.TypeOf(fact)!.Value;
        return type == FactType.Set
            ? new ConditionNode(fact, type, comparison, [FactValue.OfText(value.Text)])
            : Wrong(set, $"'{fact}' is {Name(type)}, not a set. For one of several values write '{fact} in (…)'.");
    }

    private FactRef? Fact(OperandSyntax operand)
    {
        switch (operand.Kind)
        {
            case OperandKind.App when operand.Text.Length > 0:
                return new FactRef(FactCatalog.Slug(operand.Text), true);
            case OperandKind.App:
                return null;
            case OperandKind.Word:
                var name = operand.Text.ToLowerInvariant();
                if (FactCatalog.TypeOf(name) is not null)
                {
                    return new FactRef(name, false);
                }

                var near = Suggest.Nearest(name, FactCatalog.All.Keys);
                Wrong(
                    operand,
                    near is null
                        ? $"There is no fact '{operand.Text}'. A site's own facts begin with 'label.'."
                        : $"There is no fact '{operand.Text}'. Did you mean '{near}'?");
                return null;
            default:
                Wrong(operand, "A condition begins with the fact, then what it is compared with.");
                return null;
        }
    }

    private FactValue? Value(FactRef fact, FactType type, OperandSyntax operand)
    {
        var value = operand.Kind == OperandKind.App ? null : type switch
        {
            FactType.Text or FactType.Set => operand.Kind == OperandKind.Quoted ? FactValue.OfText(operand.Text) : null,
            FactType.Version =>
                operand.Unit is null && operand.Kind != OperandKind.Word && AppVersion.TryParse(operand.Text, out var version)
                    ? FactValue.OfVersion(version)
                    : null,
            FactType.YesNo => operand.Kind == OperandKind.Word ? FactValue.Read(type, operand.Text.ToLowerInvariant()) : null,
            FactType.Date => operand.Unit is null ? FactValue.Read(type, operand.Text) : null,
            FactType.Number => operand is { Unit: null, Kind: OperandKind.Literal } ? FactValue.Read(type, operand.Text) : null,
            FactType.Size => Measure(operand, Units.SizeUnit) is { } bytes ? FactValue.OfSize(bytes) : null,
            FactType.Duration => Measure(operand, Units.TimeUnit) is { } seconds && seconds < 1e9 ? FactValue.OfDuration(TimeSpan.FromSeconds(seconds)) : null,
            _ => null,
        };

        if (value is null)
        {
            var written = text.Substring(operand.Start, operand.Length);
            var hint = type switch
            {
                FactType.Text or FactType.Set => "a text in double quotes",
                FactType.Version => "a version such as 7.2.0",
                FactType.YesNo => "yes or no",
                FactType.Date => "a day such as 2026-01-14",
                FactType.Number => "a plain number",
                FactType.Size => $"a number with a unit ({string.Join(", ", Units.SizeNames)})",
                _ => $"a number with a unit ({string.Join(", ", Units.TimeNames)})",
            };
            Wrong(operand, $"'{fact}' is compared with {hint}, not with {written}.");
        }

        return value;
    }

    private static double? Measure(OperandSyntax operand, Func<string, double?> unitOf)
    {
        if (operand.Kind != OperandKind.Literal)
        {
            return null;
        }

        var digits = operand.Text.TakeWhile(c => char.IsAsciiDigit(c) || c == '.').Count();
        var unit = operand.Unit ?? operand.Text[digits..];
        if (operand.Unit is not null && digits != operand.Text.Length)
        {
            return null;
        }

        return unitOf(unit) is { } factor
            && double.TryParse(operand.Text.AsSpan(0, digits), NumberStyles.AllowDecimalPoint, CultureInfo.InvariantCulture, out var number)
            ? number * factor
            : null;
    }

    private static bool Allowed(FactType type, Comparison comparison) => comparison switch
    {
        Comparison.IsKnown or Comparison.IsPresent or Comparison.IsAbsent => true,
        Comparison.Is or Comparison.IsNot => type != FactType.Set,
        Comparison.Less or Comparison.AtMost or Comparison.More or Comparison.AtLeast => type is not (FactType.Text or FactType.YesNo or FactType.Set),
        Comparison.Like or Comparison.NotLike => type == FactType.Text,
        _ => type is not (FactType.Set or FactType.YesNo),
    };

    private static string Name(FactType type) => type switch
    {
        FactType.Text => "a text",
        FactType.Number => "a number",
        FactType.Size => "an amount of data",
        FactType.Duration => "a length of time",
        FactType.Version => "a version",
        FactType.YesNo => "yes or no",
        FactType.Date => "a day",
        _ => "a set",
    };

    private static string Example(FactRef fact, FactType type) => type switch
    {
        FactType.Text => "is \"…\"",
        FactType.Number => "> 2",
        FactType.Size => ">= 4 GiB",
        FactType.Duration => "> 3d",
        FactType.Version => fact.IsApp ? "is present" : ">= 7.2",
        FactType.YesNo => "is yes",
        FactType.Date => "< 2026-01-14",
        _ => "is known",
    };

    private ConstantNode Wrong(SyntaxNode at, string message)
    {
        findings.Add(RuleText.At(text, at.Start, at.Length, message));
        return new ConstantNode(false);
    }
}
