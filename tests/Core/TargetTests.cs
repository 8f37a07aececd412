using Bandejo.Core.Deployments;
using Xunit;

namespace Bandejo.Core.Tests;

public sealed class TargetTests
{
    private static readonly DateTimeOffset Now = new(2026, 1, 14, 10, 0, 0, TimeSpan.Zero);

    private static readonly TargetState[] Begun = [
        TargetState.Working, TargetState.Restart, TargetState.Retry, TargetState.Failed, TargetState.Lost, TargetState.Met, TargetState.Undone];

    public static TheoryData<TargetState, TargetEvent> EveryPair()
    {
        var pairs = new TheoryData<TargetState, TargetEvent>();
        foreach (var state in Enum.GetValues<TargetState>())
        {
            foreach (var happened in Enum.GetValues<TargetEvent>())
            {
                pairs.Add(state, happened);
            }
        }

        return pairs;
    }

    [Theory]
    [MemberData(nameof(EveryPair))]
    public void Every_pair_of_state_and_event_leads_where_it_may(TargetState state, TargetEvent happened)
    {
        var next = TargetTable.Decide(state, happened);
        TargetState[] allowed = happened switch
        {
            TargetEvent.OutOfScope => [TargetState.Left, state],
            TargetEvent.NotMeant => [TargetState.NotNeeded, state],
            TargetEvent.Blocked => [TargetState.Blocked, state],
            TargetEvent.FitNotKnown => [TargetState.Unknown, state],
            TargetEvent.Contested => [TargetState.Contested, state],
            TargetEvent.Yielded => [TargetState.Yielded, state],
            TargetEvent.OnShelf => [TargetState.Choice, state],
            TargetEvent.Held => [TargetState.Waiting, state],
            TargetEvent.Due => [TargetState.Ready, state],
            TargetEvent.Began => [TargetState.Working],
            TargetEvent.Succeeded => [TargetState.Met, TargetState.Left],
            TargetEvent.NeedsRestart => [TargetState.Restart, TargetState.Left],
            TargetEvent.TryFailed => [TargetState.Retry, TargetState.Left],
            TargetEvent.GaveUp => [TargetState.Failed, TargetState.Left],
            TargetEvent.ProofHeld => [TargetState.Met, state],
            TargetEvent.ProofLost => [TargetState.Ready, state],
            TargetEvent.ProofTooOld => [TargetState.Unknown, state],
            TargetEvent.FellSilent => [TargetState.Lost, state],
            TargetEvent.Deferred => [TargetState.Ready, state],
            TargetEvent.UndoLater or TargetEvent.UndoImpossible => [state],
            TargetEvent.RetryTime or TargetEvent.RetryAsked or TargetEvent.UndoAsked => [TargetState.Ready, state],
            _ => [TargetState.Undone, TargetState.Left],
        };
        Assert.Contains(next, allowed);

        var isWeighing = happened <= TargetEvent.Due;
        if (isWeighing && state is TargetState.Working or TargetState.Restart or TargetState.Lost)
        {
            // Work in hand is never interrupted by what is believed about the device.
            Assert.True(!isWeighing || next == state);
        }

        if (isWeighing && !Begun.Contains(state))
        {
            // What has not begun always follows what it is weighed as.
            Assert.Equal(allowed[0], next);
        }

        if (happened is TargetEvent.Held or TargetEvent.Due && Begun.Contains(state))
        {
            // A pause or an open wave says nothing about what was done already; a try that is set is still to be done, and held.
            Assert.Equal(state == TargetState.Retry && happened == TargetEvent.Held ? TargetState.Waiting : state, next);
        }

        if (happened == TargetEvent.FellSilent)
        {
            Assert.Equal(state is TargetState.Working or TargetState.Restart, next != state);
        }
    }

    [Theory]
    [InlineData(TargetEvent.Succeeded)]
    [InlineData(TargetEvent.GaveUp)]
    public void What_is_asked_for_again_after_it_had_ended_is_asked_for_by_another_number(TargetEvent ended)
    {
        var target = new Target { Device = "a" };
        foreach (var happened in new[] { TargetEvent.Due, TargetEvent.Began, ended })
        {
            target = Targets.Decide(target, new Happening(happened, Reason.None), Now);
        }

        var before = target.Order;
        target = Targets.Decide(target, new Happening(TargetEvent.OutOfScope, Reason.None), Now);
        target = Targets.Decide(target, new Happening(TargetEvent.Due, Reason.None), Now);
        Assert.Equal((TargetState.Ready, before + 1, 0), (target.State, target.Order, target.Tries));
    }

    [Fact]
    public void A_device_that_only_proves_it_was_there_already_is_no_trial()
    {
        var target = Happen(new Target { Device = "a" }, TargetEvent.Due, TargetEvent.ProofHeld);
        Assert.Equal((TargetState.Met, false, false), (target.State, target.IsInstalledHere, target.HasBegun));
    }

    [Fact]
    public void An_install_that_changed_something_is_a_trial_and_counts_its_try()
    {
        var target = Happen(new Target { Device = "a" }, TargetEvent.Due, TargetEvent.Began) with { Before = "" };
        Assert.Equal(1, target.Tries);
        target = Happen(target, TargetEvent.Succeeded);
        Assert.Equal((TargetState.Met, true, Now), (target.State, target.IsInstalledHere, target.ProvenAt));
    }

    [Fact]
    public void Waiting_is_no_try_and_no_failure()
    {
        var target = Happen(new Target { Device = "a" }, TargetEvent.Due, TargetEvent.Began);
        var waits = Targets.Decide(target, Attempts.Judge(target, false, AttemptOutcome.Waits, "somebody is there", RetryRule.Default, Now), Now);
        Assert.Equal((TargetState.Ready, 0, "somebody is there", null), (waits.State, waits.Tries, waits.WaitsFor, waits.TroubleAt));
        Assert.Contains("somebody is there", Targets.DueReason(waits.WaitsFor).ToString());
        Assert.Null(Happen(waits, TargetEvent.Began).WaitsFor);
    }

    [Fact]
    public void A_lost_proof_is_a_new_order_with_its_own_tries()
    {
        var target = Happen(new Target { Device = "a", Before = "" }, TargetEvent.Due, TargetEvent.Began, TargetEvent.Succeeded, TargetEvent.ProofLost);
        Assert.Equal((TargetState.Ready, 1, 1, 0), (target.State, target.Order, target.Repairs, target.Tries));
        Assert.Equal(Now, target.TroubleAt);
    }

    [Fact]
    public void The_same_event_twice_changes_nothing_the_second_time()
    {
        var once = Targets.Decide(new Target { Device = "a" }, new Happening(TargetEvent.Held, Reason.Said("closed")), Now);
        Assert.Same(once, Targets.Decide(once, new Happening(TargetEvent.Held, Reason.Said("closed")), Now.AddHours(1)));
        Assert.Equal("open soon", Targets.Decide(once, new Happening(TargetEvent.Held, Reason.Said("open soon")), Now.AddHours(1)).Reason.ToString());
    }

    [Fact]
    public void Tries_are_counted_and_the_last_gives_up()
    {
        var retry = new RetryRule(2, TimeSpan.FromMinutes(10), TimeSpan.FromHours(1));
        var target = Happen(new Target { Device = "a" }, TargetEvent.Due, TargetEvent.Began);
        var first = Attempts.Judge(target, false, AttemptOutcome.Failed, "code 9", retry, Now);
        Assert.Equal(TargetEvent.TryFailed, first.Event);
        Assert.InRange(first.Next!.Value - Now, TimeSpan.FromMinutes(8), TimeSpan.FromMinutes(10));
        target = Happen(Targets.Decide(target, first, Now), TargetEvent.RetryTime, TargetEvent.Began);
        var second = Attempts.Judge(target, false, AttemptOutcome.Failed, "code 9", retry, Now);
        Assert.Equal((TargetEvent.GaveUp, "code 9. All 2 tries are used up"), (second.Event, second.Reason.ToString()));
    }

    [Theory]
    [InlineData(AttemptOutcome.Busy, true)]
    [InlineData(AttemptOutcome.Failed, true)]
    [InlineData(AttemptOutcome.NoProof, true)]
    [InlineData(AttemptOutcome.TimedOut, true)]
    [InlineData(AttemptOutcome.NotFetched, true)]
    [InlineData(AttemptOutcome.Interrupted, true)]
    [InlineData(AttemptOutcome.Prerequisites, false)]
    [InlineData(AttemptOutcome.Refused, false)]
    [InlineData(AttemptOutcome.BadSignature, false)]
    [InlineData(AttemptOutcome.Withdrawn, false)]
    [InlineData(AttemptOutcome.Stuck, false)]
    public void Only_what_may_go_better_is_tried_again(AttemptOutcome outcome, bool again) =>
        Assert.Equal(again, Attempts.NextTry(outcome, 1, RetryRule.Default, "a", Now) is not null);

    [Fact]
    public void Pauses_double_up_to_the_longest_and_spread_by_device()
    {
        var retry = new RetryRule(20, TimeSpan.FromMinutes(10), TimeSpan.FromHours(1));
        Assert.InRange(retry.PauseAfter(3, "a"), TimeSpan.FromMinutes(32), TimeSpan.FromMinutes(40));
        Assert.InRange(retry.PauseAfter(15, "a"), TimeSpan.FromMinutes(48), TimeSpan.FromHours(1));
        Assert.True(Enumerable.Range(0, 50).Select(device => retry.PauseAfter(1, $"{device}")).Distinct().Count() > 40);
        Assert.Equal(retry.PauseAfter(2, "a"), retry.PauseAfter(2, "a"));
    }

    [Fact]
    public void Failures_of_the_same_kind_have_one_fingerprint()
    {
        var one = Attempts.Fingerprint("run", AttemptOutcome.Failed, 112, "cp: error writing '/srv/a/opt/x': 4096 of 8192 bytes");
        var two = Attempts.Fingerprint("run", AttemptOutcome.Failed, 112, "cp: error writing '/srv/b/opt/x': 12 of 99 bytes");
        Assert.Equal(one, two);
        Assert.NotEqual(one, Attempts.Fingerprint("run", AttemptOutcome.Failed, 1, "cp: error writing '/srv/b/opt/x': 12 of 99 bytes"));
    }

    private static Target Happen(Target target, params TargetEvent[] events) =>
        events.Aggregate(target, (before, happened) => Targets.Decide(before, new Happening(happened, Reason.Said(happened.ToString())), Now));
}
