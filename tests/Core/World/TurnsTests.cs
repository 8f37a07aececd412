using Bandejo.Core.Catalogue;
using Bandejo.Core.CheckIns;
using Bandejo.Core.Deployments;
using Bandejo.Core.Rollouts;
using Bandejo.Core.Site;
using Bandejo.Core.World;
using Xunit;

namespace Bandejo.Core.Tests.World;

/// <summary>No more devices of a site are changed, or fetch files, at once than a deployment asks for. Ten stand at each of five sites.</summary>
public sealed class TurnsTests : SmallWorld
{
    private const int Most = 3;

    public TurnsTests()
        : base(at => $"Site {at % 5}")
    {
        foreach (var device in Fleet.Devices.Values.ToList())
        {
            Hear(device);
        }
    }

    [Fact]
    public void So_many_of_each_site_start_and_the_next_when_one_is_done()
    {
        var before = Previewing.Prepare(
            Fleet, Ask([new WaveAsk("all", "everyone else", null, null)]) with { AtOnce = "3 of a site" }, "D1", ask => ask.Package).Value.Hours;
        Assert.Equal([(false, Devices - (5 * Most)), (true, 5 * Most)], before.Select(each => (each.IsOpen, each.Devices)));
        var deployment = Begin(atOnce: "3 of a site");
        Assert.Equal((5 * Most, Devices - (5 * Most)), (Count(deployment, TargetState.Ready), Count(deployment, TargetState.Waiting)));
        Assert.All(Sites(deployment), site => Assert.Equal(Most, site.Count(each => IsReady(deployment)(each))));
        Assert.Equal(
            [("At most 3 of a site are changed at once; it starts when it is its turn", Devices - (5 * Most))],
            HoursAhead.Now(Fleet, deployment).Select(each => (each.Why.ToString(), each.Devices)));
        Assert.Equal(before.Single(each => !each.IsOpen).Sample, HoursAhead.Now(Fleet, deployment).Single().Sample);
        var waiting = deployment.Targets.All.First(target => target.State == TargetState.Waiting);
        Assert.Matches(@"^At most 3 devices of Site \d are changed at once, and it is the turn of others$", waiting.Reason.ToString());
        Assert.DoesNotContain(DeviceOrder.Of(Fleet, Fleet.Devices[waiting.Device]), order => order.MayStart);

        var done = 0;
        while (deployment.Targets.All.FirstOrDefault(target => target.State == TargetState.Ready) is { } next)
        {
            Install(deployment, next.Device);
            Settle();
            Assert.All(Sites(deployment), site => Assert.True(site.Count(each => IsReady(deployment)(each)) <= Most));
            done++;
            Assert.All(Sites(deployment), site => Assert.Equal(
                Math.Min(Most, site.Count(device => deployment.Targets.StateOf(device) != TargetState.Met)), site.Count(each => IsReady(deployment)(each))));
        }

        Assert.Equal((Devices, Devices), (done, Count(deployment, TargetState.Met)));
    }

    [Fact]
    public void Whoever_failed_or_waits_for_a_window_with_its_order_has_its_turn_and_who_was_removed_has_none()
    {
        var deployment = Begin(atOnce: "1 of a site");
        var (first, site) = At(deployment, TargetState.Ready);
        Tell(first, new AttemptTold("a", deployment.Id, "install", true, Now, Now, "failed", "run", 9, "no", false, "", null));
        Assert.Equal(TargetState.Retry, deployment.Targets.StateOf(first));
        Assert.Single(site, IsOut(deployment));
        Do(decision => Enrolment.Remove(decision, first.Name, ShelvedTargets.None));
        Settle();
        Assert.Single(site.Where(device => device.Id != first.Id), IsReady(deployment));
    }

    [Fact]
    public void Whoever_is_to_try_again_or_to_mend_what_is_gone_waits_for_its_turn()
    {
        var deployment = Do(decision => Acting.Start(
            decision, Ask([new WaveAsk("all", "everyone else", null, null)]) with { AtOnce = "1 of a site", Tries = 1 }, ask => ask.Package));
        Settle();
        bool IsOutNow(DeviceEntry device) => deployment.Targets[device].IsOrdered;
        var (first, site) = At(deployment, TargetState.Ready);
        Tell(first, new AttemptTold("a", deployment.Id, "install", true, Now, Now, "failed", "run", 9, "no", false, "", null));
        Assert.Equal(TargetState.Failed, deployment.Targets.StateOf(first));
        var second = site.Single(IsOutNow);
        Do(decision => Retrying.Do(decision, deployment.Id, null, "mended"));
        Settle();
        Assert.Equal(ReasonCode.SiteAtIt, deployment.Targets[first].Reason.Code);
        Assert.Equal(second, site.Single(IsOutNow));

        // When the other is done it is the turn of one that waits; the other loses what it had, and waits in its turn.
        Install(deployment, second.Id);
        Settle();
        var third = site.Single(IsOutNow);
        Do(decision => CheckIns.CheckIn.Take(
            decision, second.Id,
            new CheckInTold { Sequence = NextId(), FactsDigest = "", Skills = AgentSkills.All, Proofs = [new ProofTold(deployment.Id, "absent", "it is gone")] },
            ToldBefore.Nothing));
        Settle();
        Assert.Equal(ReasonCode.SiteAtIt, deployment.Targets[second].Reason.Code);
        Assert.Equal(third, site.Single(IsOutNow));
        for (var done = 0; done < site.Count; done++)
        {
            Assert.True(site.Count(IsOutNow) <= 1);
            if (site.FirstOrDefault(IsOutNow) is { } next)
            {
                Install(deployment, next.Id);
                Settle();
            }
        }

        Assert.All(site, device => Assert.Equal(TargetState.Met, deployment.Targets.StateOf(device)));
    }

    [Fact]
    public void Outside_their_hours_no_more_hold_an_order_that_they_may_start_than_have_a_turn()
    {
        Do(decision => Core.Site.Calendars.Keep(decision, (_, _) => null, "nights", new CalendarAsk("Nights", false, "2031-03-10 20:00 to 2031-03-10 23:00", "UTC", null)));
        Do(decision => Core.Site.Calendars.Rule(decision, (_, _) => null, "desks", ["nights"]));
        Settle();
        var deployment = Begin(atOnce: "1 of a site");
        Assert.Equal(0, Count(deployment, TargetState.Ready));
        Assert.All(Sites(deployment), site => Assert.Single(site, IsOut(deployment)));
    }

    [Fact]
    public void Whoever_moves_to_another_site_leaves_its_turn_to_others_of_the_first()
    {
        var deployment = Begin(atOnce: "1 of a site");
        var (first, site) = At(deployment, TargetState.Ready);
        Do(decision => CheckIns.CheckIn.Take(
            decision, first.Id,
            new CheckInTold { Sequence = NextId(), FactsDigest = "moved", Facts = new FactsTold([("kind", "desktop"), ("site", "Elsewhere")], []) },
            ToldBefore.Nothing));
        Settle();
        Assert.Equal(TargetState.Ready, deployment.Targets.StateOf(first));
        Assert.Single(site.Where(device => device.Id != first.Id), IsReady(deployment));
    }

    [Fact]
    public void Whoever_is_not_heard_from_for_its_lease_starts_nothing_any_more_and_others_do()
    {
        var deployment = Begin(atOnce: "1 of a site");
        var (first, site) = At(deployment, TargetState.Ready);
        Now += TimeSpan.FromHours(23);
        var others = site.Where(device => device.Id != first.Id).ToList();
        others.ForEach(Hear);
        Settle();
        Assert.Equal(TargetState.Ready, deployment.Targets.StateOf(first));
        Now += TimeSpan.FromHours(1);
        Settle();
        Assert.Equal(
            "Not heard from for 1 d, so that it is the turn of others of its site; it gets one when it is heard again", Reason(deployment, first));
        Assert.Single(others, IsReady(deployment));
        Hear(Fleet.Devices[first.Id]);
        Settle();
        Assert.Equal(ReasonCode.SiteAtIt, deployment.Targets[Fleet.Devices[first.Id]].Reason.Code);
        Install(deployment, others.Single(each => IsReady(deployment)(each)).Id);
        Settle();
        Assert.Single(site.Select(device => Fleet.Devices[device.Id]), IsReady(deployment));
    }

    [Fact]
    public void Whoever_may_not_have_heard_that_it_was_taken_back_keeps_its_turn_until_it_has()
    {
        var deployment = Begin(atOnce: "1 of a site");
        var (first, site) = At(deployment, TargetState.Ready);
        var others = site.Where(device => device.Id != first.Id).ToList();
        Do(decision => Acting.Do(decision, (_, _) => null, deployment.Id, DeploymentAct.Pause, "because"));
        Do(decision => Acting.Do(decision, (_, _) => null, deployment.Id, DeploymentAct.Resume, "because"));
        Settle();

        // It has the turn again, and no other of its site has one.
        Assert.Equal(TargetState.Ready, deployment.Targets.StateOf(first));
        Assert.DoesNotContain(others, IsReady(deployment));

        // It is not meant any more, and has not heard of that: nobody else starts until it has, or can start nothing by itself any more.
        Do(decision => Groups.Alter(decision, (_, _) => null, "desks", "desks", $"kind is \"desktop\" and not name is \"{first.Name}\"", false));
        Settle();
        Assert.Equal(TargetState.Left, deployment.Targets.StateOf(first));
        Assert.DoesNotContain(others, IsReady(deployment));
        var again = ReadAgain();
        Assert.True(again.Deployments[deployment.Id].Targets[again.Devices[first.Id]].Lingers);
        Tell(Fleet.Devices[first.Id], tag: "old");
        Settle();
        Assert.DoesNotContain(others, IsReady(deployment));
        Fleet.NoteOrdersTag(Fleet.Devices[first.Id], "new");
        Tell(Fleet.Devices[first.Id], tag: "new");
        Settle();
        Assert.Single(others, IsReady(deployment));
    }

    [Fact]
    public void Whoever_never_hears_that_it_was_taken_back_keeps_its_turn_for_its_lease()
    {
        var deployment = Begin(atOnce: "1 of a site");
        var (first, site) = At(deployment, TargetState.Ready);
        Do(decision => Groups.Alter(decision, (_, _) => null, "desks", "desks", $"kind is \"desktop\" and not name is \"{first.Name}\"", false));
        Now += TimeSpan.FromHours(23);
        var others = site.Where(device => device.Id != first.Id).ToList();
        others.ForEach(Hear);
        Settle();
        Assert.DoesNotContain(others, IsReady(deployment));
        Now += TimeSpan.FromHours(1);
        Settle();
        Assert.Single(others, IsReady(deployment));
    }

    [Fact]
    public void So_many_of_each_site_fetch_and_the_next_when_one_has_its_files()
    {
        var deployment = Begin(fetch: "3 of a site at once");
        Assert.Equal(Devices, Count(deployment, TargetState.Ready));
        for (var has = 0; has <= Devices; has++)
        {
            Assert.All(Sites(deployment), site => Assert.True(site.Count(Fetches(deployment)) <= Most));
            Assert.Equal(Math.Min(has, Devices), Fleet.Devices.Values.Count(device => Order(deployment, device) is { FetchesLater: false } && Files(deployment, device)));
            if (Fleet.Devices.Values.FirstOrDefault(Fetches(deployment)) is not { } next)
            {
                Assert.Equal(Devices, has);
                break;
            }

            Tell(next, fetched: [deployment.Id]);
        }

        Assert.Equal($"{Devices} of {Devices} have its files already", FilesAhead.Of(deployment)!.ToString());
        Assert.DoesNotContain(Fleet.Devices.Values, device => Order(deployment, device)!.FetchesLater);

        // What was told stays known over a restart of the service.
        Assert.Equal(Devices, FilesAhead.Of(ReadAgain().Deployments[deployment.Id])!.There);
    }

    [Fact]
    public void Whoever_has_it_otherwise_ends_its_fetching_before_others_begin_theirs()
    {
        var deployment = Begin(fetch: "1 of a site at once");
        var first = Fleet.Devices.Values.First(Fetches(deployment));
        var others = Sites(deployment).Single(site => site.Contains(first)).Where(device => device != first).ToList();
        Do(decision => CheckIns.CheckIn.Take(
            decision, first.Id, new CheckInTold
            {
                Sequence = NextId(), FactsDigest = "", Skills = AgentSkills.All, Proofs = [new ProofTold(deployment.Id, "newer", "newer is there")],
            },
            ToldBefore.Nothing));
        Settle();
        Assert.Equal(TargetState.Met, deployment.Targets.StateOf(first));
        Assert.DoesNotContain(others, device => Fetches(deployment)(device));
        Fleet.NoteOrdersTag(Fleet.Devices[first.Id], "new");
        Tell(Fleet.Devices[first.Id], tag: "new");
        Settle();
        Assert.Single(others.Select(device => Fleet.Devices[device.Id]), device => Fetches(deployment)(device));
    }

    [Fact]
    public void Whoever_falls_silent_in_the_middle_of_fetching_leaves_it_to_others()
    {
        var deployment = Begin(fetch: "1 of a site at once");
        var first = Fleet.Devices.Values.First(Fetches(deployment));
        var others = Sites(deployment).Single(site => site.Contains(first)).Where(device => device != first).ToList();
        Assert.DoesNotContain(others, device => Fetches(deployment)(device));
        Now += TimeSpan.FromHours(23);
        others.ForEach(Hear);
        Now += TimeSpan.FromHours(1);
        Settle();
        Assert.Single(others.Select(device => Fleet.Devices[device.Id]), device => Fetches(deployment)(device));
        Assert.True(Order(deployment, Fleet.Devices[first.Id])!.FetchesLater);
    }

    [Fact]
    public void After_a_start_of_the_service_nobody_loses_its_turn_for_what_was_heard_and_not_kept()
    {
        var deployment = Begin(atOnce: "1 of a site");
        var first = At(deployment, TargetState.Ready).Device;
        var before = Now;
        Now += TimeSpan.FromMinutes(29);
        Hear(Fleet.Devices[first.Id]);
        var again = ReadAgain();
        Assert.Equal(before, again.Devices[first.Id].LastHeard);
        Assert.Equal(TargetState.Ready, StateAt(before + deployment.Plan.Lease));
        Assert.Equal(TargetState.Waiting, StateAt(before + deployment.Plan.Lease + TimeSpan.FromMinutes(30)));

        TargetState? StateAt(DateTimeOffset at)
        {
            while (again.Decide("service", at, () => NextId().ToString(System.Globalization.CultureInfo.InvariantCulture), [], Due.Take).Value)
            {
            }

            return again.Deployments[deployment.Id].Targets.StateOf(again.Devices[first.Id]);
        }
    }

    [Fact]
    public void A_group_says_how_its_devices_fetch_and_they_are_told()
    {
        var deployment = Begin();
        var device = Fleet.Devices.Values.First();
        Assert.Empty(Order(deployment, device)!.Fetch);
        Do(decision => Groups.SetFetch(decision, (_, _) => null, "desks", "at most 500 kB/s Mon-Fri 08:00-18:00"));
        Assert.Equal("at most 500 kB/s Mon-Fri 08:00-18:00", Order(deployment, device)!.Fetch.Single().ToString());
        var refused = Fleet.Decide("root-admin", Now, () => "", [], decision => Groups.SetFetch(decision, (_, _) => null, "desks", "5 of a site at once"));
        Assert.Contains("each deployment says for itself", refused.Failure!.Message);
        Do(decision => Groups.SetFetch(decision, (_, _) => null, "desks", ""));
        Assert.Empty(Order(deployment, device)!.Fetch);
    }

    private DeploymentEntry Begin(string? atOnce = null, string? fetch = null)
    {
        var deployment = Do(decision => Acting.Start(
            decision, Ask([new WaveAsk("all", "everyone else", null, null)]) with { AtOnce = atOnce, Fetch = fetch }, ask => ask.Package));
        Settle();
        return deployment;
    }

    private void Hear(DeviceEntry device) => Tell(device);

    private void Tell(DeviceEntry device, AttemptTold? attempt = null, IReadOnlyList<string>? fetched = null, string tag = "") => Do(decision => CheckIns.CheckIn.Take(
        decision, device.Id,
        new CheckInTold
        {
            Sequence = NextId(), FactsDigest = "", OrdersTag = tag, Attempts = attempt is null ? [] : [attempt], Fetched = fetched ?? device.Memory.Fetched, Skills = AgentSkills.All,
        },
        ToldBefore.Nothing));

    private IReadOnlyList<IReadOnlyList<DeviceEntry>> Sites(DeploymentEntry deployment) =>
        [.. deployment.Targets.All.Select(target => Fleet.Devices[target.Device]).GroupBy(device => int.Parse(device.Name["DESK-".Length..]) % 5).Select(
            site => (IReadOnlyList<DeviceEntry>)[.. site])];

    private (DeviceEntry Device, IReadOnlyList<DeviceEntry> Site) At(DeploymentEntry deployment, TargetState state)
    {
        var site = Sites(deployment)[0];
        return (site.First(device => deployment.Targets.StateOf(device) == state), site);
    }

    private static Predicate<DeviceEntry> IsReady(DeploymentEntry deployment) => device => deployment.Targets.StateOf(device) == TargetState.Ready;

    private static Predicate<DeviceEntry> IsOut(DeploymentEntry deployment) => device => deployment.Targets[device].IsOrdered;

    private Func<DeviceEntry, bool> Fetches(DeploymentEntry deployment) =>
        device => Order(deployment, device) is { MayStart: true, FetchesLater: false } && !Files(deployment, device);

    private static bool Files(DeploymentEntry deployment, DeviceEntry device) => deployment.Targets[device].HasFiles;

    private DeviceOrder? Order(DeploymentEntry deployment, DeviceEntry device) =>
        DeviceOrder.Of(Fleet, Fleet.Devices[device.Id]).FirstOrDefault(order => order.Id == deployment.Id);

    private string Reason(DeploymentEntry deployment, DeviceEntry device) => deployment.Targets[Fleet.Devices[device.Id]].Reason.ToString();

    private static int Count(DeploymentEntry deployment, TargetState state) => deployment.Targets.States()[(int)state];
}
