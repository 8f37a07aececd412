using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.Rules;
using Bandejo.Core.Versions;
using CsCheck;
using Xunit;

namespace Bandejo.Core.Tests;

public sealed class DeploymentTests
{
    private static readonly DateTimeOffset Start = new(2026, 1, 14, 10, 0, 0, TimeSpan.Zero);

    [Fact]
    public void The_first_wave_opens_at_once_and_the_second_behind_the_gate()
    {
        var run = new Run("80 % met", 4, 10);
        Assert.Equal(["wave-opened"], run.Look(met: 0));
        Assert.Equal([], run.Look(met: 3));
        Assert.Equal(["gate-passed", "wave-opened"], run.Look(met: 4));
        Assert.NotNull(run.State.Waves[1].OpenedAt);
    }

    [Fact]
    public void A_gate_is_looked_at_on_what_is_counted_after_its_wave_opened()
    {
        var run = new Run("100 % met", 2, 5);
        Assert.Equal(["wave-opened"], run.Look(met: 2));
        Assert.Equal(run.At, run.LookAgain);
        Assert.Equal(["gate-passed", "wave-opened"], run.Look(met: 2));
    }

    [Fact]
    public void A_soak_runs_from_when_the_count_holds_and_starts_again_when_it_falls()
    {
        var run = new Run("85 % met for 1 d", 10, 5);
        run.Look(met: 0);
        Assert.Equal(["gate-reached"], run.Look(met: 9));
        run.At = Start.AddHours(6);
        Assert.Equal(["gate-fell"], run.Look(met: 8));
        run.At = Start.AddHours(8);
        Assert.Equal(["gate-reached"], run.Look(met: 9));
        run.At = Start.AddHours(25);
        Assert.Equal([], run.Look(met: 9));
        Assert.Equal(Start.AddHours(32), run.LookAgain);
        run.At = Start.AddHours(32);
        Assert.Equal(["gate-passed", "wave-opened"], run.Look(met: 9));
    }

    [Fact]
    public void A_clean_soak_starts_again_at_a_new_failure_although_the_count_holds()
    {
        var run = new Run("50 % met for 1 h, clean", 4, 5);
        run.Look(met: 0);
        run.Look(met: 3);
        run.At = Start.AddMinutes(50);
        Assert.Equal(["soak-again"], run.Look(met: 3, trouble: Start.AddMinutes(40)));
        run.At = Start.AddMinutes(99);
        Assert.Equal([], run.Look(met: 3, trouble: Start.AddMinutes(40)));
        run.At = Start.AddMinutes(100);
        Assert.Equal(["gate-passed", "wave-opened"], run.Look(met: 3, trouble: Start.AddMinutes(40)));
    }

    [Fact]
    public void Approval_follows_the_soak_and_never_comes_from_who_started()
    {
        var run = new Run("100 % met, then approval", 2, 5);
        run.Look(met: 0);
        Assert.Equal(ErrorKind.Conflict, run.Ask(DeploymentAct.Approve, "ruth"));
        Assert.Equal(["approval-wanted"], run.Look(met: 2));
        Assert.Equal(ErrorKind.Forbidden, run.Ask(DeploymentAct.Approve, "tomas"));
        Assert.Null(run.Ask(DeploymentAct.Approve, "ruth"));
        Assert.Equal(["wave-opened"], run.Look(met: 2));
    }

    [Fact]
    public void Who_started_may_approve_only_alone_and_with_a_reason()
    {
        var run = new Run("approval", 2, 5);
        run.Look(met: 0);
        run.Look(met: 2);
        Assert.Equal(ErrorKind.Forbidden, run.Ask(DeploymentAct.Approve, "tomas", "", mayApproveOwn: true));
        Assert.Null(run.Ask(DeploymentAct.Approve, "tomas", "nobody else is in", mayApproveOwn: true));
    }

    [Fact]
    public void A_count_that_falls_takes_the_wish_for_approval_back()
    {
        var run = new Run("100 % met, then approval", 2, 5);
        run.Look(met: 0);
        run.Look(met: 2);
        Assert.Equal(["gate-fell"], run.Look(met: 1));
        Assert.Equal(ErrorKind.Conflict, run.Ask(DeploymentAct.Approve, "ruth"));
    }

    [Fact]
    public void New_trouble_takes_the_wish_for_approval_back_until_it_has_soaked_again()
    {
        var run = new Run("50 % met for 1 h, clean, then approval", 4, 5);
        run.Look(met: 0);
        run.Look(met: 3);
        run.At = Start.AddHours(1);
        Assert.Equal(["approval-wanted"], run.Look(met: 3));
        run.At = Start.AddHours(2);
        Assert.Equal(["soak-again"], run.Look(met: 3, trouble: Start.AddHours(2)));
        Assert.Equal(ErrorKind.Conflict, run.Ask(DeploymentAct.Approve, "ruth", met: 3));
        run.At = Start.AddHours(3);
        Assert.Equal(["approval-wanted"], run.Look(met: 3, trouble: Start.AddHours(2)));
    }

    [Fact]
    public void A_wave_of_one_device_passes_with_it_and_a_reason_of_one_letter_is_one()
    {
        var run = new Run("100 % met, then approval", 1, 5);
        run.Look(met: 0);
        run.Look(met: 1);
        Assert.Null(run.Ask(DeploymentAct.Approve, "tomas", "x", mayApproveOwn: true, met: 1));
        Assert.True(run.State.Waves[0].IsSoaked);
        var alone = new Run("100 % met", 1, 5);
        alone.Look(met: 0);
        Assert.Equal(["gate-passed", "wave-opened"], alone.Look(met: 1));
        Assert.True(alone.State.Waves[0].IsSoaked);
    }

    [Fact]
    public void One_changed_device_is_enough_for_its_rule_to_roll_back()
    {
        var run = new Run("50 % met", 20, 5, rollBackOnHalt: true);
        run.Look(met: 0);
        Tally Failed(int changed) => run.Tallies(0, failed: 9)[0] with { Changed = changed };
        var none = new Run("50 % met", 20, 5, rollBackOnHalt: true);
        none.Look(met: 0);
        none.Look([Failed(0), none.Tallies(0)[1]]);
        Assert.Equal(DeploymentStatus.Halted, none.State.Status);
        run.Look([Failed(1), run.Tallies(0)[1]]);
        Assert.Equal(DeploymentStatus.RollingBack, run.State.Status);
    }

    [Fact]
    public void Whoever_resumes_or_rolls_back_is_told_of_what_and_has_to_say_why()
    {
        var run = new Run("50 % met", 20, 5);
        run.Look(met: 0);
        Assert.Null(run.Ask(DeploymentAct.Pause, "tomas"));
        Assert.Null(run.Ask(DeploymentAct.Resume, "tomas"));
        Assert.Equal("Resumed.", run.Says);
        Assert.Equal(ErrorKind.Invalid, run.Ask(DeploymentAct.Halt, "tomas"));
        run.Look(met: 0, failed: 9);
        Assert.Equal(ErrorKind.Invalid, run.Ask(DeploymentAct.Resume, "tomas", failed: 9));
        Assert.Null(run.Ask(DeploymentAct.Resume, "tomas", "they were lent out", failed: 9));
        Assert.StartsWith("Resumed after the halt (9 of 9 failed", run.Says);

        Assert.Equal(ErrorKind.Invalid, run.Ask(DeploymentAct.RollBack, "tomas", some: "2 devices"));
        Assert.Null(run.Ask(DeploymentAct.End, "tomas", "done"));
        Assert.Equal(ErrorKind.Invalid, run.Ask(DeploymentAct.RollBack, "tomas", some: "2 devices"));
        Assert.Null(run.Ask(DeploymentAct.RollBack, "tomas", "they do not print", some: "2 devices"));
        Assert.True(run.State.RollsBackSome);
        Assert.Equal(ErrorKind.Invalid, run.Ask(DeploymentAct.RollBack, "tomas"));
        Assert.Null(run.Ask(DeploymentAct.RollBack, "tomas", "nor do the others"));
        Assert.False(run.State.RollsBackSome);
    }

    [Fact]
    public void Gates_and_halts_are_read_to_the_hundredth_and_say_where_they_are_wrong()
    {
        Assert.Equal(1250, Gate.Parse("12.5 % met").Value.Share);
        Assert.Equal(1205, Gate.Parse("12.05 % met").Value.Share);
        Assert.False(Gate.Parse("90 % met, silent left out after 0 s").Ok);
        Assert.False(Gate.Parse("12.5 met").Ok);
        Assert.Equal((1, 1), Place(Gate.Parse("clean")));
        Assert.Equal(1250, HaltRule.Parse("12.5 % failed").Value.Rate);
        Assert.Equal((1000, 5), (HaltRule.Default.Rate, HaltRule.Default.LeastTrials));
        Assert.Equal((700, 5), (HaltRule.Parse("7 % failed").Value.Rate, HaltRule.Parse("7 % failed").Value.LeastTrials));
        Assert.Equal(5, HaltRule.Parse("3 failed").Value.LeastTrials);
        Assert.Equal((1, 13), Place(HaltRule.Parse("7 % failed, most failed")));
        Assert.Equal(0, HaltRule.LowerBound(0, 0));
        Assert.Equal(
            "3 of 12 failed; with 95 % certainty that is more than 10.47 %, and 10 % is the limit", HaltRule.Default.Halts(3, 12));

        static (int?, int?) Place<T>(Outcome<T> refused) => (refused.Failure!.Findings[0].Line, refused.Failure.Findings[0].Column);
    }

    [Fact]
    public void A_wave_in_which_nothing_counts_waits_for_a_person()
    {
        var run = new Run("95 % met", 0, 5);
        Assert.Equal(["wave-opened"], run.Look(met: 0));
        Assert.Equal([], run.Look(met: 0));
        Assert.Contains("somebody must advance", Sentences.Of(run.Plan, run.State, run.Tallies(0), run.At).ToString());
        Assert.Equal(ErrorKind.Invalid, run.Ask(DeploymentAct.Advance, "tomas"));
        Assert.Null(run.Ask(DeploymentAct.Advance, "tomas", "the pilots are on leave"));
        Assert.Equal(["wave-opened"], run.Look(met: 0));
    }

    [Fact]
    public void Too_many_failures_halt_and_nothing_opens_until_somebody_resumes_with_a_reason()
    {
        var run = new Run("10 % met", 12, 5);
        run.Look(met: 1);
        var halted = new Run("90 % met", 12, 5);
        halted.Look(met: 0);
        Assert.Equal(["halted"], halted.Look(met: 9, failed: 3));
        Assert.Equal(DeploymentStatus.Halted, halted.State.Status);
        Assert.Contains("3 of 12 failed", halted.State.Reason);
        Assert.Equal([], halted.Look(met: 12));
        Assert.Equal(ErrorKind.Invalid, halted.Ask(DeploymentAct.Resume, "tomas"));
        Assert.Null(halted.Ask(DeploymentAct.Resume, "tomas", "the disks were cleared", failed: 3, met: 9));
        Assert.Equal(DeploymentStatus.Running, halted.State.Status);
    }

    [Fact]
    public void Whoever_resumes_accepts_the_failures_so_far_and_only_new_ones_halt_again()
    {
        var run = new Run("90 % met", 40, 5);
        run.Look(met: 0);
        Assert.Equal(["halted"], run.Look(met: 9, failed: 3));
        Assert.Null(run.Ask(DeploymentAct.Resume, "tomas", "the disks were cleared", met: 9, failed: 3));
        Assert.Equal([], run.Look(met: 9, failed: 3));
        Assert.Equal([], run.Look(met: 20, failed: 4));
        Assert.Equal(["halted"], run.Look(met: 20, failed: 8));
    }

    [Fact]
    public void A_halt_can_roll_back_by_itself_and_ends_when_nothing_is_left_to_take_back()
    {
        var run = new Run("90 % met", 12, 5, rollBackOnHalt: true);
        run.Look(met: 0);
        run.Look(met: 9, failed: 3);
        Assert.Equal(DeploymentStatus.RollingBack, run.State.Status);
        Assert.Equal([], run.Look(met: 0, goingBack: 2));
        Assert.Equal(["rolled-back"], run.Look([.. run.Tallies(met: 0).Select(
            tally => tally with { States = [.. Enum.GetValues<TargetState>().Select(state => state == TargetState.Undone ? 2 : 0)] })]));
        Assert.Equal(DeploymentStatus.Ended, run.State.Status);
    }

    [Fact]
    public void A_halt_that_finds_nothing_to_take_back_stays_a_halt()
    {
        var run = new Run("90 % met", 12, 5, rollBackOnHalt: true);
        run.Look(met: 0);
        run.Look([.. run.Tallies(met: 9, failed: 3).Select(tally => tally with { Changed = 0 })]);
        Assert.Equal(DeploymentStatus.Halted, run.State.Status);
    }

    [Fact]
    public void A_halt_that_could_take_nothing_back_stays_a_halt_that_somebody_may_resume()
    {
        var run = new Run("90 % met", 12, 5, rollBackOnHalt: true);
        run.Look(met: 0);
        run.Look(met: 9, failed: 3);
        run.Look([.. run.Tallies(met: 9, failed: 3).Select(tally => tally with { NotBack = 6 })]);
        Assert.Equal(DeploymentStatus.Halted, run.State.Status);
        Assert.EndsWith("; nothing could be rolled back", run.State.Reason);
        Assert.Null(run.Ask(DeploymentAct.Resume, "tomas", "it was the disk", met: 9, failed: 3));
    }

    [Fact]
    public void A_roll_back_of_some_leaves_the_rest_as_it_is_and_after_the_end_ends_again()
    {
        var run = new Run("100 % met", 2, 5);
        run.Look(met: 0);
        Assert.Null(run.Ask(DeploymentAct.RollBack, "tomas", "one prints blank pages", some: "DESK-1"));
        Assert.Equal(DeploymentStatus.Running, run.State.Status);
        Assert.Null(run.Ask(DeploymentAct.End, "tomas", "done"));
        Assert.Equal(ErrorKind.Conflict, run.Ask(DeploymentAct.Resume, "tomas", "no"));
        Assert.Null(run.Ask(DeploymentAct.RollBack, "tomas", "prints blank pages", some: "DESK-2"));
        Assert.Equal(DeploymentStatus.RollingBack, run.State.Status);
        Assert.Equal([], run.Look(met: 1, goingBack: 1));
        run.Look([.. run.Tallies(met: 1).Select(tally => tally with { NotBack = 1 })]);
        Assert.Equal(DeploymentStatus.Ended, run.State.Status);
        Assert.Equal("rolled back in part (prints blank pages); 2 devices could not be brought back", run.State.Reason);
    }

    [Fact]
    public void A_pause_keeps_the_next_wave_closed()
    {
        var run = new Run("100 % met", 2, 5);
        run.Look(met: 0);
        Assert.Null(run.Ask(DeploymentAct.Pause, "tomas"));
        Assert.Equal([], run.Look(met: 2));
        Assert.False(run.State.MayStart(0));
        Assert.Null(run.Ask(DeploymentAct.Resume, "tomas"));
        Assert.Equal(["gate-passed", "wave-opened"], run.Look(met: 2));
    }

    [Theory]
    [InlineData(DeploymentAct.Pause, "met")]
    [InlineData(DeploymentAct.Halt, "met")]
    [InlineData(DeploymentAct.Halt, "harm")]
    public void What_falls_while_nothing_passes_soaks_anew_although_it_holds_again_by_then(DeploymentAct act, string what)
    {
        var run = new Run("100 % met for 1 h, at most 0 harm reports", 2, 5);
        run.Look(met: 0);
        Assert.Equal(["gate-reached"], run.Look(met: 2));
        run.At = Start.AddMinutes(30);
        Assert.Null(run.Ask(act, "tomas", "look at it first"));
        Assert.Equal(["gate-fell"], what == "met" ? run.Look(met: 1) : run.Look([run.Tallies(2)[0] with { Harms = 1 }, run.Tallies(2)[1]]));
        Assert.Equal([], run.Look(met: 2));
        run.At = Start.AddHours(4);
        Assert.Null(run.Ask(DeploymentAct.Resume, "tomas", "it was nothing"));
        Assert.Equal(["gate-reached"], run.Look(met: 2));
        Assert.Equal(Start.AddHours(5), run.LookAgain);
    }

    [Fact]
    public void A_soak_goes_on_while_nothing_passes_where_what_it_waits_for_holds_throughout()
    {
        var run = new Run("100 % met for 1 h", 2, 5);
        run.Look(met: 0);
        run.Look(met: 2);
        Assert.Null(run.Ask(DeploymentAct.Pause, "tomas"));
        run.At = Start.AddMinutes(59);
        Assert.Equal([], run.Look(met: 2));
        Assert.Null(run.Ask(DeploymentAct.Resume, "tomas"));
        Assert.Equal([], run.Look(met: 2));
        run.At = Start.AddHours(1);
        Assert.Equal(["gate-passed", "wave-opened"], run.Look(met: 2));
    }

    [Fact]
    public void A_wave_with_a_time_of_its_own_does_not_open_before_it()
    {
        var run = new Run("100 % met", 2, 5, secondOpens: Start.AddHours(5));
        run.Look(met: 0);
        Assert.Equal(["gate-passed"], run.Look(met: 2));
        Assert.Equal(Start.AddHours(5), run.LookAgain);
        run.At = Start.AddHours(5);
        Assert.Equal(["wave-opened"], run.Look(met: 2));
    }

    [Fact]
    public void What_has_ended_is_only_rolled_back_any_more()
    {
        var run = new Run("100 % met", 2, 5);
        run.Look(met: 0);
        Assert.Null(run.Ask(DeploymentAct.End, "tomas", "a newer one is out"));
        foreach (var act in Enum.GetValues<DeploymentAct>().Where(act => act != DeploymentAct.RollBack))
        {
            Assert.Equal(ErrorKind.Conflict, run.Ask(act, "ruth", "why not"));
        }

        Assert.Null(run.Ask(DeploymentAct.RollBack, "ruth", "prints blank pages"));
    }

    [Fact]
    public void Every_act_in_every_status_is_allowed_or_refused_and_never_breaks()
    {
        foreach (var status in Enum.GetValues<DeploymentStatus>())
        {
            foreach (var act in Enum.GetValues<DeploymentAct>())
            {
                var run = new Run("100 % met, then approval", 2, 5);
                run.Look(met: 2);
                run.State = run.State with { Status = status };
                var before = run.State;
                var kind = run.Ask(act, "ruth", "because");
                Assert.Equal(kind is not null, ReferenceEquals(before, run.State));
            }
        }
    }

    [Fact]
    public void Looking_twice_never_acts_twice() =>
        Gen.Select(Gen.Int[0, 12], Gen.Int[0, 12], Gen.Int[0, 3], Gen.OneOf("80 % met", "50 % met for 1 h", "90 % met, then approval", "3 met, clean"))
            .Sample((met, failed, later, gate) =>
    {
        var run = new Run(gate, 12, 5);
        run.Look(met: 0);
        run.At = Start.AddMinutes(later * 40);
        failed = Math.Min(failed, 12 - met);
        run.Look(met, failed);
        var once = run.State;
        Assert.Equal([], run.Look(met, failed));
        Assert.Equal(once, run.State);
    }, iter: 2_000);

    [Fact]
    public void The_stronger_wish_rules_the_newer_version_among_equals_and_opposites_are_contested()
    {
        var older = ("D1", Wish.Have, 0, AppVersion.Parse("7.1"));
        var newer = ("D2", Wish.Have, 0, AppVersion.Parse("7.2"));
        var strong = ("D3", Wish.Have, 5, AppVersion.Parse("7.0"));
        var gone = ("D4", Wish.Gone, 0, AppVersion.Parse("7.2"));
        Assert.Equal("D2", Targeting.Settle([older, newer]).Rules);
        Assert.Equal("D3", Targeting.Settle([older, newer, strong, gone]).Rules);
        var settled = Targeting.Settle([newer, gone]);
        Assert.Null(settled.Rules);
        Assert.Equal(["D2", "D4"], settled.Contest);
    }

    [Fact]
    public void A_device_is_weighed_against_the_first_variant_that_fits_and_unknown_is_never_passed_over()
    {
        var columns = new FleetColumns();
        var row = columns.Add();
        var variants = new[] { Variant("arm", "architecture is \"arm64\"", "yes"), Variant("x64", "architecture is \"x64\"", "memory >= 4 GiB") };
        Assert.Equal(TargetEvent.FitNotKnown, Targeting.Weigh(variants, columns.Row(row)).Event);
        columns.Set(row, new FactRef("architecture", false), FactLookup.Of(FactValue.OfText("x64")));
        Assert.Equal((TargetEvent.FitNotKnown, "x64"), (
            Targeting.Weigh(variants, columns.Row(row)).Event, Targeting.Weigh(variants, columns.Row(row)).Variant));
        columns.Set(row, new FactRef("memory", false), FactLookup.Of(FactValue.OfSize(2L << 30)));
        Assert.Equal("Required: memory >= 4 GiB", Targeting.Weigh(variants, columns.Row(row)).Reason.WithoutWhatItHas().ToString());
        Assert.Equal((TargetEvent.Blocked, "Required: memory >= 4 GiB (has 2 GiB)"), (
            Targeting.Weigh(variants, columns.Row(row)).Event, Targeting.Weigh(variants, columns.Row(row)).Reason.ToString()));
        columns.Set(row, new FactRef("memory", false), FactLookup.Of(FactValue.OfSize(8L << 30)));
        Assert.Equal(TargetEvent.Due, Targeting.Weigh(variants, columns.Row(row)).Event);
        columns.Set(row, new FactRef("architecture", false), FactLookup.Of(FactValue.OfText("x86")));
        Assert.Equal(TargetEvent.NotMeant, Targeting.Weigh(variants, columns.Row(row)).Event);
    }

    private static VariantRules Variant(string name, string fits, string requires) => new(name, Rule.Parse(fits).Value, Rule.Parse(requires).Value);

    /// <summary>A deployment of two waves that is looked at with counts made up by the test.</summary>
    private sealed class Run
    {
        private readonly int[] _sizes;

        public Run(string gate, int first, int second, DateTimeOffset? secondOpens = null, bool rollBackOnHalt = false)
        {
            _sizes = [first, second];
            Plan = new DeploymentPlan
            {
                Id = "D1", Name = "Foldline 7.2.0", App = "foldline", AppName = "Foldline", Package = "p", Version = AppVersion.Parse("7.2.0"),
                Groups = ["desks"], RollBackOnHalt = rollBackOnHalt,
                Waves = [new Wave("Pilots", new Pick { Group = "pilots" }, Gate.Parse(gate).Value, null), new Wave("The rest", new Pick(), null, secondOpens)],
            };
            State = DeploymentState.Start(Plan, "tomas", Start);
        }

        public DeploymentPlan Plan { get; }

        public DeploymentState State { get; set; }

        public DateTimeOffset At { get; set; } = Start;

        public DateTimeOffset? LookAgain { get; private set; }

        /// <summary>What was last answered to somebody who asked.</summary>
        public string Says { get; private set; } = "";

        public IReadOnlyList<Tally> Tallies(int met, int failed = 0, DateTimeOffset? trouble = null, int goingBack = 0) =>
            [new Tally(_sizes[0], _sizes[0], met, 0, met + failed, failed, trouble, goingBack, 0, new int[16]) { Changed = met + failed }, new Tally(
                _sizes[1], _sizes[1], 0, 0, 0, 0, null, 0, 0, new int[16])];

        public IReadOnlyList<string> Look(int met, int failed = 0, DateTimeOffset? trouble = null, int goingBack = 0) =>
            Look(Tallies(met, failed, trouble, goingBack));

        public IReadOnlyList<string> Look(IReadOnlyList<Tally> tallies)
        {
            var decision = DeploymentMachine.Decide(Plan, State, new Looked(tallies), At).Value;
            Become(decision.State);
            LookAgain = decision.LookAgain;
            return [.. decision.Journal.Select(line => line.What)];
        }

        public ErrorKind? Ask(DeploymentAct act, string by, string reason = "", bool mayApproveOwn = false, int met = 0, int failed = 0, string? some = null)
        {
            var decision = DeploymentMachine.Decide(Plan, State, new Asked(act, by, reason, mayApproveOwn, Tallies(met, failed), some), At);
            Become(decision.Ok ? decision.Value.State : State);
            Says = decision.Ok ? decision.Value.Journal[^1].Text : decision.Failure!.Message;
            return decision.Failure?.Kind;
        }

        /// <summary>Whatever changes raises the revision: who looked before acts on something else.</summary>
        private void Become(DeploymentState state)
        {
            Assert.True(state == State || state.Revision > State.Revision, $"Revision {state.Revision} follows {State.Revision}.");
            State = state;
        }
    }

    [Fact]
    public void A_wave_overruns_when_it_takes_twice_as_long_as_waves_here_usually_do()
    {
        var start = new DateTimeOffset(2026, 1, 12, 8, 0, 0, TimeSpan.Zero);
        WaveState Took(double hours) => WaveState.Closed with { OpenedAt = start, ReachedAt = start.AddHours(hours) };
        var hour = TimeSpan.FromHours(1);
        Assert.Null(Pace.Of([Took(1), Took(2), WaveState.Closed, WaveState.Closed with { OpenedAt = start }]));
        var pace = Pace.Of([Took(2), Took(30), Took(4), WaveState.Closed])!;
        Assert.Equal((TimeSpan.FromHours(4), 3), (pace.Usual, pace.Waves));
        var open = WaveState.Closed with { OpenedAt = start };
        Assert.False(pace.IsOverrun(open, hour, start.AddHours(9)));
        Assert.True(pace.IsOverrun(open, hour, start.AddHours(9.1)));
        Assert.False(pace.IsOverrun(Took(20), hour, start.AddHours(30)));
        Assert.False(pace.IsOverrun(WaveState.Closed, hour, start.AddHours(30)));
    }
}
