using Bandejo.Core.CheckIns;
using Bandejo.Core.Deployments;
using Bandejo.Core.Rollouts;
using Bandejo.Core.Site;
using Bandejo.Core.World;
using Xunit;

namespace Bandejo.Core.Tests.World;

/// <summary>Devices that sleep are woken by neighbours when they may start. Ten stand at each of five sites; of DESK-0 no address is known.</summary>
public sealed class WakingTests : SmallWorld
{
    private static readonly DateTimeOffset Opens = new(2031, 3, 3, 20, 0, 0, TimeSpan.Zero);

    public WakingTests()
        : base(at => $"Site {at % 5}")
    {
        for (var device = 0; device < Devices; device++)
        {
            List<(string, string)> facts = [("kind", "desktop"), ("site", $"Site {device % 5}")];
            Tell(device, device == 0 ? facts : [.. facts, ("network.mac", $"02:00:00:00:00:{device:x2}")]);
        }

        Do(decision => Core.Site.Calendars.Keep(decision, (_, _) => null, "nights", new CalendarAsk("Nights", false, "Mon 20:00-23:00", "UTC", null)));
        Do(decision => Core.Site.Calendars.Rule(decision, (_, _) => null, "desks", ["nights"]));
    }

    [Fact]
    public void When_its_window_opens_a_device_that_sleeps_is_woken_by_two_that_were_heard_at_its_site()
    {
        var deployment = Begin(wakes: true);
        Now = Opens;

        // All but those of the first two sites are awake; of the second site one is.
        foreach (var device in Enumerable.Range(0, Devices).Where(device => device % 5 > 1 || device == 6))
        {
            Tell(device);
        }

        Settle();
        var line = Changes.OfType<AddEvent>().Last(change => change.Event.What == "woken").Event.Text;
        Assert.StartsWith("9 of 19 devices that sleep (DESK-", line);
        Assert.EndsWith("are woken by 1 neighbours, since they may start. Of the other 10 no address is known, or nobody at their site is heard.", line);
        Assert.Equal(
            Enumerable.Range(0, Devices).Where(device => device % 5 == 1 && device != 6).Select(device => $"02:00:00:00:00:{device:x2}"),
            Waking.Of(Of(6), Now).Order());
        Assert.All(Fleet.Devices.Values.Where(device => device.Name != "DESK-6"), device => Assert.Empty(Waking.Of(device, Now)));
        Assert.Empty(Waking.Of(Of(6), Now.AddMinutes(11)));
        Assert.Equal(TargetState.Ready, deployment.Targets.StateOf(Of(1)));
    }

    [Fact]
    public void Where_it_is_not_asked_for_nobody_is_woken_and_where_it_is_the_preview_says_who_cannot_be()
    {
        Assert.Contains(
            Previewing.Prepare(Fleet, Asked(wakes: true), "D2", ask => ask.Package).Value.Findings,
            finding => finding.Message == "1 device cannot be woken (DESK-0): its network address is not known.");
        Begin(wakes: false);
        Now = Opens;
        Settle();
        Assert.DoesNotContain(Changes.OfType<AddEvent>(), change => change.Event.What == "woken");
    }

    [Fact]
    public void By_hand_it_is_told_who_was_asked_or_why_nobody_can_be()
    {
        Now += TimeSpan.FromDays(1);
        Tell(6);
        Tell(11);
        Assert.Equal(["DESK-11", "DESK-6"], Do(decision => Waking.Device(decision, "DESK-1")).Order());
        Assert.Equal("DESK-0 cannot be woken: its network address (the fact network.mac) is not known.", Refused("DESK-0"));
        Assert.Equal("DESK-2 cannot be woken: no other device of Site 2 was heard lately and could do it.", Refused("DESK-2"));
        Assert.Equal("There is no device 'DESK-99'.", Refused("DESK-99")[..29]);

        string Refused(string device) => Fleet.Decide("root-admin", Now, () => "", [], decision => Waking.Device(decision, device)).Failure!.Message;
    }

    private DeploymentEntry Begin(bool wakes)
    {
        var deployment = Do(decision => Acting.Start(decision, Asked(wakes), ask => ask.Package));
        Settle();
        return deployment;
    }

    private static DeploymentAsk Asked(bool wakes) => Ask([new WaveAsk("all", "everyone else", null, null)]) with { Wakes = wakes };

    private DeviceEntry Of(int device) => Fleet.Devices.Named($"DESK-{device}")!;

    private void Tell(int device, List<(string, string)>? facts = null) => Do(decision => CheckIns.CheckIn.Take(
        decision, Of(device).Id,
        new CheckInTold
        {
            Sequence = NextId(), FactsDigest = facts is null ? Of(device).Record.FactsDigest : $"facts of {device}",
            Facts = facts is null ? null : new FactsTold(facts, []), Skills = AgentSkills.All,
        },
        ToldBefore.Nothing));
}
