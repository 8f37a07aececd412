using Bandejo.Core.Catalogue;
using Bandejo.Core.Fleet;
using Bandejo.Core.World;
using Xunit;

namespace Bandejo.Core.Tests;

/// <summary>What a restored service numbers anew, so that devices are not taken back in time.</summary>
public sealed class RestoringTests
{
    private static readonly DateTimeOffset Now = new(2031, 3, 3, 8, 0, 0, TimeSpan.Zero);

    [Theory]
    [InlineData(0, 1000)]
    [InlineData(90, 1090)]
    [InlineData(-60, 1000)]
    public void Numbers_go_on_above_whatever_may_have_been_given_out_once(int minutes, int ahead)
    {
        var world = new FleetWorld(new WordBook(), TimeSpan.FromMinutes(5), _ => throw new InvalidOperationException());
        world.Apply(new PutSetting(PackageLives.WithdrawnSerial, "7"));
        world.Apply(Restored.Note(Now.AddMinutes(-minutes)));
        var signed = new List<long>();
        Assert.True(TakeUp());
        Assert.Equal((ahead, 1000 + ahead), (Restored.OrderLead(world), Restored.LastDeployment(world)));
        Assert.Equal(($"{7 + ahead}", $"list {7 + ahead}"), (
            world.SiteSettings[PackageLives.WithdrawnSerial], world.SiteSettings[PackageLives.WithdrawnList]));

        // Once, and again where it is restored again.
        Assert.False(TakeUp());
        Assert.Single(signed);
        world.Apply(Restored.Note(Now));
        Assert.True(TakeUp());
        Assert.Equal((ahead + 1000, ahead + 2000), (Restored.OrderLead(world), Restored.LastDeployment(world)));

        bool TakeUp() => world.Decide(null, Now, () => "id", [], decision => Restoring.TakeUp(decision, (serial, digests) =>
        {
            Assert.Empty(digests);
            signed.Add(serial);
            return $"list {serial}";
        })).Value;
    }

    [Theory]
    [InlineData("")]
    [InlineData("soon")]
    [InlineData("-5")]
    [InlineData("99999999999999999999")]
    [InlineData("9223372036854775807")]
    public void What_is_no_moment_changes_nothing(string from)
    {
        var world = new FleetWorld(new WordBook(), TimeSpan.FromMinutes(5), _ => throw new InvalidOperationException());
        world.Apply(new PutSetting("restored.from", from));
        List<Change> changes = [];
        Assert.False(world.Decide(null, Now, () => "id", changes, decision => Restoring.TakeUp(decision, (_, _) => "")).Value);
        Assert.Empty(changes);
        Assert.Equal((0, 1000), (Restored.OrderLead(world), Restored.LastDeployment(world)));
    }
}
