using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Core.Deployments;
using Bandejo.Core.Rollouts;
using Bandejo.Core.Rules;

namespace Bandejo.Server.Today;

/// <summary>Writes out what needs somebody.</summary>
internal static class ConcernWords
{
    public static NeedInfo Info(Concern concern, DateTimeOffset now)
    {
        var first = concern.Deployments.Count > 0 ? concern.Deployments[0] : null;
        return new NeedInfo(
            StateNames.Hyphenate(concern.Kind.ToString()), Title(concern), Detail(concern, now), concern.Devices, first?.Id, first?.Plan.Name, concern.Since,
            Command(concern));
    }

    private static string Title(Concern concern) => concern.Kind switch
    {
        ConcernKind.Halted => $"{Name(concern)} is halted",
        ConcernKind.Harm => $"{Count(concern.Devices, "harm report")} in {Name(concern)}",
        ConcernKind.Contested => $"{Count(concern.Devices, "device")} contested over {concern.Deployments[0].Plan.AppName}",
        ConcernKind.OutOfReach => $"{Name(concern)} cannot reach its gate",
        ConcernKind.Approval => $"{Name(concern)} waits for approval",
        ConcernKind.EmptyWave => $"{Name(concern)} stands before an empty wave",
        ConcernKind.Failures => $"{Count(concern.Devices, "device")} failed in {Name(concern)}",
        ConcernKind.TakesLong => $"{Count(concern.Devices, "device")} take{(concern.Devices == 1 ? "s" : "")} much longer than expected in {Name(concern)}",
        ConcernKind.Late => $"{Count(concern.Devices, "device")} late in {Name(concern)}",
        ConcernKind.Restart => $"{Count(concern.Devices, "device")} wait{(concern.Devices == 1 ? "s" : "")} for a restart in {Name(concern)}",
        ConcernKind.Overrun => $"'{Wave(concern).Name}' of {Name(concern)} takes long",
        ConcernKind.Silent => $"{Count(concern.Devices, "device")} silent",
        ConcernKind.Unsorted => $"{Count(concern.Devices, "device")} unsorted",
        ConcernKind.Replaced => $"{Name(concern)} can be ended",
        _ => throw new ArgumentOutOfRangeException(nameof(concern)),
    };

    private static string Detail(Concern concern, DateTimeOffset now) => concern.Kind switch
    {
        ConcernKind.Halted => Halted(concern),
        ConcernKind.OutOfReach or ConcernKind.Harm => Sentences.Of(concern.Deployments[0].Plan, concern.Deployments[0].State, concern.Tallies, now).ToString(),
        ConcernKind.Contested =>
            $"{string.Join(" and ", concern.Deployments.Select(each => $"'{each.Plan.Name}'"))} want opposite things of "
                + $"{(concern.Devices == 1 ? "it" : "them")}; nobody acts there until one of them is ended.",
        ConcernKind.Approval =>
            $"'{Wave(concern).Name}' holds its gate: {Met(concern)}. Then {Count(concern.Behind, "device")} follow{(concern.Behind == 1 ? "s" : "")}. "
            + $"{concern.Deployments[0].State.StartedBy} started it, so somebody else approves.",
        ConcernKind.EmptyWave => $"'{Wave(concern).Name}' has no device that its gate counts; somebody must advance it.",
        ConcernKind.Failures => $"{concern.Tallies.Sum(tally => tally.Top)} of {concern.Tallies.Sum(tally => tally.Bottom)} are met.",
        ConcernKind.TakesLong => $"{concern.Sample[0]}: {concern.Attempt!.Message}.",
        ConcernKind.Late => $"The deadline was {Units.FormatDuration(now - concern.Since!.Value)} ago.",
        ConcernKind.Restart =>
            $"{string.Join(", ", concern.Sample)}{(concern.Devices > concern.Sample.Count ? $" and {concern.Devices - concern.Sample.Count} more" : "")}: in "
                + $"place but for a restart, the longest for {Units.FormatDuration(now - concern.Since!.Value)}. "
                + $"Restart: {concern.Deployments[0].Plan.Restart}.",
        ConcernKind.Overrun =>
            $"Open for {Units.FormatDuration(now - concern.Since!.Value)}; waves here usually reach their gate in "
                + $"{Units.FormatDuration(concern.Pace!.Usual)} (median of {concern.Pace.Waves}). {Met(concern)}.",
        ConcernKind.Silent => Silent(concern),
        ConcernKind.Unsorted =>
            $"{string.Join(", ", concern.Sample)}{(concern.Devices > concern.Sample.Count ? $" and {concern.Devices - concern.Sample.Count} more" : "")} "
                + $"joined without a group; they get nothing until somebody puts them into one.",
        ConcernKind.Replaced =>
            $"'{concern.Deployments[1].Plan.Name}' has taken its place on {(concern.Devices == 1 ? "its one device" : $"all {concern.Devices} devices")} and "
                + "reaches the same groups. Ending it changes nothing on any device.",
        _ => throw new ArgumentOutOfRangeException(nameof(concern)),
    };

    private static string Command(Concern concern) => concern.Kind switch
    {
        ConcernKind.Late => $"bandejo deployment targets \"{Name(concern)}\" --late",
        ConcernKind.Approval => $"bandejo deployment approve \"{Name(concern)}\" --reason \"…\"",
        ConcernKind.EmptyWave => $"bandejo deployment advance \"{Name(concern)}\" --reason \"…\"",
        ConcernKind.TakesLong => $"bandejo deployment targets \"{Name(concern)}\" --state working",
        ConcernKind.Restart => $"bandejo deployment targets \"{Name(concern)}\" --state restart",
        ConcernKind.Silent => $"bandejo deployment targets \"{Name(concern)}\" --state ready retry unknown --sort since",
        ConcernKind.Contested => $"bandejo deployment targets \"{Name(concern)}\" --state contested",
        ConcernKind.Unsorted => $"bandejo group member add GROUP {concern.Sample[0]}",
        ConcernKind.Replaced => $"bandejo deployment end \"{Name(concern)}\" --reason \"replaced\"",
        _ => $"bandejo deployment show \"{Name(concern)}\"",
    };

    private static string Halted(Concern concern)
    {
        var (state, unmet) = (concern.Deployments[0].State, concern.Tallies.Sum(tally => tally.Total - tally.Top));
        var why = state.Reason.Length == 0 ? "Halted by hand" : char.ToUpperInvariant(state.Reason[0]) + state.Reason[1..];
        return $"{why}.{Sentences.SinceTheHalt(state, concern.Tallies)} {Count(unmet, "device")} not met; nothing new starts until somebody resumes it, "
            + $"rolls it back or ends it.";
    }

    private static string Silent(Concern concern)
    {
        const int Named = 3;
        var (names, is1) = (concern.Deployments.Select(each => $"'{each.Plan.Name}'").ToList(), concern.Devices == 1);
        var where = $"{string.Join(", ", names.Take(Named))}{(names.Count > Named ? $" and {names.Count - Named} more" : "")}";
        return $"{(is1 ? "It is" : "They are")} to do something in {where}, and {(is1 ? "was" : "were")} not heard from for longer than a day. "
            + $"Nothing goes on there until somebody switches {(is1 ? "it" : "them")} on or takes {(is1 ? "it" : "them")} out of the fleet.";
    }

    private static string Name(Concern concern) => concern.Deployments[0].Plan.Name;

    private static Wave Wave(Concern concern) => concern.Deployments[0].Plan.Waves[concern.Wave];

    private static string Met(Concern concern)
    {
        var tally = concern.Tallies[concern.Wave];
        return $"{tally.Top} of {tally.Bottom} met, {Wave(concern).Gate!.Needed(tally.Bottom)} needed";
    }

    private static string Count(int count, string thing) => $"{count} {thing}{(count == 1 ? "" : "s")}";
}
