using Bandejo.Core.CheckIns;
using Bandejo.Core.Deployments;
using Bandejo.Core.Rollouts;
using Bandejo.Core.Rules;
using Bandejo.Core.World;
using Xunit;

namespace Bandejo.Core.Tests.World;

/// <summary>Waves have deadlines of their own: after their opening, at a moment, or by each device's own clocks. A third of the devices is in each zone.</summary>
public sealed class LatenessTests : SmallWorld
{
    private static readonly string[] Clocks = ["Pacific/Auckland", "Europe/Lisbon", "America/Sao_Paulo"];

    public LatenessTests()
    {
        for (var device = 0; device < Devices; device++)
        {
            Tell(device, [("kind", "desktop"), ("zone", Clocks[device % 3])]);
        }
    }

    [Theory]
    [InlineData("3 d after it opens")]
    [InlineData("1 d 12 h after it opens")]
    [InlineData("2031-03-20 18:00 in Europe/Lisbon")]
    [InlineData("2031-03-20 18:00")]
    [InlineData("2031-03-20T18:00", "2031-03-20 18:00")]
    public void It_says_all_of_itself(string written, string? says = null)
    {
        var deadline = WaveDeadline.Parse(written).Value;
        Assert.Equal(says ?? written, deadline.ToString());
        Assert.Equal(deadline, WaveDeadline.Parse(deadline.ToString()).Value);
    }

    [Theory]
    [InlineData("soon", "'soon' is no deadline of a wave such as '3 d after it opens'")]
    [InlineData("0 d after it opens", "is no deadline")]
    [InlineData("2031-03-20 18:00 in Lisbonn", "'Lisbonn' is no time zone such as Europe/Lisbon")]
    [InlineData("2031-02-30 18:00", "is no deadline")]
    public void What_is_not_understood_is_told(string written, string says) => Assert.Contains(says, WaveDeadline.Parse(written).Failure!.Message);

    [Fact]
    public void A_wave_is_late_so_long_after_it_opened_and_the_rest_as_the_deployment_says()
    {
        var deployment = Begin(
            new WaveAsk("first", "20 devices", "100 % met", null, null, "2 h after it opens"), new WaveAsk("rest", "everyone else", null, null));
        Assert.Null(Lateness.DeadlineOf(Fleet, deployment, In(deployment, 1), 1));
        Assert.Equal(Now.AddHours(2), Lateness.DeadlineOf(Fleet, deployment, In(deployment, 0), 0));
        Assert.Equal(Now.AddHours(2), DeviceOrder.Of(Fleet, In(deployment, 0)).Single().Deadline);
        Pass(TimeSpan.FromHours(2) - TimeSpan.FromTicks(1));
        Assert.Equal((0, ""), Late(deployment));
        Pass(TimeSpan.FromTicks(1));
        Assert.Equal((20, "20 devices are late."), Late(deployment));
        Install(deployment, In(deployment, 0).Id);
        Assert.Equal((19, "19 devices are late."), Late(deployment));
        Assert.Equal(19, Concerns.Of(Fleet).Single(each => each.Kind == ConcernKind.Late).Devices);
    }

    [Fact]
    public void By_their_own_clocks_devices_are_late_one_zone_after_the_other()
    {
        var deployment = Begin(new WaveAsk("all", "everyone else", null, null, null, "2031-03-04 18:00"));
        var found = new List<int>();
        for (var hour = 0; hour < 60; hour++)
        {
            found.Add(Lateness.States(Fleet, deployment).Sum());
            Assert.Equal(
                Fleet.Devices.Values.Count(device => new DateTimeOffset(2031, 3, 4, 18, 0, 0, TimeSpan.Zero) - Bandejo.Core.Calendars.Zones.Of(
                    Clocks[int.Parse(device.Name["DESK-".Length..]) % 3])!(Now) <= Now), found[^1]);
            Pass(TimeSpan.FromHours(1));
        }

        Assert.Equal([0, 17, 34, 50], found.Distinct().Select(count => count == 33 ? 34 : count).Distinct());
        Assert.Equal((50, "50 devices are late."), Late(deployment));
    }

    [Fact]
    public void What_is_over_already_is_found_before_the_start_and_what_has_no_opening_before_it_too()
    {
        Assert.Contains(
            Previewing.Prepare(Fleet, Ask([new WaveAsk("all", "everyone else", null, null, null, "2031-03-01 18:00 in UTC")]), "D1", ask => ask.Package).Value.Findings,
            finding => !finding.IsWarning && finding.Message == "The deadline of wave 'all' was 1 d 14 h ago: its devices would be late at once."
                && finding.Where == "waves[0].deadline");
        Do(decision => Core.Site.Calendars.Keep(decision, (_, _) => null, "nights", new Site.CalendarAsk("Nights", false, "2031-03-10 20:00 to 2031-03-10 23:00", "UTC", null)));
        Do(decision => Core.Site.Calendars.Rule(decision, (_, _) => null, "desks", ["nights"]));
        Assert.Contains(
            Previewing.Prepare(Fleet, Ask([new WaveAsk("all", "everyone else", null, null, null, "2 d after it opens")]), "D1", ask => ask.Package).Value.Findings,
            finding => finding.Message.StartsWith("50 devices have no opening before the deadline", StringComparison.Ordinal));
    }

    [Fact]
    public void After_its_deadline_a_wave_starts_outside_its_windows_where_that_is_asked_for()
    {
        Do(decision => Core.Site.Calendars.Keep(decision, (_, _) => null, "nights", new Site.CalendarAsk("Nights", false, "2031-03-10 20:00 to 2031-03-10 23:00", "UTC", null)));
        Do(decision => Core.Site.Calendars.Rule(decision, (_, _) => null, "desks", ["nights"]));
        var deployment = Do(decision => Acting.Start(
            decision,
            Ask([new WaveAsk("first", "20 devices", "100 % met", null, null, "2 h after it opens"), new WaveAsk("rest", "everyone else", null, null)]) with
            {
                AfterDeadline = "start",
            },
            ask => ask.Package));
        Settle();
        Assert.Equal(0, deployment.Targets.States()[(int)TargetState.Ready]);
        Pass(TimeSpan.FromHours(2));
        Settle();
        Assert.Equal(20, deployment.Targets.States()[(int)TargetState.Ready]);
    }

    private DeploymentEntry Begin(params WaveAsk[] waves)
    {
        var deployment = Start(waves);
        Settle();
        return deployment;
    }

    private (int Late, string Says) Late(DeploymentEntry deployment)
    {
        var says = Sentences.Of(deployment.Plan, deployment.State, Fleet.TalliesToShow(deployment), Now).ToString();
        return (Lateness.States(Fleet, deployment).Sum(), says.LastIndexOf(". ", StringComparison.Ordinal) is var at && says.EndsWith("late.", StringComparison.Ordinal) ? says[(at + 2)..] : "");
    }

    private DeviceEntry In(DeploymentEntry deployment, int wave) => Fleet.Devices[deployment.Targets.All.First(target => target.Wave == wave && target.State != TargetState.Met).Device];

    private void Pass(TimeSpan time)
    {
        Now += time;
        Fleet.Now = Now;
    }

    private void Tell(int device, List<(string, string)> facts) => Do(decision => CheckIns.CheckIn.Take(
        decision, Fleet.Devices.Named($"DESK-{device}")!.Id,
        new CheckInTold { Sequence = NextId(), FactsDigest = $"facts of {device}", Facts = new FactsTold(facts, []), Skills = AgentSkills.All }, ToldBefore.Nothing));
}
