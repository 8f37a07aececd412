namespace Bandejo.Core.Rules;

/// <summary>A node of a checked rule: every fact exists and every value has the fact's type.</summary>
public abstract record RuleNode;

/// <summary>All of the parts, or any of them.</summary>
public sealed record JoinedNode(bool IsAnd, IReadOnlyList<RuleNode> Parts) : RuleNode;

/// <summary>The opposite of the part; what is not known stays not known.</summary>
public sealed record NotNode(RuleNode Part) : RuleNode;

/// <summary>Always true, or always false.</summary>
public sealed record ConstantNode(bool Value) : RuleNode;

/// <summary>Nobody can tell: it was written for another version of the program.</summary>
public sealed record UnreadableNode(string Why) : RuleNode;

/// <summary>One comparison of a fact with values of its type.</summary>
public sealed record ConditionNode(FactRef Fact, FactType Type, Comparison Comparison, IReadOnlyList<FactValue> Values) : RuleNode;

/// <summary>A rule that was read and checked. Two rules with the same meaning print the same.</summary>
public sealed class Rule
{
    /// <summary>The longest rule, in characters.</summary>
    public const int MaxLength = 4000;

    private Rule(string text, RuleNode root)
    {
        Text = text;
        Root = root;
    }

    /// <summary>The rule that every device fits.</summary>
    public static Rule Everything { get; } = new("yes", new ConstantNode(true));

    /// <summary>The text as it was written.</summary>
    public string Text { get; }

    public RuleNode Root { get; }

    /// <summary>Whether what somebody looks for by is meant as a rule, also where it is none: it has a word or a sign that only rules have.</summary>
    public static bool IsMeant(string text) =>
        text.Any("<>=\"()".Contains) || text.Split(' ', StringSplitOptions.RemoveEmptyEntries).Any(word => Parser.Keywords.Contains(word));

    /// <summary>
    /// Reads a rule. A failure of kind <see cref="ErrorKind.Invalid"/> holds every error in it, each with line, column and length.
    /// </summary>
    public static Outcome<Rule> Parse(string text)
    {
        if (text.Length > MaxLength)
        {
            return new Failure(ErrorKind.Invalid, $"The rule has {text.Length} characters; at most {MaxLength} are read.");
        }

        var findings = new List<Finding>();
        var tokens = Lexer.Cut(text, findings);
        var syntax = new Parser(text, tokens, findings).Parse();
        var root = new Checker(text, findings).Check(syntax);
        if (findings.Count > 0)
        {
            var sorted = findings.OrderBy(finding => finding.Line).ThenBy(finding => finding.Column).ToList();
            return new Failure(ErrorKind.Invalid, sorted.Count == 1 ? sorted[0].Message : $"The rule has {sorted.Count} errors.", sorted);
        }

        return new Rule(text, root);
    }

    /// <summary>
    /// A rule that was kept by an earlier version of the program. One that this version cannot read is not known for every device, so that it falls to the
    /// safe side everywhere, and says why.
    /// </summary>
    public static Rule OfKept(string text)
    {
        var read = Parse(text);
        return read.Ok
            ? read.Value
            : NotKnown(
                text,
                $"the rule '{(text.Length > 80 ? text[..80] + "…" : text)}' was kept by another version of Bandejo and cannot be read by this one "
                    + $"({read.Failure!.Message.TrimEnd('.')})");
    }

    /// <summary>A rule that cannot be asked: what it would say is not known, of every device.</summary>
    /// <param name="why">Why not; part of a sentence.</param>
    public static Rule NotKnown(string text, string why) => new(text, new UnreadableNode(why));

    /// <summary>Why this version cannot read the rule; null where it can.</summary>
    public string? Unreadable => (Root as UnreadableNode)?.Why;

    /// <summary>Whether the rule holds for one device, and why.</summary>
    public Verdict Evaluate(IFactSource facts) => Evaluator.Evaluate(Root, facts);

    /// <summary>Whether the rule holds for one device, without the reasons.</summary>
    public Truth Test(IFactSource facts) => Evaluator.Test(Root, new AnswersOf(facts));

    /// <summary>Its conditions, from the first to the last.</summary>
    internal IEnumerable<ConditionNode> Conditions() => Conditions(Root);

    /// <summary>Every fact the rule speaks of, each once.</summary>
    public IEnumerable<FactRef> Facts() => Conditions().Select(condition => condition.Fact).Distinct();

    /// <summary>The texts with which a fact is compared word for word.</summary>
    public IEnumerable<string> TextsOf(string fact) => Conditions()
        .Where(
            condition =>
                condition.Fact == new FactRef(fact, false) && condition.Comparison is Comparison.Is or Comparison.IsNot or Comparison.In or Comparison.NotIn)
            .SelectMany(condition => condition.Values).Select(value => value.Text).Distinct();

    /// <summary>The rule in its normal form.</summary>
    public override string ToString() => Unreadable is null ? Printer.Print(Root) : Text;

    private static IEnumerable<ConditionNode> Conditions(RuleNode node) => node switch
    {
        JoinedNode joined => joined.Parts.SelectMany(Conditions),
        NotNode not => Conditions(not.Part),
        ConditionNode condition => [condition],
        _ => [],
    };
}
