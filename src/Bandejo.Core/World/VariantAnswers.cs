using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.Rules;

namespace Bandejo.Core.World;

/// <summary>
/// What the rules of a package's variants say of one row after the other, for whoever weighs one device now and another then. Not for several threads.
/// </summary>
internal sealed class AskedByRow(IReadOnlyList<VariantRules> variants, FleetColumns columns) : IVariantAnswers
{
    private readonly (RowRule Fits, RowRule Requires)[] _rules = [.. variants.Select(variant => (columns.Compile(variant.Fits), columns.Compile(
        variant.Requires)))];

    /// <summary>The row that is asked about.</summary>
    public int Row { get; set; }

    public Truth Fits(int variant) => _rules[variant].Fits.At(Row);

    public Truth Requires(int variant) => _rules[variant].Requires.At(Row);
}

/// <summary>The same of all rows at once, for whoever weighs a fleet.</summary>
internal sealed class AskedOfAll(IReadOnlyList<VariantRules> variants, FleetColumns columns) : IVariantAnswers
{
    private readonly (RuleRows Fits, RuleRows Requires)[] _rows = [.. variants.Select(variant => (columns.Evaluate(variant.Fits), columns.Evaluate(
        variant.Requires)))];

    /// <summary>The row that is asked about.</summary>
    public int Row { get; set; }

    public Truth Fits(int variant) => At(_rows[variant].Fits);

    public Truth Requires(int variant) => At(_rows[variant].Requires);

    private Truth At(RuleRows rows) => rows.True[Row] ? Truth.True : rows.NotKnown[Row] ? Truth.NotKnown : Truth.False;
}
