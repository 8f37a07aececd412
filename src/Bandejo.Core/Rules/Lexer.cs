namespace Bandejo.Core.Rules;

internal enum TokenKind
{
    Word,
    Quoted,
    Literal,
    Operator,
    Open,
    Close,
    Comma,
    End,
}

/// <summary>A piece of a rule's text. <paramref name="Start"/> is 0-based.</summary>
internal readonly record struct Token(TokenKind Kind, string Text, int Start, int Length)
{
    public bool Is(string word) => Kind == TokenKind.Word && Text.Equals(word, StringComparison.OrdinalIgnoreCase);
}

/// <summary>Cuts a rule into tokens. Characters that belong nowhere become findings and are passed over.</summary>
internal static class Lexer
{
    public static List<Token> Cut(string text, List<Finding> findings)
    {
        var tokens = new List<Token>();
        var i = 0;
        while (i < text.Length)
        {
            var c = text[i];
            var start = i;
            if (char.IsWhiteSpace(c))
            {
                i++;
                continue;
            }

            switch (c)
            {
                case '(':
                    tokens.Add(new Token(TokenKind.Open, "(", i++, 1));
                    break;
                case ')':
                    tokens.Add(new Token(TokenKind.Close, ")", i++, 1));
                    break;
                case ',':
                    tokens.Add(new Token(TokenKind.Comma, ",", i++, 1));
                    break;
                case '"':
                    i = Quoted(text, i, tokens, findings);
                    break;
                case '<' or '>' or '=' or '!':
                    i += i + 1 < text.Length && text[i + 1] == '=' ? 2 : 1;
                    tokens.Add(new Token(TokenKind.Operator, text[start..i], start, i - start));
                    break;
                case '≤' or '≥':
                    tokens.Add(new Token(TokenKind.Operator, c == '≤' ? "<=" : ">=", i++, 1));
                    break;
                default:
                    if (char.IsAsciiDigit(c) || (c == 'v' && i + 1 < text.Length && char.IsAsciiDigit(text[i + 1])))
                    {
                        while (i < text.Length && (char.IsAsciiLetterOrDigit(text[i]) || ".-_+~:".Contains(text[i])))
                        {
                            i++;
                        }

                        tokens.Add(new Token(TokenKind.Literal, text[start..i], start, i - start));
                    }
                    else if (char.IsLetter(c))
                    {
                        while (i < text.Length && (char.IsLetterOrDigit(text[i]) || ".-_".Contains(text[i])))
                        {
                            i++;
                        }

                        tokens.Add(new Token(TokenKind.Word, text[start..i], start, i - start));
                    }
                    else
                    {
                        findings.Add(RuleText.At(text, start, 1, $"'{c}' has no meaning in a rule. Texts stand in double quotes."));
                        i++;
                    }

                    break;
            }
        }

        tokens.Add(new Token(TokenKind.End, "", text.Length, 1));
        return tokens;
    }

    private static int Quoted(string text, int start, List<Token> tokens, List<Finding> findings)
    {
        var content = new System.Text.StringBuilder();
        var i = start + 1;
        while (i < text.Length && text[i] != '"' && text[i] != '\n')
        {
            if (text[i] == '\\' && i + 1 < text.Length && text[i + 1] is '"' or '\\')
            {
                i++;
            }

            content.Append(text[i++]);
        }

        var isClosed = i < text.Length && text[i] == '"';
        if (!isClosed)
        {
            findings.Add(RuleText.At(text, start, i - start, "This text has no closing double quote."));
        }

        var end = isClosed ? i + 1 : i;
        tokens.Add(new Token(TokenKind.Quoted, content.ToString(), start, end - start));
        return end;
    }
}

/// <summary>Positions in the text of a rule.</summary>
internal static class RuleText
{
    /// <summary>A finding at a 0-based place of the text, with its 1-based line and column.</summary>
    public static Finding At(string text, int start, int length, string message)
    {
        start = Math.Min(start, text.Length);
        var line = 1;
        var lineStart = 0;
        for (var i = 0; i < start; i++)
        {
            if (text[i] == '\n')
            {
                line++;
                lineStart = i + 1;
            }
        }

        return new Finding(message, null, line, start - lineStart + 1, Math.Max(1, length));
    }
}
