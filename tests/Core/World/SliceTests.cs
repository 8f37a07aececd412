using Bandejo.Core.Catalogue;
using Bandejo.Core.CheckIns;
using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.Packages;
using Bandejo.Core.Rollouts;
using Bandejo.Core.Site;
using Bandejo.Core.World;
using Xunit;

namespace Bandejo.Core.Tests.World;

/// <summary>What is decided for many devices is done in slices, and nobody is told of more than was done.</summary>
public sealed class SliceTests : SmallWorld
{
    [Fact]
    public void A_start_opens_its_wave_in_slices_and_devices_start_as_they_were_weighed()
    {
        var deployment = Start();
        Assert.True(deployment.IsPending);
        Assert.Equal((Devices, 0), (In(TargetState.Waiting), Starting()));
        Do(Due.Take);
        Assert.Equal((Devices - Slice, Slice), (In(TargetState.Waiting), Starting()));
        Settle();
        Assert.Equal((0, Devices), (In(TargetState.Waiting), Starting()));

        int In(TargetState state) => deployment.Targets.States()[(int)state];
    }

    [Fact]
    public void Nobody_starts_after_a_halt_that_is_not_through_with_all_yet()
    {
        var deployment = Start();
        Settle();
        Do(decision => Acting.Do(decision, (_, _) => null, deployment.Id, DeploymentAct.Halt, "because"));
        Assert.True(deployment.IsPending);
        Assert.Equal(0, Starting());
        Settle();
        Assert.Equal(Devices, deployment.Targets.States()[(int)TargetState.Waiting]);
        Assert.All(deployment.Targets.All, target => Assert.Equal(ReasonCode.DeploymentStopped, target.Reason.Code));
    }

    [Fact]
    public void A_gate_is_not_looked_at_while_devices_are_still_to_be_weighed()
    {
        var deployment = Start(new WaveAsk("first", "30 devices", "50 % met", null), new WaveAsk("rest", "everyone else", null, null));
        Settle();
        var few = deployment.Targets.All.Where(target => target.Wave == 0).Take(4).Select(target => target.Device).ToList();
        few.Take(3).ToList().ForEach(CheckIn);

        // The rule now leaves all others out: until they are weighed the three are three of more than they will be.
        Do(decision => Groups.Alter(
            decision, (_, _) => null, "desks", "desks", string.Join(" or ", few.Select(device => $"name is \"{Fleet.Devices[device].Name}\"")), false));
        for (; deployment.IsPending; Do(Due.Take))
        {
            Do(decision =>
            {
                Looking.Look(decision, deployment);
                return (Outcome<bool>)true;
            });
            Assert.Null(deployment.State.Waves[1].OpenedAt);
        }

        Settle();
        Assert.NotNull(deployment.State.Waves[1].OpenedAt);
    }

    [Fact]
    public void All_are_brought_back_although_only_some_are_at_a_time()
    {
        var deployment = Start();
        Settle();
        foreach (var device in Fleet.Devices.Values.ToList())
        {
            Install(deployment, device.Id);
        }

        var outlook = RollingBack.Preview(Fleet, deployment.Id, new RollBackAsk("because")).Value;
        Assert.Equal(Devices, outlook.Devices);
        Do(decision => RollingBack.Do(decision, (_, _) => null, deployment.Id, new RollBackAsk("because"), outlook));
        Assert.Equal(DeploymentStatus.RollingBack, deployment.State.Status);
        Do(Due.Take);
        Assert.Equal(Slice, deployment.Targets.All.Count(target => target.IsGoingBack));
        Assert.Equal(DeploymentStatus.RollingBack, deployment.State.Status);

        // Where it is stopped there, it goes on; also where an earlier version of the program had kept no mark of it.
        foreach (var isMarked in (bool[])[true, false])
        {
            var again = ReadAgain();
            var there = again.Deployments[deployment.Id];
            again.Apply(new PutDeployment(there.Record with { State = there.State with { IsUnfinished = isMarked } }));
            again.GoOn();
            Assert.True(again.Decide(null, Now, () => "", [], decision => Due.WeighAnew(decision, "another")).Value);
            while (again.Decide(null, Now, () => "", [], Due.Take).Value)
            {
            }

            Assert.Equal(Devices, there.Targets.All.Count(target => target.IsGoingBack));
        }

        Settle();
        Assert.Equal(Devices, deployment.Targets.All.Count(target => target.IsGoingBack));
    }

    [Fact]
    public void What_a_stop_left_half_done_is_done_after_the_start()
    {
        var deployment = Start();
        Settle();
        Do(decision => Acting.Do(decision, (_, _) => null, deployment.Id, DeploymentAct.Pause, ""));
        Do(Due.Take);
        var again = ReadAgain();
        again.GoOn();
        while (again.Decide(null, Now, () => "", [], Due.Take).Value)
        {
        }

        Assert.Equal(Devices, again.Deployments[deployment.Id].Targets.States()[(int)TargetState.Waiting]);
    }

    [Fact]
    public void What_was_done_for_all_is_not_done_again_after_the_start()
    {
        var deployment = Start();
        Assert.True(deployment.IsPending && deployment.State.IsUnfinished);
        Settle();
        Do(decision => Acting.Do(decision, (_, _) => null, deployment.Id, DeploymentAct.Pause, ""));
        Settle();
        var again = ReadAgain();
        again.GoOn();
        Assert.False(again.Deployments[deployment.Id].IsPending);
        Assert.False(again.Deployments[deployment.Id].State.IsUnfinished);
    }

    [Fact]
    public void Another_program_weighs_all_devices_once_also_where_it_is_stopped_meanwhile()
    {
        var deployment = Start();
        Settle();
        Assert.True(Do(decision => Due.WeighAnew(decision, "one")));
        Assert.True(deployment.IsPending);
        Assert.True(Fleet.Decide(null, Now, () => "", Changes, Due.Take).Ok);
        var again = ReadAgain();
        again.GoOn();
        Assert.True(again.Deployments[deployment.Id].IsPending);
        Assert.False(again.Decide(null, Now, () => "", [], decision => Due.WeighAnew(decision, "one")).Value);
        while (again.Decide(null, Now, () => "", [], Due.Take).Value)
        {
        }

        Assert.False(again.Deployments[deployment.Id].IsPending);
        Assert.True(again.Decide(null, Now, () => "", [], decision => Due.WeighAnew(decision, "another")).Value);
        Assert.True(again.Deployments[deployment.Id].IsPending);
    }

    [Fact]
    public void A_start_that_was_prepared_before_something_changed_weighs_what_changed()
    {
        var prepared = Rollouts.Starting.Prepare(
            Fleet.Still(), Ask([new WaveAsk("all", "everyone else", null, null)]), "root-admin", ask => ask.Package).Value;
        var (gone, other) = (Fleet.Devices.Named("DESK-1")!, Fleet.Devices.Named("DESK-2")!);
        Do(decision => Enrolment.Remove(decision, gone.Name, ShelvedTargets.None));
        Do(decision => CheckIns.CheckIn.Take(
            decision, other.Id, new CheckInTold { Sequence = 1, FactsDigest = "new", Facts = new FactsTold([("kind", "laptop")], []) }, ToldBefore.Nothing));
        var deployment = Do(decision => Rollouts.Starting.Begin(decision, prepared));
        Settle();
        Assert.Equal(Devices - 1, deployment.Targets.Count);
        Assert.Equal(TargetState.Left, deployment.Targets.StateOf(Fleet.Devices[other.Id]));
        Assert.DoesNotContain(Changes, change => change is PutTarget { Target: var target } && target.Device == gone.Id);
    }

    [Fact]
    public void A_package_whose_deployment_was_prepared_apart_stays()
    {
        var prepared = Rollouts.Starting.Prepare(
            Fleet.Still(), Ask([new WaveAsk("all", "everyone else", null, null)]), "root-admin", ask => ask.Package).Value;
        Release(Package('b', "3"));
        Do(decision => Room.LetGo(decision, Ink.Digest, "because"));
        Do(decision => PackageLives.TakeIn(decision, Ink, RandomHistory.ContentsOf(Ink), null));
        Do(decision => Rollouts.Starting.Begin(decision, prepared));
        var gone = Fleet.Decide("root-admin", Now, () => "", [], decision => Room.LetGo(decision, Ink.Digest, "because"));
        Assert.EndsWith("deploys it.", gone.Failure?.Message, StringComparison.Ordinal);
    }

    [Fact]
    public void A_roll_back_that_was_looked_at_apart_pauses_the_others_as_they_are_now()
    {
        var deployment = Start();
        Settle();

        // More than a slice, so that what was looked at counts, and fewer than the other has, so that its pause has to reach the rest.
        var changed = Fleet.Devices.Values.Take(Devices - Slice).Select(device => device.Id).ToList();
        changed.ForEach(device => Install(deployment, device));
        var newer = Package('b', "3");
        Release(newer);
        var other = Do(decision => Acting.Start(
            decision, Ask([new WaveAsk("all", "everyone else", null, null)]) with { Package = newer.Digest }, ask => ask.Package));
        Settle();
        var ask = new RollBackAsk("because", changed, PausesOthers: true);
        var outlook = RollingBack.Preview(Fleet.Still(), deployment.Id, ask).Value;
        Assert.Equal([(other.Id, changed.Count)], outlook.Again.Select(again => (again.Deployment, again.Devices)));
        Do(decision => RollingBack.Do(decision, (_, _) => null, deployment.Id, ask, outlook));
        Assert.Equal(DeploymentStatus.Paused, Fleet.Deployments[other.Id].State.Status);
        Settle();
        Assert.Equal(changed.Count, deployment.Targets.All.Count(target => target.IsGoingBack));
        Assert.Equal(0, other.Targets.States()[(int)TargetState.Ready]);
    }

    [Fact]
    public void Whoever_yields_starts_when_the_stronger_lets_go_also_where_that_is_found_in_slices()
    {
        var newer = Package('b', "3");
        Release(newer);
        Do(decision => Groups.Add(decision, "some", "", "kind is \"desktop\"", false));
        var stronger = Do(decision => Acting.Start(
            decision, Ask([new WaveAsk("all", "everyone else", null, null)]) with { Package = newer.Digest, Groups = ["some"] }, ask => ask.Package));
        Settle();
        var weaker = Start();
        Settle();
        Assert.Equal(Devices, weaker.Targets.States()[(int)TargetState.Yielded]);
        Do(decision => Groups.Alter(decision, (_, _) => null, "some", "", "kind is \"kiosk\"", false));
        Settle();
        Assert.Equal((Devices, Devices), (stronger.Targets.States()[(int)TargetState.Left], weaker.Targets.States()[(int)TargetState.Ready]));
    }

    [Fact]
    public void Who_waits_for_what_a_new_deployment_brings_knows_it_also_where_its_wave_is_closed()
    {
        var needing = Package('b', "1", "loom", needs: "ink");
        Release(needing);
        var waiting = Do(decision => Acting.Start(decision, Ask([new WaveAsk("all", "everyone else", null, null)]) with { Package = needing.Digest }, ask => ask.Package));
        Settle();
        Assert.Equal(Devices, waiting.Targets.States()[(int)TargetState.Blocked]);
        Start(new WaveAsk("some", "10 %", "100 % met", null), new WaveAsk("rest", "everyone else", null, null));
        Settle();
        Assert.Equal(Devices, waiting.Targets.States()[(int)TargetState.Waiting]);
    }

    [Fact]
    public void What_was_called_back_waits_for_nothing_once_it_may_start_again()
    {
        var deployment = Start();
        Settle();
        var device = Fleet.Devices.Values.First();
        Tell(hasEnded: false, "fetch");
        Do(decision => Acting.Do(decision, (_, _) => null, deployment.Id, DeploymentAct.Pause, "because"));
        Settle();
        Tell(hasEnded: true, Attempts.CalledBack);
        Assert.Equal((TargetState.Waiting, 0), (deployment.Targets[device].State, deployment.Targets[device].Tries));
        Do(decision => Acting.Do(decision, (_, _) => null, deployment.Id, DeploymentAct.Resume, "because"));
        Settle();
        Assert.Equal((TargetState.Ready, ReasonCode.OrderOut), (deployment.Targets[device].State, deployment.Targets[device].Reason.Code));

        void Tell(bool hasEnded, string phase) => Do(decision => CheckIns.CheckIn.Take(
            decision, device.Id,
            new CheckInTold
            {
                Sequence = NextId(), FactsDigest = "",
                Attempts = [new AttemptTold("a1", deployment.Id, "install", hasEnded, Now, Now, hasEnded ? "waits" : null, phase, null, "It was called back", false, null, null)],
            },
            ToldBefore.Nothing));
    }

    [Fact]
    public void Who_was_to_get_back_what_is_withdrawn_meanwhile_stays_and_the_roll_back_ends()
    {
        var earlier = Package('b', "1");
        Release(earlier);
        var deployment = Start();
        Settle();
        var changed = Fleet.Devices.Values.Take(3).Select(device => device.Id).ToList();
        changed.ForEach(device => Install(deployment, device, before: "1"));
        Do(decision => RollingBack.Do(decision, (_, _) => null, deployment.Id, new RollBackAsk("because")));
        Settle();
        Assert.All(changed, device => Assert.Contains(
            DeviceOrder.Of(Fleet, Fleet.Devices[device]),
            order => order is { Kind: "restore", MayStart: true, Previous.Digest: var digest } && digest == earlier.Digest));
        Tell("began", null);
        Do(decision => PackageLives.Withdraw(decision, earlier.Digest, "because", (_, _) => ""));
        Settle();
        Assert.Equal((TargetState.Working, DeploymentStatus.RollingBack), (deployment.Targets[Fleet.Devices[changed[0]]].State, deployment.State.Status));
        Tell("ended", "busy");
        Settle();
        Assert.All(changed, device => Assert.Equal(TargetState.Failed, deployment.Targets[Fleet.Devices[device]].State));
        Assert.All(changed, device => Assert.StartsWith(
            "Cannot go back: ink 1 was there before, and it was", deployment.Targets[Fleet.Devices[device]].Reason.ToString(), StringComparison.Ordinal));
        Assert.Equal(DeploymentStatus.Ended, deployment.State.Status);
        Assert.Contains("3 devices could not be brought back", deployment.State.Reason, StringComparison.Ordinal);

        void Tell(string what, string? outcome) => Do(decision => CheckIns.CheckIn.Take(
            decision, changed[0],
            new CheckInTold
            {
                Sequence = NextId(), FactsDigest = "",
                Attempts = [new AttemptTold("back", deployment.Id, "restore", what == "ended", Now, Now, outcome, "run", 1618, "busy", false, null, null)],
            },
            ToldBefore.Nothing));
    }

    [Fact]
    public void What_could_not_be_done_for_one_deployment_keeps_no_other_waiting()
    {
        var another = Package('b', "1", "loom");
        Release(another);
        DeploymentEntry[] both = [Start(), Do(decision => Acting.Start(
            decision, Ask([new WaveAsk("all", "everyone else", null, null)]) with { Package = another.Digest }, ask => ask.Package))];
        Do(Due.PutOff);
        Settle();
        Assert.Single(both, deployment => deployment.IsPending);
        while (Fleet.Decide(null, Now.AddMinutes(1), () => "", Changes, Due.Take).Value)
        {
        }

        Assert.DoesNotContain(both, deployment => deployment.IsPending);
    }

    /// <summary>How many devices may start now.</summary>
    private int Starting() =>
        Fleet.Devices.Values.Count(device => DeviceOrder.Of(Fleet, device).Any(
            order => order.MayStart && Fleet.Deployments[order.Id].Targets.StateOf(device) == TargetState.Ready));
}
