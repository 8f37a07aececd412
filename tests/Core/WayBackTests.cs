using Bandejo.Core.Deployments;
using Bandejo.Core.Versions;
using Xunit;

namespace Bandejo.Core.Tests;

/// <summary>Who goes back to what, who cannot, and why.</summary>
public sealed class WayBackTests
{
    private static readonly DateTimeOffset Now = new(2026, 1, 12, 8, 0, 0, TimeSpan.Zero);

    private static readonly Target Changed = new()
    {
        Device = "a", State = TargetState.Met, HasBegun = true, IsInstalledHere = true, Before = "7.1.0", Variant = "linux",
    };

    private static DeploymentPlan Plan(Wish wish = Wish.Have) => new()
    {
        Id = "D1", Name = "Foldline 7.2.0", App = "foldline", AppName = "Foldline", Package = "p", Version = AppVersion.Parse("7.2.0"), Wish = wish,
        Groups = ["desks"], Waves = [new Wave("All", new Pick(), null, null)],
    };

    private static WayBack Of(Target target, Wish wish = Wish.Have, string? installed = null, Reason? takesAway = null, EarlierPackage? earlier = null) =>
        WayBack.Of(Plan(wish), target, installed is null ? null : AppVersion.Parse(installed), takesAway, (_, _) => earlier ?? new EarlierPackage("old", null));

    [Fact]
    public void What_was_changed_goes_back_wherever_the_device_is_now()
    {
        foreach (var state in Enum.GetValues<TargetState>().Except([TargetState.Working, TargetState.Undone]))
        {
            Assert.Equal(new WayBack(WayBackKind.Goes, "7.1.0", "old"), Of(Changed with { State = state }));
            var going = Targets.Decide(Changed with { State = state }, new Happening(TargetEvent.UndoAsked, Reason.Said("to be brought back")), Now);
            Assert.Equal((TargetState.Ready, true, Changed.Order + 1), (going.State, going.IsGoingBack, going.Order));
        }

        Assert.Equal(new WayBack(WayBackKind.Goes), Of(Changed with { Before = "" }));
        Assert.Equal(new WayBack(WayBackKind.Goes, "7.1.0", "old"), Of(Changed, Wish.Gone));
    }

    [Fact]
    public void What_is_at_work_goes_back_when_that_has_ended()
    {
        var working = Changed with { State = TargetState.Working, Before = null };
        Assert.Equal(WayBackKind.AfterWork, Of(working).Kind);
        Assert.Equal(WayBackKind.AfterWork, Of(working with { State = TargetState.Lost }).Kind);
        var later = Targets.Decide(working, new Happening(TargetEvent.UndoLater, Reason.Said("at work")), Now);
        Assert.Equal((TargetState.Working, true, false, working.Order), (later.State, later.IsToGoBack, later.IsGoingBack, later.Order));
        Assert.Equal(WayBackKind.OnItsWay, Of(later).Kind);
        Assert.Equal(WayBackKind.Untouched, Of(later with { State = TargetState.Failed }).Kind);
        Assert.Equal(WayBackKind.Goes, Of(later with { State = TargetState.Failed, Before = "7.1.0" }).Kind);
    }

    [Fact]
    public void What_was_not_changed_is_not_touched_and_what_is_back_is_back()
    {
        Assert.Equal(WayBackKind.Untouched, Of(new Target { Device = "a", State = TargetState.Met }).Kind);
        Assert.Equal(WayBackKind.Untouched, Of(Changed with { Before = null }).Kind);
        Assert.Equal(WayBackKind.Untouched, Of(Changed with { Before = "" }, Wish.Gone).Kind);
        Assert.Equal(WayBackKind.Back, Of(Changed with { State = TargetState.Undone, IsGoingBack = true }).Kind);
        Assert.Equal(WayBackKind.OnItsWay, Of(Changed with { State = TargetState.Ready, IsGoingBack = true }).Kind);
        Assert.Equal(WayBackKind.Goes, Of(Changed with { State = TargetState.Failed, IsGoingBack = true }).Kind);
    }

    [Fact]
    public void What_cannot_go_back_says_why()
    {
        Assert.Equal("it has no step", Of(Changed, takesAway: Reason.Said("it has no step")).Why!.ToString());
        Assert.Equal("none is kept", Of(Changed, earlier: new EarlierPackage(null, Reason.Said("none is kept"))).Why!.ToString());
        Assert.Equal("Foldline 7.3.0 is there by now, which came after", Of(Changed, installed: "7.3.0").Why!.ToString());
        Assert.Equal("Foldline 7.0.0 is there by now, which came after", Of(Changed, Wish.Gone, installed: "7.0.0").Why!.ToString());
        Assert.Equal(WayBackKind.Goes, Of(Changed, installed: "7.1.0").Kind);
        var refused = Targets.Decide(Changed, new Happening(TargetEvent.UndoImpossible, Reason.Said("Cannot go back: none is kept")), Now);
        Assert.Equal((TargetState.Met, true, "Cannot go back: none is kept"), (refused.State, refused.CannotGoBack, refused.Reason.ToString()));
        Assert.Equal(refused.Reason, Targets.Decide(refused, new Happening(TargetEvent.ProofHeld, Reason.Said("still there")), Now).Reason);
        // What was put there once more by a try that had begun before it was heard of is on its way nowhere: nobody waits for it.
        var again = Targets.Decide(Changed with { IsGoingBack = true }, new Happening(TargetEvent.UndoImpossible, Reason.Said("none is kept")), Now);
        Assert.Equal((false, false, true), (again.IsGoingBack, again.IsToGoBack, again.CannotGoBack));
        var failed = Changed with { State = TargetState.Failed, IsGoingBack = true };
        Assert.True(Targets.Decide(failed, new Happening(TargetEvent.UndoImpossible, Reason.Said("none is kept")), Now).IsGoingBack);
    }

    [Fact]
    public void Many_are_told_in_one_line_for_each_reason()
    {
        var ways = WaysBack.Of(Plan(), [
            ("a", new WayBack(WayBackKind.Goes, "7.1.0", "x")), ("b", new WayBack(WayBackKind.Goes, "7.1.0", "y")), ("c", new WayBack(WayBackKind.Goes)),
            ("d", new WayBack(WayBackKind.AfterWork)), ("e", new WayBack(WayBackKind.Impossible, "7.0.0", null, Reason.Said("none is kept"))),
            ("f", new WayBack(WayBackKind.Untouched))]);
        Assert.Equal(
            "2 devices go back to Foldline 7.1.0. 1 device had nothing before: Foldline is taken away there. 1 device is at work: it finishes and goes back "
                + "then. 1 device cannot go back: none is kept.",
            ways.Says);
        Assert.Equal((4, 1), (ways.Going, ways.Count(WayBackKind.Impossible)));
        Assert.Equal(["a", "b"], ways.Parts[0].Devices);
    }

    [Fact]
    public void Another_try_where_it_was_taken_back_wants_it_there_again()
    {
        var again = Targets.Decide(
            Changed with { State = TargetState.Undone, IsGoingBack = true }, new Happening(TargetEvent.RetryAsked, Reason.Said("again")), Now);
        Assert.Equal((TargetState.Ready, false, 1), (again.State, again.IsGoingBack, again.Order));
        var back = Targets.Decide(
            Changed with { State = TargetState.Failed, IsGoingBack = true }, new Happening(TargetEvent.RetryAsked, Reason.Said("again")), Now);
        Assert.Equal((TargetState.Ready, true, 1), (back.State, back.IsGoingBack, back.Order));
    }
}
