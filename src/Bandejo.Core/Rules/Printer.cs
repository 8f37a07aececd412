using System.Globalization;

namespace Bandejo.Core.Rules;

/// <summary>Writes a checked rule in its normal form, with only the brackets it needs. What it writes reads back as the same rule.</summary>
internal static class Printer
{
    public static string Print(RuleNode node) => node switch
    {
        ConstantNode constant => constant.Value ? "yes" : "no",
        UnreadableNode => "",
        NotNode not => "not " + Inner(not.Part, isNot: true),
        JoinedNode joined =>
            string.Join(joined.IsAnd ? " and " : " or ", joined.Parts.Select(
                part => joined.IsAnd || part is JoinedNode { IsAnd: false } ? Inner(part, isNot: false) : Print(part))),
        ConditionNode condition => Condition(condition),
        _ => throw new InvalidOperationException($"No form for {node.GetType().Name}."),
    };

    /// <summary>The word or sign of a comparison.</summary>
    public static string Word(Comparison comparison) => comparison switch
    {
        Comparison.Is => "is",
        Comparison.IsNot => "is not",
        Comparison.Less => "<",
        Comparison.AtMost => "<=",
        Comparison.More => ">",
        Comparison.AtLeast => ">=",
        Comparison.In => "in",
        Comparison.NotIn => "not in",
        Comparison.Like => "like",
        Comparison.NotLike => "not like",
        Comparison.IsPresent => "is present",
        Comparison.IsAbsent => "is absent",
        _ => "is known",
    };

    private static string Inner(RuleNode part, bool isNot) => part is JoinedNode || (isNot && part is ConditionNode) ? $"({Print(part)})" : Print(part);

    private static string Condition(ConditionNode condition)
    {
        var word = Word(condition.Comparison);
        if (condition.Type == FactType.Set && condition.Comparison is Comparison.In or Comparison.NotIn)
        {
            return $"{Literal(condition.Values[0])} {word} {condition.Fact}";
        }

        return condition.Comparison switch
        {
            Comparison.IsPresent or Comparison.IsAbsent or Comparison.IsKnown => $"{condition.Fact} {word}",
            Comparison.In or Comparison.NotIn => $"{condition.Fact} {word} ({string.Join(", ", condition.Values.Select(Literal))})",
            _ => $"{condition.Fact} {word} {Literal(condition.Values[0])}",
        };
    }

    private static string Literal(FactValue value) => value.Type switch
    {
        FactType.Text => "\"" + value.Text.Replace("\\", "\\\\", StringComparison.Ordinal).Replace("\"", "\\\"", StringComparison.Ordinal) + "\"",
        FactType.Version =>
            char.IsAsciiDigit(value.Version!.Text[0]) && value.Version.Text.All(c => char.IsAsciiLetterOrDigit(c) || ".-_+~:".Contains(c))
                ? value.Version.Text
                : $"\"{value.Version.Text}\"",
        FactType.Number => value.Number.ToString("0.############", CultureInfo.InvariantCulture),
        FactType.Size =>
            Exact(
                value.Number,
                [("TiB", 1024d * 1024 * 1024 * 1024), ("GiB", 1024d * 1024 * 1024), ("GB", 1e9), ("MiB", 1024d * 1024), ("MB", 1e6), ("KiB", 1024)], "B"),
        FactType.Duration => Exact(value.Number, [("d", 86400), ("h", 3600), ("m", 60)], "s"),
        _ => value.ToString(),
    };

    private static string Exact(double value, (string Name, double Factor)[] units, string smallest)
    {
        foreach (var (name, factor) in units)
        {
            if (value > 0 && value % factor == 0)
            {
                return string.Create(CultureInfo.InvariantCulture, $"{value / factor:0} {name}");
            }
        }

        return string.Create(CultureInfo.InvariantCulture, $"{value:0.############} {smallest}");
    }
}
