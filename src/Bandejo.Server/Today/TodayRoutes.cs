using Bandejo.Contract.Api;
using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.Rules;
using Bandejo.Core.World;
using Bandejo.Server.Deployments;
using Bandejo.Server.Http;
using Bandejo.Server.World;

namespace Bandejo.Server.Today;

/// <summary>What a person should look at first.</summary>
internal static class TodayRoutes
{
    /// <summary>Causes are read from the attempts on disk; more failing deployments than this are told without.</summary>
    private const int MostWithCauses = 8;

    private static readonly string[] ByCost = ["halted", "harm", "contested", "out-of-reach", "approval", "empty-wave", "failures", "takes-long", "late", "overrun", "silent", "unsorted"];

    public static void MapToday(this RouteGroupBuilder api) =>
        api.MapGet("/today", (WorldHost world) => Results.Ok(Of(world))).ForAll().WithSummary("What needs somebody, dearest to ignore first, and what is moving").Produces<TodayInfo>();

    private static TodayInfo Of(WorldHost world)
    {
        var today = world.Read(each =>
        {
            var active = each.Deployments.Values.Where(deployment => deployment.IsActive).Reverse().ToList();
            var pace = Pace.Of(each.Deployments.Values.SelectMany(deployment => deployment.State.Waves));
            return new TodayInfo(
                each.Now,
                [.. active.SelectMany(deployment => NeedsOf(each, deployment, pace)).Concat(TakesLong(each)).Concat(Silent(each, active)).Concat(Contested(active)).Concat(Unsorted(each)).OrderBy(need => Array.IndexOf(ByCost, need.Kind)).ThenByDescending(need => need.Devices)],
                [.. active.Where(IsMoving).Select(deployment => Views.Deployment(each, deployment))]);
        });
        var left = MostWithCauses;
        return today with { Needs = [.. today.Needs.Select(need => need.Kind is "halted" or "failures" or "out-of-reach" && left-- > 0 ? WithCause(world, need) : need)] };
    }

    private static bool IsMoving(DeploymentEntry deployment) =>
        deployment.State.Status is DeploymentStatus.Running or DeploymentStatus.RollingBack
        || !deployment.Targets.In([.. TargetTraits.With(TargetTrait.Busy), TargetState.Retry]).IsEmpty();

    private static NeedInfo WithCause(WorldHost world, NeedInfo need)
    {
        // The failed alone are told of here, so that no cause is shared by more of them than there are.
        var cause = Causes.Of(world, need.Deployment!, most: 300, isForFailed: true).FirstOrDefault();
        return cause is null ? need : need with { Detail = $"{need.Detail} {cause.Devices} failed{(cause.Devices == 1 ? "" : " alike")}: {cause.What.TrimEnd('.')}{(cause.SetApart.Count > 0 ? $"; what sets them apart: {cause.SetApart[0]}" : "")}." };
    }

    private static IEnumerable<NeedInfo> NeedsOf(FleetWorld world, DeploymentEntry deployment, Pace? pace)
    {
        var (plan, state, now) = (deployment.Plan, deployment.State, world.Now);
        var tallies = world.TalliesToShow(deployment);
        var failed = tallies.Sum(tally => TargetTraits.With(TargetTrait.Fails).Sum(tally.In));
        var at = DeploymentMachine.GateWave(state);
        var isOutOfReach = state.Status == DeploymentStatus.Running && at >= 0 && state.Waves[at].ReachedAt is null && plan.Waves[at].Gate is { } asked && Sentences.OutOfReach(asked, tallies[at]) is { Length: > 0 };
        if (state.Status == DeploymentStatus.Halted)
        {
            yield return Need("halted", $"{plan.Name} is halted", $"{Capital(state.Reason)}.{Sentences.SinceTheHalt(state, tallies)} {Count(tallies.Sum(tally => tally.Total - tally.Top), "device")} not met; nothing new starts until somebody resumes it, rolls it back or ends it.", failed, state.Since, "show");
        }
        else if (isOutOfReach)
        {
            yield return Need("out-of-reach", $"{plan.Name} cannot reach its gate", Sentences.Of(plan, state, tallies, now), tallies[at].Bottom - tallies[at].Top, state.Waves[at].OpenedAt, "show");
        }
        else if (failed > 0)
        {
            yield return Need("failures", $"{Count(failed, "device")} failed in {plan.Name}", $"{tallies.Sum(tally => tally.Top)} of {tallies.Sum(tally => tally.Bottom)} are met.", failed, null, "show");
        }

        if (state.Status == DeploymentStatus.Running && at >= 0 && plan.Waves[at].Gate is { } gate)
        {
            var (tally, wave) = (tallies[at], state.Waves[at]);
            var behind = at + 1 < plan.Waves.Count ? tallies[at + 1].Total : 0;
            if (tally.Harms > gate.MostHarms)
            {
                yield return Need("harm", $"{Count(tally.Harms, "harm report")} in {plan.Name}", Sentences.Of(plan, state, tallies, now), tally.Harms, null, "show");
            }
            else if (wave.IsSoaked && gate.NeedsApproval)
            {
                yield return Need("approval", $"{plan.Name} waits for approval", $"'{plan.Waves[at].Name}' holds its gate: {tally.Top} of {tally.Bottom} met, {gate.Needed(tally.Bottom)} needed. Then {Count(behind, "device")} follow{(behind == 1 ? "s" : "")}. {state.StartedBy} started it, so somebody else approves.", behind, wave.ReachedAt + gate.Soak, "approve");
            }
            else if (tally.Bottom == 0)
            {
                yield return Need("empty-wave", $"{plan.Name} stands before an empty wave", $"'{plan.Waves[at].Name}' has no device that its gate counts; somebody must advance it.", behind, wave.OpenedAt, "advance");
            }
            else if (!isOutOfReach && pace?.IsOverrun(wave, world.CheckInInterval, now) == true)
            {
                yield return Need("overrun", $"'{plan.Waves[at].Name}' of {plan.Name} takes long", $"Open for {Units.FormatDuration(now - wave.OpenedAt!.Value)}; waves here usually reach their gate in {Units.FormatDuration(pace.Usual)} (median of {pace.Waves}). {tally.Top} of {tally.Bottom} met, {gate.Needed(tally.Bottom)} needed.", tally.Bottom - tally.Top, wave.OpenedAt, "show");
            }
        }

        var late = Counting.Late(plan.Deadline, tallies, now);
        if (late > 0)
        {
            yield return Need("late", $"{Count(late, "device")} late in {plan.Name}", $"The deadline was {Units.FormatDuration(now - plan.Deadline!.Value)} ago.", late, plan.Deadline, "targets");
        }

        NeedInfo Need(string kind, string title, string detail, int devices, DateTimeOffset? since, string verb) =>
            new(kind, title, detail, devices, plan.Id, plan.Name, since, verb switch
            {
                "targets" => $"bandejo deployment targets \"{plan.Name}\"",
                "approve" or "advance" => $"bandejo deployment {verb} \"{plan.Name}\" --reason \"…\"",
                _ => $"bandejo deployment show \"{plan.Name}\"",
            });
    }

    /// <summary>Steps that run for much longer than their packages expect, told of by their devices.</summary>
    private static IEnumerable<NeedInfo> TakesLong(FleetWorld world) =>
        world.SlowAttempts.Values.Where(attempt => world.Deployments.ContainsKey(attempt.Deployment)).GroupBy(attempt => attempt.Deployment).Select(group =>
        {
            var plan = world.Deployments[group.Key].Plan;
            var first = group.MinBy(attempt => attempt.StartedAt)!;
            var name = world.Devices.Get(first.Device)?.Name ?? first.Device;
            return new NeedInfo(
                "takes-long", $"{Count(group.Count(), "device")} take{(group.Count() == 1 ? "s" : "")} much longer than expected in {plan.Name}", $"{name}: {first.Message}.", group.Count(), plan.Id, plan.Name, first.StartedAt,
                $"bandejo deployment targets \"{plan.Name}\" --state working");
        });

    /// <summary>Devices that are to do something somewhere and were not heard from for long: one line for all of them, wherever that is.</summary>
    private static IEnumerable<NeedInfo> Silent(FleetWorld world, List<DeploymentEntry> active)
    {
        var waiting = active.Where(deployment => deployment.State.Status is DeploymentStatus.Running or DeploymentStatus.Standing)
            .Select(deployment => (deployment.Plan, Rows: world.SilentIn(deployment))).Where(pair => !pair.Rows.IsEmpty()).OrderByDescending(pair => pair.Rows.Count()).ToList();
        if (waiting.Count > 0)
        {
            var devices = waiting.Aggregate(new Bitmap(), (all, pair) => all.Or(pair.Rows)).Count();
            var (is1, first) = (devices == 1, waiting[0].Plan);
            yield return new NeedInfo(
                "silent", $"{Count(devices, "device")} silent", $"{(is1 ? "It is" : "They are")} to do something in {string.Join(", ", waiting.Take(3).Select(pair => $"'{pair.Plan.Name}'"))}{(waiting.Count > 3 ? $" and {waiting.Count - 3} more" : "")}, and {(is1 ? "was" : "were")} not heard from for longer than a day. Nothing goes on there until somebody switches {(is1 ? "it" : "them")} on or takes {(is1 ? "it" : "them")} out of the fleet.",
                devices, first.Id, first.Name, null, $"bandejo deployment targets \"{first.Name}\" --state ready,retry,unknown --sort since");
        }
    }

    /// <summary>Those who want different things of one app are told of together: it is one thing to settle.</summary>
    private static IEnumerable<NeedInfo> Contested(List<DeploymentEntry> active) =>
        active.Select(deployment => (deployment, rows: deployment.Targets.In(TargetState.Contested))).Where(pair => !pair.rows.IsEmpty()).GroupBy(pair => pair.deployment.Plan.App).Select(rivals =>
        {
            var devices = rivals.Aggregate(new Bitmap(), (all, rival) => all.Or(rival.rows)).Count();
            var first = rivals.First().deployment.Plan;
            return new NeedInfo(
                "contested", $"{Count(devices, "device")} contested over {first.AppName}",
                $"{string.Join(" and ", rivals.Select(rival => $"'{rival.deployment.Plan.Name}'"))} want opposite things of {(devices == 1 ? "it" : "them")}; nobody acts there until one of them is ended.",
                devices, first.Id, first.Name, null, $"bandejo deployment targets \"{first.Name}\" --state contested");
        });

    private static IEnumerable<NeedInfo> Unsorted(FleetWorld world)
    {
        var unsorted = world.Devices.InOrder().Where(device => !device.Record.IsSorted).ToList();
        if (unsorted.Count > 0)
        {
            yield return new NeedInfo("unsorted", $"{Count(unsorted.Count, "device")} unsorted", $"{string.Join(", ", unsorted.Take(3).Select(device => device.Name))}{(unsorted.Count > 3 ? $" and {unsorted.Count - 3} more" : "")} joined without a group; they get nothing until somebody puts them into one.", unsorted.Count, null, null, unsorted.Min(device => device.Record.Joined), $"bandejo group add GROUP {unsorted[0].Name}");
        }
    }

    private static string Count(int count, string thing) => $"{count} {thing}{(count == 1 ? "" : "s")}";

    private static string Capital(string text) => text.Length == 0 ? "Halted by hand" : char.ToUpperInvariant(text[0]) + text[1..];
}
