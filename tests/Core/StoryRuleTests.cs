using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.Rules;
using Xunit;

namespace Bandejo.Core.Tests;

/// <summary>Harm reports in gates and halt rules, choices among wishes, and what sets devices apart.</summary>
public sealed class StoryRuleTests
{
    private static readonly DateTimeOffset Now = new(2026, 1, 14, 10, 0, 0, TimeSpan.Zero);

    [Theory]
    [InlineData("95 % met for 2 d, at most 2 harm reports, then approval", 2)]
    [InlineData("95 % met, no harm report", 0)]
    [InlineData("95 % met", null)]
    public void A_gate_says_how_many_harm_reports_it_bears(string text, int? most)
    {
        var gate = Gate.Parse(text).Value;
        Assert.Equal(most, gate.MostHarms);
        Assert.Equal(text, gate.ToString());
    }

    [Fact]
    public void A_gate_with_a_harm_report_too_many_does_not_pass_until_somebody_advances_it()
    {
        var plan = Plan("100 % met, at most 1 harm report", "never");
        var state = DeploymentState.Start(plan, "tomas", Now);
        state = Look(plan, state, harms: 2);
        Assert.Null(state.Waves[0].PassedAt);
        Assert.Contains("2 harm reports, 1 allowed", Sentences.Of(plan, state, Tallies(2), Now).ToString());
        Assert.NotNull(Look(plan, state, harms: 1).Waves[0].PassedAt);
        var advanced = DeploymentMachine.Decide(plan, state, new Asked(DeploymentAct.Advance, "tomas", "looked at both"), Now).Value.State;
        Assert.NotNull(advanced.Waves[0].PassedAt);
    }

    [Fact]
    public void Harm_reports_halt_and_those_accepted_by_resuming_do_not_halt_again()
    {
        var plan = Plan("100 % met", "10 % failed of at least 5, or 2 harm reports");
        Assert.Equal("10 % failed of at least 5, or 2 harm reports", plan.Halt.ToString());
        var state = Look(plan, DeploymentState.Start(plan, "tomas", Now), harms: 1);
        Assert.Equal(DeploymentStatus.Running, state.Status);
        state = Look(plan, state, harms: 2);
        Assert.Equal(DeploymentStatus.Halted, state.Status);
        state = DeploymentMachine.Decide(plan, state, new Asked(DeploymentAct.Resume, "tomas", "known", Waves: Tallies(2)), Now).Value.State;
        Assert.Equal(DeploymentStatus.Running, Look(plan, state, harms: 3).Status);
        Assert.Equal(DeploymentStatus.Halted, Look(plan, state, harms: 4).Status);
    }

    [Fact]
    public void A_harm_report_is_counted_and_is_trouble_for_a_clean_soak()
    {
        var target = Targets.Harmed(new Target { Device = "a", State = TargetState.Met, ProvenAt = Now, Wave = 0 }, new string('x', 1000), Now);
        var tally = Counting.Count([target, target with { Harms = 2 }], null, TimeSpan.FromDays(7), _ => Now, Now);
        // Two devices, of which one said so twice: a device counts once.
        Assert.Equal((2, Now), (tally.Harms, tally.LastTrouble!.Value));
        Assert.Equal(Targets.MaxHarm, target.Harm!.Length);
    }

    [Fact]
    public void After_the_deadline_the_sentence_says_how_many_are_late()
    {
        var plan = Plan("100 % met", "never") with { Deadline = Now.AddDays(-2) };
        var states = new int[16];
        states[(int)TargetState.Ready] = 6;
        states[(int)TargetState.Lost] = 1;
        states[(int)TargetState.Met] = 33;
        var tally = new Tally(40, 40, 33, 0, 34, 1, null, 0, 0, states);
        var state = DeploymentState.Start(plan, "tomas", Now);
        Assert.EndsWith(
            "7 devices are late, since the deadline 2 d ago.", Sentences.Of(plan, state, [tally, tally with { States = new int[16] }], Now).ToString());
        Assert.DoesNotContain("late", Sentences.Of(plan with { Deadline = Now.AddDays(1) }, state, [tally, tally], Now).ToString());
    }

    [Theory]
    [InlineData(TargetState.Working, 60, 4 * 60)]
    [InlineData(TargetState.Working, 4 * 60, 12 * 60)]
    [InlineData(TargetState.Restart, 60, 4 * 24 * 60)]
    [InlineData(TargetState.Restart, 48 * 60, 6 * 24 * 60)]
    public void Nobody_is_lost_for_coming_seldom_or_for_a_night_before_a_restart(TargetState state, int interval, int minutes) =>
        Assert.Equal(TimeSpan.FromMinutes(minutes), Targets.LostAfter(Plan("100 % met", "never"), state, TimeSpan.FromMinutes(interval)));

    [Fact]
    public void A_target_that_waits_for_a_silent_device_says_so()
    {
        Assert.Equal("; nobody has heard from it for 16 d", Sentences.Silence(TargetState.Ready, Now.AddDays(-16), TimeSpan.FromHours(4), Now));
        Assert.Equal("", Sentences.Silence(TargetState.Ready, Now.AddHours(-11), TimeSpan.FromHours(4), Now));
        Assert.Equal("", Sentences.Silence(TargetState.Met, Now.AddDays(-16), TimeSpan.FromHours(4), Now));
    }

    [Fact]
    public void A_compiled_rule_sees_every_change_of_a_fact_an_app_and_the_inventory()
    {
        var columns = new FleetColumns();
        var row = columns.Add();
        var rule = columns.Compile(Rule.Parse("kind is \"desk\" and app \"foldline\" < \"7.2\"").Value);
        Assert.Equal(Truth.NotKnown, rule.At(row));
        columns.Set(row, new FactRef("kind", false), FactLookup.Of(FactValue.OfText("kiosk")));
        Assert.Equal(Truth.False, rule.At(row));
        columns.Set(row, new FactRef("kind", false), FactLookup.Of(FactValue.OfText("desk")));
        Assert.Equal(Truth.NotKnown, rule.At(row));
        columns.SetInventoryComplete(row, true);
        Assert.Equal(Truth.False, rule.At(row));
        columns.Set(row, new FactRef("foldline", true), FactLookup.Of(FactValue.OfVersion(Versions.AppVersion.Parse("7.1"))));
        Assert.Equal(Truth.True, rule.At(row));
        columns.Set(row, new FactRef("foldline", true), FactLookup.Of(FactValue.OfVersion(Versions.AppVersion.Parse("7.2"))));
        Assert.Equal(Truth.False, rule.At(row));
    }

    [Fact]
    public void A_choice_that_was_taken_is_no_opposite_of_having()
    {
        var one = Versions.AppVersion.Parse("1.0");
        Assert.Equal("D1", Targeting.Settle([("D1", Wish.Have, 0, one), ("D2", Wish.Choice, 0, one)]).Rules);
        Assert.Equal(["D1", "D2"], Targeting.Settle([("D1", Wish.Gone, 0, one), ("D2", Wish.Choice, 0, one)]).Contest);
    }

    [Fact]
    public void What_all_failing_devices_have_and_few_others_is_named_with_its_counts()
    {
        var columns = new FleetColumns();
        List<int> failing = [], others = [];
        for (var i = 0; i < 20; i++)
        {
            var row = columns.Add();
            (i < 4 ? failing : others).Add(row);
            columns.Set(row, new FactRef("model", false), FactLookup.Of(FactValue.OfText(i is < 4 or 10 ? "Pamphlet 2" : "Pamphlet 3")));
            columns.Set(row, new FactRef("kind", false), FactLookup.Of(FactValue.OfText("kiosk")));
            columns.Set(row, new FactRef("disk.free", false), FactLookup.Of(FactValue.OfSize((i + 1) * 1024d * 1024 * 1024)));
        }

        var found = Differences.Find(columns, failing, others);
        Assert.Equal(["disk.free is at most 4 GiB: all 4 of these, none of 16 others", "model is Pamphlet 2: all 4 of these, 1 of 16 others"], found.Select(
            difference => difference.Text));
        Assert.Empty(Differences.Find(columns, failing[..2], others));
        Assert.Empty(Differences.Find(columns, failing, []));
    }

    private static DeploymentPlan Plan(string gate, string halt) => new()
    {
        Id = "D1", Name = "A try", App = "foldline", AppName = "Foldline", Package = "p", Version = Versions.AppVersion.Parse("7.2.0"), Groups = ["all"],
        Halt = HaltRule.Parse(halt).Value,
        Waves = [new Wave("Pilots", new Pick { Count = 3 }, Gate.Parse(gate).Value, null), new Wave("Rest", new Pick(), null, null)],
    };

    private static DeploymentState Look(DeploymentPlan plan, DeploymentState state, int harms) =>
        DeploymentMachine.Decide(plan, state, new Looked(Tallies(harms)), Now).Value.State;

    [Fact]
    public void A_gate_that_cannot_be_reached_any_more_says_what_is_missing_and_one_that_can_does_not()
    {
        var gate = Gate.Parse("100 % met").Value;
        Assert.Equal("1 failed", Sentences.OutOfReach(gate, One(TargetState.Failed)));
        Assert.Equal("1 not heard from for long", Sentences.OutOfReach(gate, One(TargetState.Ready) with { Silent = 1 }));
        Assert.Null(Sentences.OutOfReach(gate, One(TargetState.Ready)));
        Assert.Null(Sentences.OutOfReach(gate, One(TargetState.Met)));
        Assert.Null(Sentences.OutOfReach(Gate.Parse("approval").Value, One(TargetState.Failed)));
        var plan = Plan("100 % met", "never");
        var state = DeploymentState.Start(plan, "tomas", Now);
        state = state with { Waves = [state.Waves[0] with { OpenedAt = Now }, .. state.Waves.Skip(1)] };
        Assert.Contains(
            "cannot reach its gate as things are: 0 of 1 met, 1 needed; 1 failed. Somebody must try again",
            Sentences.Of(plan, state, [One(TargetState.Failed), One(TargetState.Waiting)], Now).ToString());
        var last = state with { Waves = [state.Waves[0] with { PassedAt = Now }, state.Waves[1] with { OpenedAt = Now }] };
        Assert.Contains(
            "what is left does not go on by itself: 1 failed", Sentences.Of(plan, last, [One(TargetState.Met), One(TargetState.Failed)], Now).ToString());
        Assert.DoesNotContain("what is left", Sentences.Of(plan, last, [One(TargetState.Met), One(TargetState.Ready)], Now).ToString());

        static Tally One(TargetState at) =>
            new(1, 1, at == TargetState.Met ? 1 : 0, 0, 0, 0, null, 0, 0, [.. Enum.GetValues<TargetState>().Select(each => each == at ? 1 : 0)]);
    }

    [Fact]
    public void What_halted_it_and_what_failed_since_stand_in_one_sentence_and_what_nobody_needs_says_so()
    {
        var plan = Plan("100 % met", "3 failed");
        var state = DeploymentState.Start(
            plan, "tomas", Now) with { Status = DeploymentStatus.Halted, Reason = "3 failed, 3 is the limit in 'Pilots'", HaltedBy = new HaltedBy(0, 3, 12) };
        Assert.DoesNotContain("By now", Sentences.Of(plan, state, [Counts(3, 12), Counts(0, 0)], Now).ToString());
        Assert.Contains("By now 6 of 15 failed there.", Sentences.Of(plan, state, [Counts(6, 15), Counts(0, 0)], Now).ToString());
        int[] states = [.. Enum.GetValues<TargetState>().Select(each => each == TargetState.NotNeeded ? 12 : 0)];
        var nobody = new Tally(12, 0, 0, 12, 0, 0, null, 0, 0, states);
        Assert.Equal("Nobody needs it:", Sentences.Of(plan, state with { Status = DeploymentStatus.Standing }, [nobody, Counts(0, 0)], Now).Lead);
        Assert.Equal(
            "Nobody needs it: not meant for 12 devices. It stays on guard.",
            Sentences.Of(plan, state with { Status = DeploymentStatus.Standing }, [nobody, Counts(0, 0)], Now).ToString());

        static Tally Counts(int failures, int trials) => new(trials, trials == 0 ? 0 : trials, 0, 0, trials, failures, null, 0, 0, new int[16]);
    }

    private static List<Tally> Tallies(int harms) =>
        [new Tally(3, 3, 3, 0, 3, 0, null, 0, harms, new int[16]), new Tally(5, 5, 0, 0, 0, 0, null, 0, 0, new int[16])];
}
