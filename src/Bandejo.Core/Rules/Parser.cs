namespace Bandejo.Core.Rules;

/// <summary>
/// Builds the syntax tree. After an error it goes on behind the next <c>and</c>, <c>or</c> or closing bracket, so that all errors are found at once.
/// <code>
/// rule      = and { "or" and }
/// and       = not { "and" not }
/// not       = "not" not | "(" rule ")" | condition
/// condition = operand [ "is" ["not"] ( value | "present" | "absent" | "known" ) | ("&lt;" | "&lt;=" | "&gt;" | "&gt;=") value
///                     | ["not"] "in" ( "(" value { "," value } ")" | fact ) | ["not"] "like" text ]
/// operand   = fact | "app" text | value
/// </code>
/// </summary>
internal sealed class Parser(string text, List<Token> tokens, List<Finding> findings)
{
    /// <summary>How deep brackets and <c>not</c> may nest.</summary>
    public const int MaxDepth = 64;

    private int _at;
    private int _depth;
    private bool _isTooDeep;

    private Token Now => tokens[_at];

    public SyntaxNode Parse()
    {
        if (Now.Kind == TokenKind.End)
        {
            findings.Add(RuleText.At(text, 0, 1, "The rule is empty. A rule that every device fits is 'yes'."));
            return new BrokenSyntax(0, 0);
        }

        var root = Joined(isAnd: false);
        while (Now.Kind != TokenKind.End)
        {
            Report(
                Now,
                Now.Kind == TokenKind.Close
                    ? "This bracket closes nothing."
                    : $"'{Now.Text}' is not expected here; between two conditions stands 'and' or 'or'.");
            if (Now.Kind is TokenKind.Close or TokenKind.Comma or TokenKind.Operator)
            {
                _at++;
            }

            if (Now.Kind != TokenKind.End)
            {
                Joined(isAnd: false);
            }
        }

        return root;
    }

    private SyntaxNode Joined(bool isAnd)
    {
        var word = isAnd ? "and" : "or";
        var parts = new List<SyntaxNode> { isAnd ? Not() : Joined(isAnd: true) };
        while (Now.Is(word))
        {
            _at++;
            parts.Add(isAnd ? Not() : Joined(isAnd: true));
        }

        return parts.Count == 1 ? parts[0] : new JoinedSyntax(isAnd, parts, parts[0].Start, parts[^1].Start + parts[^1].Length - parts[0].Start);
    }

    private SyntaxNode Not()
    {
        var start = Now;
        if (++_depth > MaxDepth)
        {
            Report(start, $"Brackets and 'not' nest deeper than {MaxDepth}.");
            _isTooDeep = true;
            _at = tokens.Count - 1;
            _depth--;
            return new BrokenSyntax(start.Start, 1);
        }

        try
        {
            if (start.Is("not"))
            {
                _at++;
                var part = Not();
                return new NotSyntax(part, start.Start, part.Start + part.Length - start.Start);
            }

            if (start.Kind != TokenKind.Open)
            {
                return Condition();
            }

            _at++;
            var inner = Joined(isAnd: false);
            if (Now.Kind == TokenKind.Close)
            {
                _at++;
            }
            else if (!_isTooDeep)
            {
                Report(start, "This bracket is not closed.");
            }

            return inner;
        }
        finally
        {
            _depth--;
        }
    }

    private SyntaxNode Condition()
    {
        if (Operand() is not { } left)
        {
            return Skip(
                Now,
                Now.Kind == TokenKind.End
                    ? "A condition is missing here."
                    : $"Here a fact is expected, such as 'memory' or 'app \"foldline\"', not '{Now.Text}'.");
        }

        var operation = Now;
        if (operation.Is("is"))
        {
            _at++;
            var negated = Accept("not");
            foreach (var (word, comparison) in new[] { ("present", Comparison.IsPresent), ("absent", Comparison.IsAbsent), ("known", Comparison.IsKnown) })
            {
                if (Accept(word))
                {
                    var whole = Node(left, comparison, []);
                    return negated ? new NotSyntax(whole, whole.Start, whole.Length) : whole;
                }
            }

            return WithValue(left, negated ? Comparison.IsNot : Comparison.Is);
        }

        if (operation.Kind == TokenKind.Operator)
        {
            _at++;
            return operation.Text switch
            {
                "<" => WithValue(left, Comparison.Less),
                "<=" => WithValue(left, Comparison.AtMost),
                ">" => WithValue(left, Comparison.More),
                ">=" => WithValue(left, Comparison.AtLeast),
                "!=" => Skip(operation, "Write 'is not' instead of '!='."),
                _ => Skip(operation, $"Write 'is' instead of '{operation.Text}'."),
            };
        }

        var isNot = operation.Is("not") && (tokens[_at + 1].Is("in") || tokens[_at + 1].Is("like"));
        if (isNot)
        {
            _at++;
        }

        if (Accept("like"))
        {
            return WithValue(left, isNot ? Comparison.NotLike : Comparison.Like);
        }

        if (Accept("in"))
        {
            return Now.Kind == TokenKind.Open ? WithList(left, isNot) : WithValue(left, isNot ? Comparison.NotIn : Comparison.In);
        }

        // A fact that stands alone: yes or no, which the checker makes sure of.
        return new ConditionSyntax(left, Comparison.Is, [], left.Start, left.Length);
    }

    private SyntaxNode WithValue(OperandSyntax left, Comparison comparison)
    {
        if (Operand() is { } right)
        {
            return Node(left, comparison, [right]);
        }

        return Skip(Now, Now.Kind == TokenKind.End ? "The value to compare with is missing." : $"Here a value is expected, not '{Now.Text}'.");
    }

    private SyntaxNode WithList(OperandSyntax left, bool isNot)
    {
        var open = Now;
        _at++;
        var values = new List<OperandSyntax>();
        do
        {
            if (Operand() is not { } value)
            {
                return Skip(Now, "Here a value of the list is expected.", depth: 1);
            }

            values.Add(value);
        }
        while (AcceptComma());

        if (Now.Kind != TokenKind.Close)
        {
            return Skip(open, "This list is not closed, or a comma is missing in it.");
        }

        _at++;
        return Node(left, isNot ? Comparison.NotIn : Comparison.In, values);
    }

    private OperandSyntax? Operand()
    {
        var token = Now;
        switch (token.Kind)
        {
            case TokenKind.Quoted:
                _at++;
                return new OperandSyntax(token.Text, OperandKind.Quoted, null, token.Start, token.Length);
            case TokenKind.Literal:
                _at++;
                if (Now.Kind == TokenKind.Word && (Units.SizeUnit(Now.Text) ?? Units.TimeUnit(Now.Text)) is not null)
                {
                    var unit = Now;
                    _at++;
                    return new OperandSyntax(token.Text, OperandKind.Literal, unit.Text, token.Start, unit.Start + unit.Length - token.Start);
                }

                return new OperandSyntax(token.Text, OperandKind.Literal, null, token.Start, token.Length);
            case TokenKind.Word when token.Is("app"):
                _at++;
                if (Now.Kind is TokenKind.Quoted or TokenKind.Word && !IsKeyword(Now))
                {
                    var name = Now;
                    _at++;
                    return new OperandSyntax(name.Text, OperandKind.App, null, token.Start, name.Start + name.Length - token.Start);
                }

                Report(Now, "Behind 'app' stands the app's name in double quotes, such as app \"foldline\".");
                return new OperandSyntax("", OperandKind.App, null, token.Start, token.Length);
            case TokenKind.Word when !IsKeyword(token):
                _at++;
                return new OperandSyntax(token.Text, OperandKind.Word, null, token.Start, token.Length);
            default:
                return null;
        }
    }

    /// <summary>The words that join and compare.</summary>
    public static IReadOnlySet<string> Keywords { get; } = new HashSet<string>(["and", "or", "not", "is", "in", "like"], StringComparer.OrdinalIgnoreCase);

    private static bool IsKeyword(Token token) => Keywords.Any(token.Is);

    private static ConditionSyntax Node(OperandSyntax left, Comparison comparison, IReadOnlyList<OperandSyntax> right)
    {
        var end = right.Count == 0 ? left.Start + left.Length : right[^1].Start + right[^1].Length;
        return new ConditionSyntax(left, comparison, right, left.Start, end - left.Start);
    }

    private bool Accept(string word)
    {
        if (!Now.Is(word))
        {
            return false;
        }

        _at++;
        return true;
    }

    private bool AcceptComma()
    {
        if (Now.Kind != TokenKind.Comma)
        {
            return false;
        }

        _at++;
        return true;
    }

    private BrokenSyntax Skip(Token at, string message, int depth = 0)
    {
        Report(at, message);
        while (Now.Kind != TokenKind.End && !(depth == 0 && (Now.Is("and") || Now.Is("or") || Now.Kind == TokenKind.Close)))
        {
            depth += Now.Kind switch { TokenKind.Open => 1, TokenKind.Close => -1, _ => 0 };
            _at++;
        }

        return new BrokenSyntax(at.Start, at.Length);
    }

    private void Report(Token at, string message) => findings.Add(RuleText.At(text, at.Start, at.Length, message));
}
