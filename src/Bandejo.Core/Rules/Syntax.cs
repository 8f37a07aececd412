namespace Bandejo.Core.Rules;

/// <summary>How a condition compares.</summary>
public enum Comparison
{
    Is,
    IsNot,
    Less,
    AtMost,
    More,
    AtLeast,
    In,
    NotIn,
    Like,
    NotLike,
    IsPresent,
    IsAbsent,
    IsKnown,
}

/// <summary>A piece of a rule as it was written; <paramref name="Start"/> is its 0-based place in the text.</summary>
internal abstract record SyntaxNode(int Start, int Length);

/// <summary>Two or more parts joined by the same word, <c>and</c> or <c>or</c>.</summary>
internal sealed record JoinedSyntax(bool IsAnd, IReadOnlyList<SyntaxNode> Parts, int Start, int Length) : SyntaxNode(Start, Length);

internal sealed record NotSyntax(SyntaxNode Part, int Start, int Length) : SyntaxNode(Start, Length);

/// <summary>A condition before its types are known.</summary>
internal sealed record ConditionSyntax(OperandSyntax Left, Comparison Comparison, IReadOnlyList<OperandSyntax> Right, int Start, int Length) : SyntaxNode(
    Start, Length);

/// <summary>One side of a condition.</summary>
/// <param name="Text">A word, the content of a quoted text, or a literal's characters.</param>
/// <param name="Kind">How it was written.</param>
/// <param name="Unit">The word behind a number, or null.</param>
internal sealed record OperandSyntax(string Text, OperandKind Kind, string? Unit, int Start, int Length) : SyntaxNode(Start, Length);

internal enum OperandKind
{
    Word,
    App,
    Quoted,
    Literal,
}

/// <summary>Stands where something could not be read; its finding is already made.</summary>
internal sealed record BrokenSyntax(int Start, int Length) : SyntaxNode(Start, Length);
