using Bandejo.Core.CheckIns;
using Bandejo.Core.Deployments;
using Bandejo.Core.Rollouts;
using Bandejo.Core.World;
using Xunit;

namespace Bandejo.Core.Tests.World;

/// <summary>A deployment of which something changed is looked at, whatever changed first.</summary>
public sealed class LookingTests : SmallWorld
{
    [Fact]
    public void What_its_rule_stops_is_stopped_also_where_its_package_became_another_before()
    {
        var deployment = Do(decision => Acting.Start(
            decision, Ask([new WaveAsk("all", "everyone else", null, null)]) with { Halt = "1 failed", Tries = 1 }, ask => ask.Package));
        Settle();
        Assert.Equal(DeploymentStatus.Running, deployment.State.Status);

        // In one decision with what follows, so that nobody looks in between.
        var device = Fleet.Devices.Values.First();
        Do(decision =>
        {
            decision.Do(new PutPackage(deployment.Package.Record));
            return CheckIns.CheckIn.Take(
                decision, device.Id,
                new CheckInTold
                {
                    Sequence = NextId(), FactsDigest = "",
                    Attempts = [new AttemptTold("a", deployment.Id, "install", true, Now, Now, "failed", "run", 9, "no", false, "", null)],
                },
                ToldBefore.Nothing);
        });
        Settle();
        Assert.Equal(DeploymentStatus.Halted, deployment.State.Status);
    }
}
