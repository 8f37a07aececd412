using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.World;

namespace Bandejo.Core.Rollouts;

/// <summary>Why something needs somebody; what is most urgent first.</summary>
public enum ConcernKind
{
    /// <summary>A deployment is halted.</summary>
    Halted,

    /// <summary>More harm was reported than its gate allows.</summary>
    Harm,

    /// <summary>Two deployments want opposite things of devices.</summary>
    Contested,

    /// <summary>A gate cannot be reached as things are.</summary>
    OutOfReach,

    /// <summary>A gate waits for approval.</summary>
    Approval,

    /// <summary>A gate counts nobody.</summary>
    EmptyWave,

    /// <summary>Devices have failed.</summary>
    Failures,

    /// <summary>Steps run for much longer than their packages expect.</summary>
    TakesLong,

    /// <summary>The deadline has passed.</summary>
    Late,

    /// <summary>Devices have waited for a restart for days.</summary>
    Restart,

    /// <summary>A wave takes much longer than waves usually do.</summary>
    Overrun,

    /// <summary>Devices that are to do something were not heard from for long.</summary>
    Silent,

    /// <summary>Devices that nobody has put into a group.</summary>
    Unsorted,

    /// <summary>Another deployment has wholly taken the place of one.</summary>
    Replaced,
}

/// <summary>Something that needs somebody.</summary>
/// <param name="Devices">How many devices it is about.</param>
/// <param name="Since">Since when; null where that is not one moment.</param>
/// <param name="Deployments">The deployments that it is about, the one to go to first; empty for none.</param>
public sealed record Concern(ConcernKind Kind, int Devices, DateTimeOffset? Since, IReadOnlyList<DeploymentEntry> Deployments)
{
    /// <summary>The counts of the first deployment's waves, with those who were not heard from for long.</summary>
    public IReadOnlyList<Tally> Tallies { get; init; } = [];

    /// <summary>The wave whose gate it is about; -1 for none.</summary>
    public int Wave { get; init; } = -1;

    /// <summary>How many devices the wave behind that one has.</summary>
    public int Behind { get; init; }

    /// <summary>Of <see cref="ConcernKind.Overrun"/>: how long waves usually take.</summary>
    public Pace? Pace { get; init; }

    /// <summary>Of <see cref="ConcernKind.TakesLong"/>: the attempt that began first.</summary>
    public AttemptRecord? Attempt { get; init; }

    /// <summary>A few names of its devices, where it is about no deployment, or of the attempt's device.</summary>
    public IReadOnlyList<string> Sample { get; init; } = [];
}

/// <summary>Finds what needs somebody, and what is moving.</summary>
public static class Concerns
{
    private const int SampleSize = 3;

    /// <summary>So long a device may wait for a restart before somebody is told.</summary>
    private static readonly TimeSpan RestartPatience = TimeSpan.FromDays(3);

    /// <summary>Everything that needs somebody, most urgent first, and of what is alike the larger.</summary>
    public static IReadOnlyList<Concern> Of(FleetWorld world)
    {
        var active = Newest(world);
        var pace = Pace.Of(world.Deployments.Values.SelectMany(deployment => deployment.State.Waves));
        return [
            .. active.SelectMany(deployment => OfDeployment(world, deployment, pace)).Concat(TakesLong(world)).Concat(Silent(world, active))
                .Concat(Contested(active)).Concat(Unsorted(world))
            .OrderBy(need => need.Kind).ThenByDescending(need => need.Devices)];
    }

    /// <summary>The deployments in which something is on its way, newest first.</summary>
    public static IReadOnlyList<DeploymentEntry> Moving(FleetWorld world) => [.. Newest(world).Where(deployment =>
        deployment.State.Status is DeploymentStatus.Running or DeploymentStatus.RollingBack
            || !deployment.Targets.In([.. TargetTraits.With(TargetTrait.Busy), TargetState.Retry]).IsEmpty())];

    private static List<DeploymentEntry> Newest(FleetWorld world) => [.. world.Deployments.Values.Where(deployment => deployment.IsActive).Reverse()];

    private static IEnumerable<Concern> OfDeployment(FleetWorld world, DeploymentEntry deployment, Pace? pace)
    {
        var (plan, state, now) = (deployment.Plan, deployment.State, world.Now);
        var tallies = world.TalliesToShow(deployment);
        var failed = tallies.Sum(tally => TargetTraits.With(TargetTrait.Fails).Sum(tally.In));
        var at = DeploymentMachine.GateWave(state);
        var gate = state.Status == DeploymentStatus.Running && at >= 0 ? plan.Waves[at].Gate : null;
        var isOutOfReach = gate is not null && state.Waves[at].ReachedAt is null && Sentences.OutOfReach(gate, tallies[at]) is { Length: > 0 };
        if (Replacing.By(world, deployment) is { } other)
        {
            yield return new Concern(
                ConcernKind.Replaced, tallies.Sum(tally => tally.In(TargetState.Yielded)), null, [deployment, other]) { Tallies = tallies };
        }

        if (state.Status == DeploymentStatus.Halted)
        {
            yield return Concern(ConcernKind.Halted, failed, state.Since);
        }
        else if (isOutOfReach)
        {
            yield return Concern(ConcernKind.OutOfReach, tallies[at].Bottom - tallies[at].Top, state.Waves[at].OpenedAt);
        }
        else if (failed > 0)
        {
            yield return Concern(ConcernKind.Failures, failed, null);
        }

        if (gate is not null)
        {
            var (tally, wave) = (tallies[at], state.Waves[at]);
            var behind = at + 1 < plan.Waves.Count ? tallies[at + 1].Total : 0;
            if (tally.Harms > gate.MostHarms)
            {
                yield return Concern(ConcernKind.Harm, tally.Harms, null);
            }
            else if (wave.IsSoaked && gate.NeedsApproval)
            {
                yield return Concern(ConcernKind.Approval, behind, wave.ReachedAt + gate.Soak) with { Behind = behind };
            }
            else if (tally.Bottom == 0)
            {
                yield return Concern(ConcernKind.EmptyWave, behind, wave.OpenedAt) with { Behind = behind };
            }
            else if (!isOutOfReach && pace?.IsOverrun(wave, world.CheckInInterval, now) == true)
            {
                yield return Concern(ConcernKind.Overrun, tally.Bottom - tally.Top, wave.OpenedAt) with { Pace = pace };
            }
        }

        var late = Counting.Late(plan, tallies, now);
        if (late > 0)
        {
            yield return Concern(ConcernKind.Late, late, Deadlines.FirstPassed(plan, deployment.State, now));
        }

        var unrestarted = deployment.Targets.With(TargetState.Restart).Where(target => now - target.Since >= RestartPatience).ToList();
        if (unrestarted.Count > 0)
        {
            yield return Concern(ConcernKind.Restart, unrestarted.Count, unrestarted.Min(target => target.Since)) with
            {
                Sample = [.. unrestarted.Take(SampleSize).Select(target => world.Devices.Get(target.Device)?.Name ?? target.Device)],
            };
        }

        Concern Concern(ConcernKind kind, int devices, DateTimeOffset? since) => new(kind, devices, since, [deployment]) { Tallies = tallies, Wave = at };
    }

    private static IEnumerable<Concern> TakesLong(FleetWorld world) =>
        world.SlowAttempts.Values.Where(attempt => world.Deployments.ContainsKey(attempt.Deployment)).GroupBy(attempt => attempt.Deployment).Select(group =>
        {
            var first = group.MinBy(attempt => attempt.StartedAt)!;
            return new Concern(
                ConcernKind.TakesLong, group.Count(), first.StartedAt,
                [world.Deployments[group.Key]]) { Attempt = first, Sample = [world.Devices.Get(first.Device)?.Name ?? first.Device] };
        });

    /// <summary>One for all of them, wherever they are to do something.</summary>
    private static IEnumerable<Concern> Silent(FleetWorld world, List<DeploymentEntry> active)
    {
        var waiting = active.Where(deployment => deployment.State.TakesIn).Select(deployment => (Deployment: deployment, Rows: world.SilentIn(deployment)))
            .Where(pair => !pair.Rows.IsEmpty()).OrderByDescending(pair => pair.Rows.Count()).ToList();
        if (waiting.Count > 0)
        {
            yield return new Concern(ConcernKind.Silent, waiting.Aggregate(new Bitmap(), (all, pair) => all.Or(pair.Rows)).Count(), null, [.. waiting.Select(
                pair => pair.Deployment)]);
        }
    }

    /// <summary>Those who want different things of one app are told of together: it is one thing to settle.</summary>
    private static IEnumerable<Concern> Contested(List<DeploymentEntry> active) =>
        active.Select(deployment => (Deployment: deployment, Rows: deployment.Targets.In(TargetState.Contested))).Where(pair => !pair.Rows.IsEmpty())
            .GroupBy(pair => pair.Deployment.Plan.App)
            .Select(rivals => new Concern(ConcernKind.Contested, rivals.Aggregate(new Bitmap(), (all, rival) => all.Or(rival.Rows)).Count(), null, [
                .. rivals.Select(rival => rival.Deployment)]));

    private static IEnumerable<Concern> Unsorted(FleetWorld world)
    {
        var unsorted = world.Devices.InOrder().Where(device => !device.Record.IsSorted).ToList();
        if (unsorted.Count > 0)
        {
            yield return new Concern(
                ConcernKind.Unsorted, unsorted.Count, unsorted.Min(device => device.Record.Joined),
                []) { Sample = [.. unsorted.Take(SampleSize).Select(device => device.Name)] };
        }
    }
}
