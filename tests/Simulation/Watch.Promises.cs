using Bandejo.Core;
using Bandejo.Core.Deployments;
using Bandejo.Core.Rollouts;
using Bandejo.Core.World;

namespace Bandejo.Simulation.Tests;

/// <summary>This part holds what was done against what was said before.</summary>
internal sealed partial class Watch
{
    private const string Promise = "what was promised is what was done";

    /// <summary>A deployment was started of which this was said.</summary>
    public void Started(Outlook outlook, DeploymentEntry entry)
    {
        var targets = entry.Targets.All.ToList();
        for (var wave = 0; wave < outlook.Waves.Count; wave++)
        {
            var (said, done) = (
                outlook.Waves[wave],
                targets.Where(target => target.Wave == wave).Select(target => simulation.Service.World.Devices[target.Device].Name).ToList());
            Hold(said.Devices == done.Count, Promise, $"{entry.Id}, wave {wave}: {said.Devices} devices were said, and there are {done.Count}");
            Hold(
                said.Sample.All(done.Contains), Promise,
                $"{entry.Id}, wave {wave}: such as {string.Join(", ", said.Sample)} was said, and there are {string.Join(", ", done)}");
        }

        // Once all are weighed: before, those of the first wave stand where they were prepared.
        if (!entry.IsPending)
        {
            var reached = targets.Count(target => target.State is TargetState.Waiting or TargetState.Ready or TargetState.Choice);
            Hold(outlook.Reached == reached, Promise, $"{entry.Id}: {outlook.Reached} reached were said, and there are {reached}");
        }
    }

    /// <summary>Somebody asked for an act, of which this was said.</summary>
    /// <param name="isBeingWeighed">Devices of it were still to be weighed then.</param>
    public void Acted(ActEffect said, DeploymentAct act, DeploymentEntry deployment, bool isDone, bool isBeingWeighed)
    {
        Hold(
            said.NotPossible is null == isDone, Promise,
            $"{act} of {deployment.Id}: {(isDone ? "it was done" : "it was refused")}, and before it was said: {said.NotPossible ?? "it can be done"}");
        if (!isDone)
        {
            return;
        }

        if (act is DeploymentAct.Halt or DeploymentAct.Pause or DeploymentAct.End)
        {
            Hold(!deployment.State.TakesIn, Promise, $"{act} of {deployment.Id}: it is {deployment.State.Status}");
            var world = simulation.Service.World;
            var starts = deployment.Targets.All.Where(target => Core.CheckIns.DeviceOrder.Of(world, world.Devices[target.Device]).Any(
                order => order.Id == deployment.Id && order.MayStart && order.Kind != "restore"))
                .ToList();
            Hold(starts.Count == 0, Promise, $"{act} of {deployment.Id}: {starts.Count} devices may start still");
        }
        else if (act is DeploymentAct.Approve or DeploymentAct.Advance)
        {
            var opened = Enumerable.Range(0, deployment.State.Waves.Count).Where(wave => deployment.State.Waves[wave].OpenedAt == Now)
                .Sum(wave => deployment.State.Waves[wave].Expected);

            // While devices are being weighed in slices nothing opens; it does right after.
            var isLater = isBeingWeighed || deployment.Plan.Waves.Any(wave => wave.OpensAt > Now);
            Hold(
                isLater || said.Devices == 0 || opened >= said.Devices, Promise,
                $"{act} of {deployment.Id}: a wave of {said.Devices} was said to open, and {opened} did");
        }
    }

    /// <summary>Somebody rolled back, of which this was said.</summary>
    /// <param name="before">The targets before.</param>
    public void RolledBack(Outcome<RollBackOutlook> said, DeploymentEntry deployment, IReadOnlyDictionary<string, Target> before, bool isDone)
    {
        Hold(
            (said is { Ok: true, Value.NotPossible: null }) == isDone, Promise,
            $"roll back of {deployment.Id}: {(isDone ? "it was done" : "it was refused")}, and before it was said: "
                + $"{(said.Ok ? said.Value.NotPossible ?? "it can be done" : said.Failure!.Message)}");
        if (!isDone || deployment.IsPending)
        {
            return;
        }

        var going = deployment.Targets.All.Count(target => (target.IsGoingBack || target.IsToGoBack) && !(
            before[target.Device] is var was && (was.IsGoingBack || was.IsToGoBack) && was.Order == target.Order && was.IsToGoBack == target.IsToGoBack));
        Hold(going == said.Value.Devices, Promise, $"roll back of {deployment.Id}: {said.Value.Devices} were said to go back, and {going} do");
    }

    /// <summary>Somebody asked for another try, of which this was said.</summary>
    /// <param name="before">The targets before.</param>
    public void Retried(Retrying.Choice said, DeploymentEntry deployment, IReadOnlyDictionary<string, Target> before, bool isDone)
    {
        Hold(
            said.Failure is null == isDone, Promise,
            $"retry of {deployment.Id}: {(isDone ? "it was done" : "it was refused")}, and before it was said: {said.Failure?.Message ?? "it can be done"}");
        if (isDone && !deployment.IsPending)
        {
            var tried = deployment.Targets.All.Count(target => target.Order != before[target.Device].Order);
            Hold(tried == said.Devices.Count, Promise, $"retry of {deployment.Id}: another try was said for {said.Devices.Count}, and {tried} get one");
        }
    }
}
