using Bandejo.Core.Deployments;
using Xunit;
using static Bandejo.Core.Deployments.TargetState;

namespace Bandejo.Core.Tests;

/// <summary>
/// The table of traits, held cell by cell: it is written there a row a state, and here a sentence a trait, with all states of which it holds.
/// </summary>
public sealed class TraitTests
{
    private static readonly TargetState[] All = Enum.GetValues<TargetState>();

    private static readonly Dictionary<TargetTrait, TargetState[]> Sentences = new()
    {
        // What the deadline asks for is neither there, nor given up for good, nor was never asked for.
        [TargetTrait.Late] = [Unknown, Blocked, Waiting, Ready, Working, Restart, Retry, Failed, Lost, Contested],

        // Its device is told of it, unless it is not meant, is contested, yields or left.
        [TargetTrait.Order] = [Unknown, Blocked, Waiting, Ready, Working, Restart, Retry, Met, Failed, Lost, Undone, Choice],

        // Something is to be carried out now, or is believed to be.
        [TargetTrait.Wanted] = [Ready, Working, Restart, Retry, Lost],
        [TargetTrait.Starts] = [Ready, Retry],
        [TargetTrait.Busy] = [Working, Restart],

        // What has not begun stands still, and what was tried and waits for the next try.
        [TargetTrait.Idle] = [Unknown, Blocked, Waiting, Ready, Retry],

        // All wish something of the app, but for those for whom the package is not meant, who are kept from it, or who left.
        [TargetTrait.Claims] =
            [Unknown, Waiting, Ready, Working, Restart, Retry, Met, Failed, Lost, Undone, Contested, Yielded, Choice],

        // It may still come to be there, or is: not where it failed, is contested or yields.
        [TargetTrait.Brings] = [Unknown, Waiting, Ready, Working, Restart, Retry, Met, Lost, Undone, Choice],
        [TargetTrait.Open] = [Unknown, Blocked, Waiting, Ready, Working, Restart, Retry, Failed, Lost, Contested, Choice],
        [TargetTrait.Fails] = [Failed, Lost],
        [TargetTrait.Stuck] = [Blocked, Failed, Lost, Undone, Contested],
        [TargetTrait.Retry] = [Retry, Failed, Lost, Undone],
        [TargetTrait.Meant] = [.. All.Except([NotNeeded, Left])],
        [TargetTrait.Underway] = [Working, Lost],
    };

    public static TheoryData<TargetTrait> Traits => [.. Enum.GetValues<TargetTrait>().Where(trait => trait != TargetTrait.None)];

    [Theory]
    [MemberData(nameof(Traits))]
    public void A_trait_holds_of_the_states_that_its_sentence_names_and_of_no_other(TargetTrait trait) =>
        Assert.Equal(Sentences[trait].Order(), TargetTraits.With(trait));

    [Fact]
    public void What_compliance_counts_a_state_as()
    {
        var kinds = All.GroupBy(state => state.CountsAs()).ToDictionary(group => group.Key, group => group.Order().ToArray());
        Assert.Equal([Met], kinds[ComplianceKind.Met]);
        Assert.Equal([Unknown], kinds[ComplianceKind.Unknown]);
        Assert.Equal([NotNeeded], kinds[ComplianceKind.NotNeeded]);
        Assert.Equal(new[] { Choice, Yielded, Left }.Order(), kinds[ComplianceKind.LeftOut]);
        Assert.Equal(
            new[] { Blocked, Waiting, Ready, Working, Restart, Retry, Failed, Lost, Undone, Contested }.Order(), kinds[ComplianceKind.Unmet]);
    }

    [Fact]
    public void Who_needs_somebody_first_is_looked_at_first() => Assert.Equal(
        [Failed, Lost, Contested, Retry, Blocked, Restart, Working, Ready, Unknown, Waiting, Met, Undone, Choice, Yielded, NotNeeded, Left],
        TargetTraits.ByNeed);
}
