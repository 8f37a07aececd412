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
    public void Every_pair_of_state_and_event_leads_where_it_must(TargetState state, TargetEvent happened) =>
        Assert.Equal(Expected(state, happened), TargetTable.Decide(state, happened));

    // The table once more, by what happens and why.
    private static TargetState Expected(TargetState state, TargetEvent happened)
    {
        var hasBegun = Begun.Contains(state);
        return happened switch
        {
            // Work in hand is never interrupted by what is believed about the device; what is done leaves only when nobody wants it here any more, and what has
            // not begun always follows what it is weighed as.
            TargetEvent.OutOfScope => To(TargetState.Left, !IsInHand(state)),
            TargetEvent.NotMeant => To(TargetState.NotNeeded, !hasBegun || state is TargetState.Retry or TargetState.Failed),
            TargetEvent.Blocked => To(TargetState.Blocked, !hasBegun || state == TargetState.Retry),
            TargetEvent.FitNotKnown => To(TargetState.Unknown, !hasBegun),
            TargetEvent.Contested => To(TargetState.Contested, !hasBegun || state is TargetState.Retry or TargetState.Met),
            TargetEvent.Yielded => To(TargetState.Yielded, !hasBegun || state is TargetState.Retry or TargetState.Met or TargetState.Failed),
            TargetEvent.OnShelf => To(TargetState.Choice, !hasBegun),

            // A pause or an open wave says nothing about what was done already; a try that is set is still to be done, and held.
            TargetEvent.Held => To(TargetState.Waiting, !hasBegun || state == TargetState.Retry),
            TargetEvent.Due => To(TargetState.Ready, !hasBegun),

            // The device's word wins over what was believed, except of what left meanwhile.
            TargetEvent.Began => TargetState.Working,
            TargetEvent.Succeeded => To(TargetState.Met, state != TargetState.Left),
            TargetEvent.NeedsRestart => To(TargetState.Restart, state != TargetState.Left),
            TargetEvent.TryFailed => To(TargetState.Retry, state != TargetState.Left),
            TargetEvent.GaveUp => To(TargetState.Failed, state != TargetState.Left),
            TargetEvent.ProofHeld => To(
                TargetState.Met,
                state is not (TargetState.Working or TargetState.Undone or TargetState.NotNeeded or TargetState.Contested or TargetState.Yielded
                    or TargetState.Left)),
            TargetEvent.ProofLost => To(TargetState.Ready, state is TargetState.Met or TargetState.Restart or TargetState.Lost),
            TargetEvent.ProofTooOld => To(TargetState.Unknown, state == TargetState.Met),
            TargetEvent.FellSilent => To(TargetState.Lost, state is TargetState.Working or TargetState.Restart),
            TargetEvent.Deferred => To(TargetState.Ready, state == TargetState.Working),
            TargetEvent.RetryTime => To(TargetState.Ready, state == TargetState.Retry),
            TargetEvent.RetryAsked => To(TargetState.Ready, state is TargetState.Retry or TargetState.Failed or TargetState.Lost or TargetState.Undone),

            // What works ends first, and what is undone is undone.
            TargetEvent.UndoAsked => To(TargetState.Ready, state is not (TargetState.Working or TargetState.Undone)),
            TargetEvent.UndoLater or TargetEvent.UndoImpossible => state,
            TargetEvent.Undone => TargetState.Undone,
            _ => throw new InvalidOperationException($"Nothing is expected of {happened}."),
        };

        TargetState To(TargetState next, bool moves) => moves ? next : state;
    }

    private static bool IsInHand(TargetState state) => state is TargetState.Working or TargetState.Restart or TargetState.Lost;

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
