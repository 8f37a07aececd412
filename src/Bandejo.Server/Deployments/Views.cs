using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Core.Deployments;
using Bandejo.Core.World;
using Bandejo.Server.Compliance;
using Bandejo.Server.World;
using Bandejo.Store;

namespace Bandejo.Server.Deployments;

/// <summary>Deployments, targets and attempts as they are answered.</summary>
internal static class Views
{
    public static DeploymentInfo Deployment(FleetWorld world, DeploymentEntry deployment) =>
        Deployment(deployment, world.TalliesToShow(deployment), world.Now, Lateness.States(world, deployment));

    /// <summary>A deployment with its targets as they stand at a moment.</summary>
    /// <param name="late">How many targets in each state are late; null where all are by the last of its deadlines.</param>
    public static DeploymentInfo Deployment(DeploymentEntry deployment, IReadOnlyList<Tally> tallies, DateTimeOffset at, int[]? late = null)
    {
        var plan = deployment.Plan;
        var states = deployment.Targets.States();
        late ??= Counting.Late(states, Deadlines.Last(plan, deployment.State), at);
        var stands = Sentences.Of(plan, deployment.State, tallies, at);
        return new DeploymentInfo(
            plan.Id, plan.Name, plan.App, plan.Version.Text, plan.Package, StateNames.Of(plan.Wish), StateNames.Of(deployment.State.Status),
            stands.ToString(), stands.Lead, deployment.State.StartedBy, deployment.State.StartedAt, plan.Deadline,
            Counts.Info(Counting.Compliance(states, late)), States(states),
            [.. plan.Waves.Select((_, index) => Wave(deployment, index, tallies[index], at))], deployment.State.Revision);
    }

    public static TargetInfo Target(FleetWorld world, DeploymentEntry deployment, Target target)
    {
        var device = world.Devices.Get(target.Device);
        var silence = device is null ? "" : Sentences.Silence(target.State, device.LastHeard ?? device.Record.Joined, world.CheckInInterval, world.Now);
        var deadline = device is null ? deployment.Plan.Deadline : Lateness.DeadlineOf(world, deployment, device, target.Wave);
        return Target(deployment.Plan, target, device?.Name ?? target.Device, silence, deadline, world.Now);
    }

    /// <summary>A target as it stands at a moment.</summary>
    /// <param name="name">Of its device.</param>
    /// <param name="silence">What is said beside the reason of a device that is silent.</param>
    /// <param name="deadline">When it is late; null for never.</param>
    public static TargetInfo Target(
        DeploymentPlan plan, Target target, string name, string silence, DateTimeOffset? deadline, DateTimeOffset at) => new(
        plan.Id, plan.Name, target.Device, name, plan.App, plan.Version.Text, StateNames.Of(plan.Wish), StateNames.Of(target.State), target.Reason + silence,
        target.Wave < 0 ? null : plan.Waves[target.Wave].Name, target.Tries, plan.Retry.Tries, target.Since, target.Next,
        Counting.IsLate(target.State, deadline, at), target.Before, target.ProvenAt)
    {
        Why = Info(target.Reason),
    };

    /// <summary>The settings that a deployment chose.</summary>
    public static IReadOnlyList<SettingValueInfo> Settings(DeploymentEntry deployment) => [.. deployment.Plan.Settings.Select(pair => new SettingValueInfo(
        pair.Key,
        (deployment.Package.Document.Settings ?? []).Any(setting => setting.Name == pair.Key && setting.Type == "secret") ? null : pair.Value))];

    /// <summary>A reason as data.</summary>
    public static ReasonInfo Info(Reason reason) => new(ReasonNames.Of(reason.Code), reason.Arguments, reason.Because is { } because ? Info(because) : null);

    public static AttemptInfo Attempt(WorldHost world, AttemptRecord attempt) => new(
        attempt.Id, attempt.Deployment, attempt.Device, world.Read(each => each.Devices.Get(attempt.Device)?.Name ?? attempt.Device), attempt.Kind,
        attempt.Version,
        attempt.StartedAt, attempt.EndedAt, attempt.Outcome, attempt.Phase, attempt.ExitCode, attempt.Message, attempt.HasLog);

    public static EventInfo Event(EventRecord kept) =>
        new(kept.Number, kept.At, kept.Topic, kept.What, kept.By, kept.Deployment, kept.Device, kept.Text, kept.Reason);

    private static WaveInfo Wave(DeploymentEntry deployment, int index, Tally tally, DateTimeOffset now)
    {
        var wave = deployment.Plan.Waves[index];
        var state = deployment.State.Waves[index];
        var word = state switch
        {
            { OpenedAt: null } => "closed",
            { PassedAt: not null } => "passed",
            { IsSoaked: true } => "wants-approval",
            { ReachedAt: not null } => "soaking",
            _ => "open",
        };
        var soakUntil = word == "soaking" ? state.ReachedAt + wave.Gate!.Soak : null;
        return new WaveInfo(
            wave.Name, wave.Pick.ToString(), wave.Gate?.ToString(), word, tally.Total, tally.Bottom, tally.Top, wave.Gate?.Needed(tally.Bottom), tally.Failures,
            tally.Trials,
            state.OpenedAt, soakUntil, state.PassedAt, OpensAt(), tally.Harms, States(tally.States), state.ReachedAt, wave.Gate?.NeedsApproval ?? false,
            wave.Hours?.ToString(), wave.Deadline?.ToString(), wave.Deadline?.At(state.OpenedAt, null));

        DateTimeOffset? OpensAt() => state.OpenedAt is not null ? wave.OpensAt : wave.NotBefore(now) is { } at && at < DateTimeOffset.MaxValue ? at : null;
    }

    private static List<CountInfo> States(IReadOnlyList<int> states) =>
        [.. states.Select((count, state) => new CountInfo(StateNames.Of((TargetState)state), count)).Where(pair => pair.Count > 0)];
}
