using Bandejo.Core.Deployments;
using Xunit;

namespace Bandejo.Core.Tests;

/// <summary>The golden examples of counting, and what each state counts as.</summary>
public sealed class CountingTests
{
    private static readonly DateTimeOffset Now = new(2026, 1, 14, 10, 0, 0, TimeSpan.Zero);

    [Theory]
    [InlineData("80 % met", "4 met", 4, 4, 4)]
    [InlineData("75 % met", "3 met, 1 failed", 4, 3, 3)]
    [InlineData("95 % met", "11 met, 1 not-needed", 11, 11, 11)]
    [InlineData("95 % met, not-needed counts", "11 met, 1 not-needed", 12, 12, 12)]
    [InlineData("90 % met, silent left out after 3 d", "47 met, 2 silent, 5 working", 52, 47, 47)]
    [InlineData("90 % met, silent left out after 3 d", "47 met, 1 silent, 1 lost, 5 working", 53, 47, 48)]
    [InlineData("90 % met, silent left out after 3 d", "47 met, 1 silent-begun, 1 silent, 5 working", 53, 47, 48)]
    [InlineData("100 % met", "3 not-needed, 2 left", 0, 0, 0)]
    [InlineData("50 % met", "1 met, 1 old-proof", 2, 1, 1)]
    [InlineData("50 % met", "1 met, 1 just-old-enough-proof", 2, 2, 1)]
    [InlineData("33.34 % met", "1 met, 2 failed", 3, 1, 2)]
    [InlineData("33.33 % met", "1 met, 2 failed", 3, 1, 1)]
    public void A_gate_counts_as_written_down(string gate, string states, int bottom, int top, int needed)
    {
        var parsed = Gate.Parse(gate).Value;
        var tally = Counting.Count(Targets(states), parsed, TimeSpan.FromDays(7), Heard, Now);
        Assert.Equal((bottom, top, needed), (tally.Bottom, tally.Top, parsed.Needed(tally.Bottom)));
    }

    [Fact]
    public void What_was_changed_is_what_is_being_done_or_was_done_and_not_taken_back()
    {
        var begun = new Target { Device = "d", State = TargetState.Met, HasBegun = true, Before = "7.1.0" };
        Assert.Equal(1, Changed(begun));
        Assert.Equal(1, Changed(begun with { State = TargetState.Failed }));
        Assert.Equal(1, Changed(new Target { Device = "d", State = TargetState.Working }));
        Assert.Equal(0, Changed(begun with { State = TargetState.Undone }));
        Assert.Equal(0, Changed(begun with { Before = null }));
        Assert.Equal(0, Changed(begun with { HasBegun = false }));
        Assert.Equal(0, Changed(new Target { Device = "d", State = TargetState.Ready }));

        static int Changed(Target target) => Counting.Count([target], null, TimeSpan.FromDays(7), _ => Now, Now).Changed;
    }

    [Fact]
    public void A_device_is_silent_from_the_moment_on_that_its_gate_says()
    {
        var gate = Gate.Parse("90 % met, silent left out after 3 d").Value;
        var counts = new WaveCounts(gate);
        var target = new Target { Device = "d", State = TargetState.Unknown };
        counts.Add(target);
        Assert.Equal(1, Bottom(TimeSpan.FromDays(3) - TimeSpan.FromTicks(1)));
        Assert.Equal(0, Bottom(TimeSpan.FromDays(3)));

        int Bottom(TimeSpan silent) => counts.Tally([target], TimeSpan.FromDays(7), _ => Now - silent, Now).Bottom;
    }

    [Fact]
    public void Of_nothing_nothing_is_counted_and_what_is_not_needed_only_where_a_gate_says_so()
    {
        Assert.Equal(new ComplianceCount(0, 0, 0, 0, 0, 0, 0), ComplianceCount.None);
        Assert.False(Counting.IsCounted(TargetState.NotNeeded, null));
        Assert.False(Counting.IsCounted(TargetState.NotNeeded, Gate.Parse("90 % met").Value));
        Assert.True(Counting.IsCounted(TargetState.NotNeeded, Gate.Parse("90 % met, not-needed counts").Value));
        Assert.False(Counting.IsCounted(TargetState.Choice, null));
    }

    [Theory]
    [InlineData(1, 1, 26.99)]
    [InlineData(2, 3, 25.35)]
    [InlineData(1, 12, 1.88)]
    [InlineData(2, 12, 5.68)]
    [InlineData(3, 12, 10.47)]
    [InlineData(10, 118, 5.13)]
    [InlineData(18, 118, 10.59)]
    [InlineData(52, 400, 10.48)]
    public void The_lower_bound_is_the_one_that_was_worked_out(int failures, int trials, double percent) =>
        Assert.Equal(percent, Math.Round(HaltRule.LowerBound(failures, trials) * 100, 2));

    [Theory]
    [InlineData(1, 1, false)]
    [InlineData(2, 3, false)]
    [InlineData(1, 12, false)]
    [InlineData(2, 12, false)]
    [InlineData(3, 12, true)]
    [InlineData(10, 118, false)]
    [InlineData(18, 118, true)]
    [InlineData(52, 400, true)]
    [InlineData(0, 0, false)]
    public void A_halt_by_rate_waits_for_enough_trials(int failures, int trials, bool halts) =>
        Assert.Equal(halts, HaltRule.Default.Halts(failures, trials) is not null);

    [Fact]
    public void A_halt_by_count_needs_no_trials()
    {
        var rule = HaltRule.Parse("10 % failed of at least 5, or 2 failed").Value;
        Assert.Null(rule.Halts(1, 1));
        Assert.Equal("2 failed, 2 is the limit", rule.Halts(2, 2));
        Assert.Null(HaltRule.Parse("never").Value.Halts(50, 50));
    }

    [Fact]
    public void Trials_are_what_this_deployment_did()
    {
        var tally = Counting.Count(
            Targets("3 met, 2 was-there, 1 failed, 1 lost, 1 undone-failed, 1 undone, 4 waiting"), null, TimeSpan.FromDays(7), Heard, Now);
        Assert.Equal((3, 6), (tally.Failures, tally.Trials));
    }

    [Theory]
    [InlineData(TargetState.Met, "met", false)]
    [InlineData(TargetState.NotNeeded, "not needed", false)]
    [InlineData(TargetState.Blocked, "unmet", true)]
    [InlineData(TargetState.Waiting, "unmet", true)]
    [InlineData(TargetState.Ready, "unmet", true)]
    [InlineData(TargetState.Working, "unmet", true)]
    [InlineData(TargetState.Restart, "unmet", true)]
    [InlineData(TargetState.Retry, "unmet", true)]
    [InlineData(TargetState.Failed, "unmet", true)]
    [InlineData(TargetState.Lost, "unmet", true)]
    [InlineData(TargetState.Unknown, "unknown", true)]
    [InlineData(TargetState.Undone, "unmet", false)]
    [InlineData(TargetState.Contested, "unmet", true)]
    [InlineData(TargetState.Choice, "left out", false)]
    [InlineData(TargetState.Yielded, "left out", false)]
    [InlineData(TargetState.Left, "left out", false)]
    public void Every_state_counts_for_compliance_as_written_down(TargetState state, string counts, bool canBeLate)
    {
        var count = Counting.Compliance(state, Now.AddHours(-1), Now);
        var expected = counts switch
        {
            "met" => ComplianceCount.None with { Met = 1 },
            "not needed" => ComplianceCount.None with { NotNeeded = 1 },
            "unknown" => ComplianceCount.None with { Unknown = 1, LateUnknown = 1 },
            "left out" => ComplianceCount.None with { LeftOut = 1 },
            _ => ComplianceCount.None with { Unmet = 1, LateUnmet = canBeLate ? 1 : 0 },
        };
        Assert.Equal(expected, count);
        Assert.Equal(canBeLate, Counting.IsLate(state, Now, Now));
        Assert.False(Counting.IsLate(state, Now.AddMinutes(1), Now));
        Assert.False(Counting.IsLate(state, null, Now));
    }

    [Theory]
    [InlineData("80 % met", 4, "needs 4 of 4; 75 % would allow one to fail")]
    [InlineData("75 % met", 4, "needs 3 of 4")]
    [InlineData("3 met", 2, "needs 3 of 2; it can never pass")]
    [InlineData("95 % met", 1, "needs 1 of 1")]
    [InlineData("100 % met", 3, "needs 3 of 3; 66.66 % would allow one to fail")]
    public void A_gate_says_what_it_comes_to(string gate, int bottom, string expected) =>
        Assert.Equal(expected, Sentences.Arithmetic(Gate.Parse(gate).Value, bottom));

    [Theory]
    [InlineData("95 % met for 2 d, clean, silent left out after 3 d, not-needed counts, then approval")]
    [InlineData("12 met")]
    [InlineData("approval")]
    [InlineData("99.5 % met for 1 h 30 min")]
    public void A_gate_prints_as_the_sentence_it_was_read_from(string gate) => Assert.Equal(gate, Gate.Parse(gate).Value.ToString());

    [Theory]
    [InlineData("95 % met for 2 d, whenever", 19)]
    [InlineData("101 % met", 1)]
    [InlineData("0 % met", 1)]
    [InlineData("0 met", 1)]
    [InlineData("95 % met, 5 met", 11)]
    [InlineData("95 % met for ever", 1)]
    [InlineData("clean", 1)]
    [InlineData("", 1)]
    public void A_gate_that_is_not_understood_says_where(string gate, int column)
    {
        var failure = Gate.Parse(gate).Failure;
        Assert.NotNull(failure);
        Assert.Equal(column, failure.Findings[0].Column);
    }

    [Theory]
    [InlineData("10 % failed of at least 5, or 8 failed")]
    [InlineData("never")]
    [InlineData("2 failed")]
    public void A_halt_rule_prints_as_it_was_read(string rule) => Assert.Equal(rule, HaltRule.Parse(rule).Value.ToString());

    [Theory]
    [InlineData("10 %")]
    [InlineData("0 failed")]
    [InlineData("100 % failed")]
    [InlineData("3 failed of at least 5")]
    public void A_halt_rule_that_is_not_understood_is_refused(string rule) => Assert.False(HaltRule.Parse(rule).Ok);

    [Fact]
    public void Counts_of_compliance_add_up_and_multiply_figure_by_figure()
    {
        var (one, other) = (new ComplianceCount(1, 2, 3, 4, 5, 6, 7), new ComplianceCount(10, 20, 30, 40, 50, 60, 70));
        Assert.Equal(new ComplianceCount(11, 22, 33, 44, 55, 66, 77), one + other);
        Assert.Equal(new ComplianceCount(3, 6, 9, 12, 15, 18, 21), one.Times(3));
        Assert.Equal(8, one.Bottom);
    }

    private static DateTimeOffset? Heard(string device) => device.StartsWith("silent", StringComparison.Ordinal) ? Now.AddDays(-4) : Now.AddMinutes(-5);

    private static List<Target> Targets(string states)
    {
        var targets = new List<Target>();
        foreach (var part in states.Split(", "))
        {
            var (count, word) = (int.Parse(part.Split(' ')[0]), part.Split(' ')[1]);
            for (var i = 0; i < count; i++)
            {
                var target = new Target { Device = $"{word}{i}", Wave = 0, HasBegun = true };
                targets.Add(word switch
                {
                    "met" => target with { State = TargetState.Met, ProvenAt = Now.AddDays(-1), IsInstalledHere = true },
                    "was-there" => target with { State = TargetState.Met, ProvenAt = Now, HasBegun = false },
                    "just-old-enough-proof" => target with { State = TargetState.Met, ProvenAt = Now.AddDays(-7), IsInstalledHere = true },
                    "old-proof" => target with { State = TargetState.Met, ProvenAt = Now.AddDays(-8), IsInstalledHere = true },
                    "silent" => target with { State = TargetState.Unknown, HasBegun = false },
                    "silent-begun" => target with { State = TargetState.Unknown },
                    "undone-failed" => target with { State = TargetState.Undone, HasFailed = true },
                    "not-needed" => target with { State = TargetState.NotNeeded },
                    _ => target with { State = Enum.Parse<TargetState>(word, ignoreCase: true) },
                });
            }
        }

        return targets;
    }
}
