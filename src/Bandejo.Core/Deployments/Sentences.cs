using System.Globalization;
using Bandejo.Core.Rules;

namespace Bandejo.Core.Deployments;

/// <summary>What is said of where something stands.</summary>
/// <param name="Lead">What to see first: its beginning, up to where the figures or the reason come.</param>
/// <param name="Rest">All that follows, with what separates it.</param>
public readonly record struct Told(string Lead, string Rest)
{
    public override string ToString() => Lead + Rest;
}

/// <summary>Says in one sentence where a deployment stands and what happens next, and what a gate comes to.</summary>
public static class Sentences
{
    /// <summary>Where it stands, for people. Moments are given in UTC.</summary>
    public static Told Of(DeploymentPlan plan, DeploymentState state, IReadOnlyList<Tally> tallies, DateTimeOffset now)
    {
        var late = state.Status == DeploymentStatus.Ended ? 0 : Counting.Late(plan, tallies, now);
        var back = state.Status is DeploymentStatus.RollingBack or DeploymentStatus.Ended ? "" : GoingBack(tallies);
        var stands = Stands(plan, state, tallies, now);
        return stands with
        {
            Rest = stands.Rest + back
                + (late == 0 ? "" : string.Create(
                    CultureInfo.InvariantCulture,
                    $" {late} device{(late == 1 ? " is" : "s are")} late{Since(plan, now)}.")),
        };
    }

    // Waves with deadlines of their own have as many.
    private static string Since(DeploymentPlan plan, DateTimeOffset now) =>
        Deadlines.AreOfWaves(plan) || plan.Deadline is not { } deadline ? "" : $", since the deadline {Units.FormatDuration(now - deadline)} ago";

    /// <summary>
    /// What is to be said beside the reason of a target whose device is to do something and is silent; empty where it is not silent for long.
    /// </summary>
    /// <param name="heard">When the device was last heard from, or when it joined.</param>
    /// <param name="interval">The time between two check-ins.</param>
    public static string Silence(TargetState state, DateTimeOffset heard, TimeSpan interval, DateTimeOffset now) =>
        state.Has(TargetTrait.Starts) && IsSilent(heard, interval, now) ? $"; nobody has heard from it for {Units.FormatDuration(now - heard)}" : "";

    /// <summary>Whether a device that is to do something has been silent for so long that nobody should go on waiting for it.</summary>
    /// <inheritdoc cref="Silence" path="/param"/>
    public static bool IsSilent(DateTimeOffset heard, TimeSpan interval, DateTimeOffset now) =>
        now - heard > interval * 3 && now - heard > TimeSpan.FromDays(1);

    /// <summary>
    /// What keeps a wave from reaching its gate as things are: the counted devices that do not come to be met by themselves, as in <c>2 failed, 1 lost</c>.
    /// Null where it may still be reached.
    /// </summary>
    public static string? OutOfReach(Gate gate, Tally tally)
    {
        var (stuck, says) = Stuck(tally);
        return tally.Bottom == 0 || gate.Needed(tally.Bottom) <= tally.Bottom - stuck ? null : says;
    }

    private static (int Count, string Says) Stuck(Tally tally)
    {
        (int Count, string Word)[] stuck =
        [
            .. TargetTraits.ByNeed.Where(state => state.Has(TargetTrait.Stuck))
                .Select(state => (tally.In(state), state == TargetState.Undone ? "rolled back" : StateNames.Of(state))),
            (tally.Silent, "not heard from for long"),
        ];
        return (stuck.Sum(each => each.Count), string.Join(", ", stuck.Where(each => each.Count > 0).Select(each => string.Create(
            CultureInfo.InvariantCulture, $"{each.Count} {each.Word}"))));
    }

    private static Told Stands(DeploymentPlan plan, DeploymentState state, IReadOnlyList<Tally> tallies, DateTimeOffset now)
    {
        var at = DeploymentMachine.GateWave(state);
        switch (state.Status)
        {
            case DeploymentStatus.Halted:
                var grown = SinceTheHalt(state, tallies);
                return new("Halted:", $" {state.Reason}.{grown} Nothing new starts until somebody resumes it, rolls it back or ends it.");
            case DeploymentStatus.Paused:
                return new(
                    state.Reason.Length > 0 ? "Paused:" : "Paused.",
                    $"{(state.Reason.Length > 0 ? $" {state.Reason}." : "")} Nothing new starts until somebody resumes it.");
            case DeploymentStatus.RollingBack:
                var undone = tallies.Sum(tally => tally.In(TargetState.Undone));
                var going = tallies.Sum(tally => tally.GoingBack);
                var cannot = tallies.Sum(tally => tally.NotBack);
                return new("Rolling back:", string.Create(
                    CultureInfo.InvariantCulture, $" {undone} undone, {going} to go{(cannot == 0 ? "" : $", {cannot} could not be brought back")}."));
            case DeploymentStatus.Ended:
                return state.Reason.Length > 0 ? new("Ended:", $" {state.Reason}.") : new("Ended.", "");
            case DeploymentStatus.Standing when plan.Wish == Wish.Choice:
                var shelf = tallies.Sum(each => each.In(TargetState.Choice));
                var taken = tallies.Sum(each => each.Bottom);
                return new("On the shelf:", string.Create(
                    CultureInfo.InvariantCulture, $" {taken} of {taken + shelf} took it, {tallies.Sum(each => each.Top)} of them have it."));
            case DeploymentStatus.Standing:
                if (tallies.Sum(tally => tally.Bottom) == 0)
                {
                    return new("Nobody needs it:", $" {NotCounted(tallies)}. It stays on guard.");
                }

                return new("Every gate has passed:", string.Create(
                    CultureInfo.InvariantCulture, $" {tallies.Sum(tally => tally.Top)} of {tallies.Sum(tally => tally.Bottom)} met. It stays on guard."));
        }

        if (at < 0)
        {
            var closed = state.Waves.ToList().FindIndex(wave => wave.OpenedAt is null);
            return new(
                closed >= 0 && plan.Waves[closed].NotBefore(now) is { } opens
                    ? opens == DateTimeOffset.MaxValue
                        ? $"'{plan.Waves[closed].Name}' never opens: its hours ({plan.Waves[closed].Hours}) are over."
                        : $"'{plan.Waves[closed].Name}' opens in {Units.FormatDuration(opens - now)}."
                    : "About to start.",
                "");
        }

        var tally = tallies[at];
        var name = plan.Waves[at].Name;
        var next = at + 1 < plan.Waves.Count ? Follows("follows") : "it is done";
        if (plan.Waves[at].Gate is not { } gate)
        {
            var (stuck, says) = Stuck(tally);
            var rest = stuck > 0 && stuck == tally.Bottom - tally.Top ? $"; what is left does not go on by itself: {says}" : "";
            return new($"'{name}' is at work:", string.Create(CultureInfo.InvariantCulture, $" {tally.Top} of {tally.Bottom} met{rest}."));
        }

        if (tally.Harms > gate.MostHarms)
        {
            return new(
                string.Create(
                    CultureInfo.InvariantCulture, $"'{name}' has {tally.Harms} harm report{(tally.Harms == 1 ? "" : "s")}, {gate.MostHarms} allowed:"),
                " its gate does not pass; somebody must advance it, roll it back or end it.");
        }

        var needed = gate.Needed(tally.Bottom);
        var count = string.Create(CultureInfo.InvariantCulture, $"{tally.Top} of {tally.Bottom} met, {needed} needed");
        if (tally.Bottom == 0)
        {
            return new($"'{name}' has no device that its gate counts;", " somebody must advance it.");
        }

        if (state.Waves[at].ReachedAt is not { } reached)
        {
            if (OutOfReach(gate, tally) is { Length: > 0 } missing)
            {
                return new(
                    $"'{name}' cannot reach its gate as things are:",
                    $" {count}; {missing}. Somebody must try again, let the gate pass by hand, roll it back or end it.");
            }

            return new($"'{name}' is at work:", $" {count}. When its gate holds, {next}.");
        }

        var left = reached + gate.Soak - now;
        if (left > TimeSpan.Zero)
        {
            return new(
                $"'{name}' is soaking:",
                $" {count}. If it stays so for {Units.FormatDuration(left)}, "
                    + $"{(!gate.NeedsApproval ? next : at + 1 < plan.Waves.Count ? $"somebody may let {Follows("follow")}" : "somebody may let it be done")}.");
        }

        return gate.NeedsApproval
            ? new($"'{name}' holds its gate ({count}) and waits for approval;", $" then {next}.")
            : new($"'{name}' holds its gate ({count}).", "");

        string Follows(string verb) =>
            string.Create(
                CultureInfo.InvariantCulture,
                $"'{plan.Waves[at + 1].Name}' with {tallies[at + 1].Total} device{(tallies[at + 1].Total == 1 ? "" : "s")} {verb}");
    }

    /// <summary>What failed where the rule halted it, as a further sentence where that is more by now than it was then; empty otherwise.</summary>
    public static string SinceTheHalt(DeploymentState state, IReadOnlyList<Tally> tallies) =>
        state.HaltedBy is { } by && tallies[by.Wave] is var then && (then.Failures, then.Trials) != (by.Failures, by.Trials)
            ? string.Create(CultureInfo.InvariantCulture, $" By now {then.Failures} of {then.Trials} failed there.")
            : "";

    private static string NotCounted(IReadOnlyList<Tally> tallies)
    {
        (TargetState State, string Word)[] words = [
            (TargetState.NotNeeded, "not meant for {0}"), (TargetState.Yielded, "{0} ruled by another deployment"),
            (TargetState.Left, "{0} no longer in its groups"), (TargetState.Choice, "{0} on the shelf")];
        var parts = words.Select(each => (Count: tallies.Sum(tally => tally.In(each.State)), each.Word)).Where(each => each.Count > 0)
            .Select(each => string.Format(CultureInfo.InvariantCulture, each.Word, each.Count == 1 ? "1 device" : string.Create(
                CultureInfo.InvariantCulture, $"{each.Count} devices")))
                .ToList();
        return parts.Count == 0 ? "no device is in it" : string.Join(", ", parts);
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
