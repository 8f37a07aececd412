using Bandejo.Core.Deployments;
using Bandejo.Core.Packages;
using Bandejo.Core.Rules;
using Bandejo.Core.Versions;
using Bandejo.Core.World;

namespace Bandejo.Core.Rollouts;

/// <summary>What an act would do to a deployment, before anybody asks for it.</summary>
/// <param name="Act">Its name, such as <c>roll-back</c>.</param>
/// <param name="Devices">How many devices it is about.</param>
/// <param name="Says">What comes of it, in words.</param>
/// <param name="NotPossible">Why it cannot be done now; null where it can. Roles are not looked at.</param>
public sealed record ActEffect(string Act, int Devices, string Says, string? NotPossible);

/// <summary>What each act on a deployment would do, before anybody asks for it.</summary>
public static class ActEffects
{
    /// <summary>All acts as they stand for one person now. Whether one is possible is decided by what decides when it is asked for.</summary>
    public static Outcome<IReadOnlyList<ActEffect>> Of(FleetWorld world, string named, string person)
    {
        var found = Named.Deployment(world, named);
        if (!found.Ok)
        {
            return found.Failure!;
        }

        var deployment = found.Value;
        var tallies = world.Tallies(deployment);
        var others = Acting.HasOtherApprover(world, person);
        var acts = Enum.GetValues<DeploymentAct>().Select(act =>
        {
            if (act == DeploymentAct.RollBack)
            {
                var back = RollingBack.Preview(world, deployment);
                return new ActEffect(
                    StateNames.Hyphenate(act.ToString()), back.Devices, $"{back.Says} What was there already stays.".TrimStart(),
                    back.NotPossible is { } against ? $"{against} {back.Says}".Trim() : null);
            }

            var decision = Acting.Decide(deployment, new Asked(act, person, "preview", !others, tallies), world.Now);
            var (devices, says) = Effect(deployment, act, tallies);
            return new ActEffect(StateNames.Hyphenate(act.ToString()), devices, says, decision.Ok ? null : decision.Failure!.Message);
        });
        var choice = Retrying.Choose(world, deployment, null);
        var failed = choice.Devices.Count;
        var not = choice.Not.Count == 0
            ? ""
            : " Not: "
                + string.Join(" ", choice.Not.Select(
                    each => $"{Count(each.Count)} ({string.Join(", ", each.Sample.Take(3))}{(each.Count > 3 ? ", …" : "")}). {each.Reason}"));
        var retry = new ActEffect(
            "retry", failed,
            $"{Count(failed)} that failed or {(failed == 1 ? "is" : "are")} lost get{(failed == 1 ? "s its" : " their")} tries anew and "
                + $"start{(failed == 1 ? "s" : "")} at {(failed == 1 ? "its" : "their")} next check-in.{not}",
            choice.Failure?.Message);
        return (List<ActEffect>)[.. acts, retry];
    }

    private static (int Devices, string Says) Effect(DeploymentEntry deployment, DeploymentAct act, IReadOnlyList<Tally> tallies)
    {
        var wave = DeploymentMachine.GateWave(deployment.State);
        var next = wave >= 0 && wave + 1 < tallies.Count ? tallies[wave + 1].Total : 0;
        var idle = Sum(TargetTrait.Idle);
        var busy = Sum(TargetTrait.Busy);
        var goingBack = tallies.Sum(tally => tally.GoingBack);
        switch (act)
        {
            case DeploymentAct.Approve or DeploymentAct.Advance:
                var opens = next == 0 ? "It is the last gate; nothing more opens." : $"'{deployment.Plan.Waves[wave + 1].Name}' with {Count(next)} opens.";
                return (
                    next,
                    act == DeploymentAct.Approve
                        ? opens
                        : $"The gate behind '{(wave >= 0 ? deployment.Plan.Waves[wave].Name : "")}' passes although it does not hold. {opens}");
            case DeploymentAct.Pause or DeploymentAct.Halt:
                return (
                    idle,
                    $"{Count(idle)} that did not begin do not start any more, as soon as they hear of it; {Count(busy)} at work may "
                        + $"finish.{(goingBack == 0 ? "" : $" {Count(goingBack)} go on being rolled back.")}");
            case DeploymentAct.Resume:
                return (idle, $"{Count(idle)} go on. The failures until now are accepted; the halt rule judges what comes after.");
            default:
                var left = goingBack == 0
                    ? ""
                    : $" {Count(goingBack)} {(goingBack == 1 ? "is" : "are")} not rolled back yet and "
                        + $"{(goingBack == 1 ? "stays as it is" : "stay as they are")}.";
                return (
                    deployment.Targets.Count,
                    $"No more orders go out to {Count(deployment.Targets.Count)}, and nothing is watched any more. What is installed stays.{left}");
        }

        int Sum(TargetTrait trait) => tallies.Sum(tally => TargetTraits.With(trait).Sum(tally.In));
    }

    private static string Count(int devices) => Acting.Devices(devices);
}
