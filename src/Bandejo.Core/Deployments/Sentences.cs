using System.Globalization;
using Bandejo.Core.Rules;

namespace Bandejo.Core.Deployments;

/// <summary>Says in one sentence where a deployment stands and what happens next, and what a gate comes to.</summary>
public static class Sentences
{
    /// <summary>Where it stands, for people. Moments are given in UTC.</summary>
    public static string Of(DeploymentPlan plan, DeploymentState state, IReadOnlyList<Tally> tallies, DateTimeOffset now)
    {
        var late = state.Status == DeploymentStatus.Ended ? 0 : Enum.GetValues<TargetState>().Where(each => Counting.IsLate(each, plan.Deadline, now)).Sum(each => tallies.Sum(tally => tally.In(each)));
        var back = state.Status is DeploymentStatus.RollingBack or DeploymentStatus.Ended ? "" : GoingBack(tallies);
        return Stands(plan, state, tallies, now) + back + (late == 0 ? "" : string.Create(CultureInfo.InvariantCulture, $" {late} device{(late == 1 ? " is" : "s are")} late, since the deadline {Units.FormatDuration(now - plan.Deadline!.Value)} ago."));
    }

    /// <summary>What is to be said beside the reason of a target whose device is to do something and is silent; empty where it is not silent for long.</summary>
    /// <param name="heard">When the device was last heard from, or when it joined.</param>
    /// <param name="interval">The time between two check-ins.</param>
    public static string Silence(TargetState state, DateTimeOffset heard, TimeSpan interval, DateTimeOffset now) =>
        state is TargetState.Ready or TargetState.Retry && now - heard > interval * 3 && now - heard > TimeSpan.FromDays(1) ? $"; nobody has heard from it for {Units.FormatDuration(now - heard)}" : "";

    private static string Stands(DeploymentPlan plan, DeploymentState state, IReadOnlyList<Tally> tallies, DateTimeOffset now)
    {
        var at = DeploymentMachine.GateWave(state);
        switch (state.Status)
        {
            case DeploymentStatus.Halted:
                return $"Halted: {state.Reason}. Nothing new starts until somebody resumes it, rolls it back or ends it.";
            case DeploymentStatus.Paused:
                return $"Paused{(state.Reason.Length > 0 ? $": {state.Reason}" : "")}. Nothing new starts until somebody resumes it.";
            case DeploymentStatus.RollingBack:
                var undone = tallies.Sum(tally => tally.In(TargetState.Undone));
                var going = tallies.Sum(tally => tally.GoingBack);
                var cannot = tallies.Sum(tally => tally.NotBack);
                return string.Create(CultureInfo.InvariantCulture, $"Rolling back: {undone} undone, {going} to go{(cannot == 0 ? "" : $", {cannot} could not be brought back")}.");
            case DeploymentStatus.Ended:
                return $"Ended{(state.Reason.Length > 0 ? $": {state.Reason}" : "")}.";
            case DeploymentStatus.Standing when plan.Wish == Wish.Choice:
                var shelf = tallies.Sum(each => each.In(TargetState.Choice));
                var taken = tallies.Sum(each => each.Bottom);
                return string.Create(CultureInfo.InvariantCulture, $"On the shelf: {taken} of {taken + shelf} took it, {tallies.Sum(each => each.Top)} of them have it.");
            case DeploymentStatus.Standing:
                return string.Create(CultureInfo.InvariantCulture, $"Every gate has passed: {tallies.Sum(tally => tally.Top)} of {tallies.Sum(tally => tally.Bottom)} met. It stays on guard.");
        }

        if (at < 0)
        {
            var closed = state.Waves.ToList().FindIndex(wave => wave.OpenedAt is null);
            return closed >= 0 && plan.Waves[closed].OpensAt is { } opens ? $"'{plan.Waves[closed].Name}' opens in {Units.FormatDuration(opens - now)}." : "About to start.";
        }

        var tally = tallies[at];
        var name = plan.Waves[at].Name;
        var next = at + 1 < plan.Waves.Count ? string.Create(CultureInfo.InvariantCulture, $"'{plan.Waves[at + 1].Name}' with {tallies[at + 1].Total} device{(tallies[at + 1].Total == 1 ? "" : "s")} follows") : "it is done";
        if (plan.Waves[at].Gate is not { } gate)
        {
            return string.Create(CultureInfo.InvariantCulture, $"'{name}' is at work: {tally.Top} of {tally.Bottom} met.");
        }

        if (tally.Harms > gate.MostHarms)
        {
            return string.Create(CultureInfo.InvariantCulture, $"'{name}' has {tally.Harms} harm report{(tally.Harms == 1 ? "" : "s")}, {gate.MostHarms} allowed: its gate does not pass; somebody must advance it, roll it back or end it.");
        }

        var needed = gate.Needed(tally.Bottom);
        var count = string.Create(CultureInfo.InvariantCulture, $"{tally.Top} of {tally.Bottom} met, {needed} needed");
        if (tally.Bottom == 0)
        {
            return $"'{name}' has no device that its gate counts; somebody must advance it.";
        }

        if (state.Waves[at].ReachedAt is not { } reached)
        {
            return $"'{name}' is at work: {count}. When its gate holds, {next}.";
        }

        var left = reached + gate.Soak - now;
        if (left > TimeSpan.Zero)
        {
            return $"'{name}' is soaking: {count}. If it stays so for {Units.FormatDuration(left)}, {(gate.NeedsApproval ? "somebody may let " + next.Replace("follows", "follow", StringComparison.Ordinal) : next)}.";
        }

        return gate.NeedsApproval ? $"'{name}' holds its gate ({count}) and waits for approval; then {next}." : $"'{name}' holds its gate ({count}).";
    }

    /// <summary>What goes back meanwhile, as a further sentence; empty where nothing does.</summary>
    private static string GoingBack(IReadOnlyList<Tally> tallies) => tallies.Sum(tally => tally.GoingBack) switch
    {
        0 => "",
        1 => " 1 device is being rolled back.",
        var more => string.Create(CultureInfo.InvariantCulture, $" {more} devices are being rolled back."),
    };

    /// <summary>
    /// What a gate comes to for so many devices, and what share would let one fail where this one lets none:
    /// <c>needs 4 of 4; 75 % would allow one to fail</c>.
    /// </summary>
    public static string Arithmetic(Gate gate, int bottom)
    {
        var needed = gate.Needed(bottom);
        var text = string.Create(CultureInfo.InvariantCulture, $"needs {needed} of {bottom}");
        if (gate.Count > bottom)
        {
            return text + "; it can never pass";
        }

        return gate.Share is not null && needed == bottom && bottom > 1
            ? text + string.Create(CultureInfo.InvariantCulture, $"; {Gate.Percent((int)((bottom - 1) * 10000L / bottom))} % would allow one to fail")
            : text;
    }
}
