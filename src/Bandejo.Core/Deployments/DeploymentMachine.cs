using System.Globalization;
using Bandejo.Core.Rules;

namespace Bandejo.Core.Deployments;

/// <summary>What a person may ask of a running deployment.</summary>
public enum DeploymentAct
{
    Pause,
    Resume,
    Approve,
    Advance,
    Halt,
    RollBack,
    End,
}

/// <summary>Something that happens to a deployment: a person asks, or it is looked at.</summary>
public abstract record DeploymentEvent;

/// <summary>A person asks for something.</summary>
/// <param name="Act">What.</param>
/// <param name="By">Who.</param>
/// <param name="Reason">Why; stays in the journal.</param>
/// <param name="MayApproveOwn">The policy lets the one who started it approve, because there is nobody else.</param>
/// <param name="Waves">The counts at this moment; whoever resumes after a halt accepts the failures in them.</param>
/// <param name="Some">Of a roll back that is not for all devices: for which, as in <c>3 devices</c>; null for all.</param>
/// <param name="Says">Of a roll back: what comes of it, for the journal.</param>
public sealed record Asked(
    DeploymentAct Act, string By, string Reason, bool MayApproveOwn = false, IReadOnlyList<Tally>? Waves = null, string? Some = null,
    string Says = "") : DeploymentEvent;

/// <summary>The deployment is looked at with fresh counts, one for each wave.</summary>
public sealed record Looked(IReadOnlyList<Tally> Waves) : DeploymentEvent
{
    /// <summary>The name of the deployment that has wholly taken its place; null for none.</summary>
    public string? ReplacedBy { get; init; }
}

/// <summary>A line of the journal: what was decided, for whom, and the figures it was decided on.</summary>
/// <param name="What">A short name of the kind of decision, such as <c>wave-opened</c>.</param>
/// <param name="Text">The decision with its figures, for people.</param>
/// <param name="By">The person, or null where the service decided by itself.</param>
/// <param name="Reason">The person's reason.</param>
public sealed record JournalLine(string What, string Text, string? By, string Reason);

/// <summary>The state after an event, the lines for the journal, and when to look again.</summary>
public sealed record DeploymentDecision(DeploymentState State, IReadOnlyList<JournalLine> Journal, DateTimeOffset? LookAgain);

/// <summary>Decides what becomes of a deployment. Looking twice with the same counts changes nothing the second time.</summary>
public static class DeploymentMachine
{
    /// <summary>The decision for an event.</summary>
    public static Outcome<DeploymentDecision> Decide(DeploymentPlan plan, DeploymentState state, DeploymentEvent happened, DateTimeOffset now) =>
        happened switch
    {
        Looked looked => Look(plan, state, looked.Waves, looked.ReplacedBy, now),
        Asked asked => Ask(plan, state, asked, now),
        _ => throw new ArgumentOutOfRangeException(nameof(happened)),
    };

    /// <summary>The wave whose gate is next to pass; -1 where all have passed.</summary>
    public static int GateWave(DeploymentState state)
    {
        for (var i = 0; i < state.Waves.Count; i++)
        {
            if (state.Waves[i] is { OpenedAt: not null, PassedAt: null })
            {
                return i;
            }
        }

        return -1;
    }

    private static Outcome<DeploymentDecision> Ask(DeploymentPlan plan, DeploymentState state, Asked asked, DateTimeOffset now)
    {
        if (state.Status == DeploymentStatus.Ended && asked.Act != DeploymentAct.RollBack)
        {
            return new Failure(ErrorKind.Conflict, $"'{plan.Name}' has ended; nothing more can be done with it. Start a new deployment.");
        }

        var wave = GateWave(state);
        switch (asked.Act)
        {
            case DeploymentAct.Pause when state.Status is DeploymentStatus.Running or DeploymentStatus.Standing:
                return To(DeploymentStatus.Paused, "paused", "Paused: no new order goes out; what runs may finish.");
            case DeploymentAct.Resume when state.Status is DeploymentStatus.Paused or DeploymentStatus.Halted:
                if (state.Status == DeploymentStatus.Halted && asked.Waves is { } tallies)
                {
                    state = state with
                    {
                        Waves = [.. state.Waves.Select(
                            (each, index) =>
                                each with
                                {
                                    AcceptedFailures = tallies[index].Failures, AcceptedTrials = tallies[index].Trials, AcceptedHarms = tallies[index].Harms,
                                })],
                    };
                }

                return NeedsReason("Resuming after a halt", state.Status == DeploymentStatus.Halted)
                    ?? To(
                        DeploymentStatus.Running, "resumed",
                        state.Status == DeploymentStatus.Halted
                            ? $"Resumed after the halt ({state.Reason}); these failures are accepted, new ones are judged."
                            : "Resumed.");
            case DeploymentAct.Halt when state.Status is DeploymentStatus.Running or DeploymentStatus.Standing or DeploymentStatus.Paused:
                return NeedsReason("Halting", true) ?? To(DeploymentStatus.Halted, "halted", "Halted by hand: no new order goes out; what runs may finish.");
            case DeploymentAct.RollBack when asked.Some is null && (state.Status != DeploymentStatus.RollingBack || state.RollsBackSome):
                state = state with { RollsBackSome = false };
                return NeedsReason("Rolling back", true) ?? To(DeploymentStatus.RollingBack, "rolling-back", $"Rolling back: {asked.Says}");
            case DeploymentAct.RollBack when asked.Some is not null && state.Status == DeploymentStatus.Ended:
                state = state with { RollsBackSome = true };
                return NeedsReason("Rolling back", true) ?? To(DeploymentStatus.RollingBack, "rolling-back", $"Rolling back {asked.Some}: {asked.Says}");
            case DeploymentAct.RollBack when asked.Some is not null:
                // The others go on as they do; only what is asked for moves.
                return NeedsReason("Rolling back", true)
                    ?? new DeploymentDecision(
                        state with { Revision = state.Revision + 1 },
                        [new JournalLine("rolling-back", $"Rolling back {asked.Some}: {asked.Says}", asked.By, asked.Reason)], now);
            case DeploymentAct.End:
                return NeedsReason("Ending", true)
                    ?? To(DeploymentStatus.Ended, "ended", "Ended: no orders go out any more, and nothing is watched; what is installed stays.");
            case DeploymentAct.Approve:
                if (wave < 0 || plan.Waves[wave].Gate is not { NeedsApproval: true } gate)
                {
                    return new Failure(ErrorKind.Conflict, $"No gate of '{plan.Name}' waits for approval.");
                }

                if (state.Status != DeploymentStatus.Running)
                {
                    return new Failure(ErrorKind.Conflict, $"'{plan.Name}' is {InWords(state.Status)}; resume it first.");
                }

                if (!state.Waves[wave].IsSoaked)
                {
                    return new Failure(
                        ErrorKind.Conflict, $"The gate behind '{plan.Waves[wave].Name}' ({gate}) does not hold yet; it can be approved once it does.");
                }

                if (asked.By == state.StartedBy && !(asked.MayApproveOwn && asked.Reason.Length > 0))
                {
                    return new Failure(
                        ErrorKind.Forbidden,
                        asked.MayApproveOwn
                            ? "You started this deployment yourself; approving it takes a reason."
                            : "Whoever started a deployment does not approve it; ask another approver.");
                }

                return Passed(state, wave, new JournalLine("approved", $"The gate behind '{plan.Waves[wave].Name}' was approved.", asked.By, asked.Reason));
            case DeploymentAct.Advance when state.Status == DeploymentStatus.Running && wave >= 0:
                return NeedsReason("Advancing past a gate", true)
                    ?? Passed(state, wave, new JournalLine(
                        "advanced", $"The gate behind '{plan.Waves[wave].Name}' ({plan.Waves[wave].Gate}) was passed by hand.", asked.By, asked.Reason));
            default:
                return new Failure(ErrorKind.Conflict, $"'{plan.Name}' is {InWords(state.Status)}; it cannot {Verb(asked.Act)} now.");
        }

        Outcome<DeploymentDecision>? NeedsReason(string what, bool must) =>
            must && asked.Reason.Trim().Length == 0
                ? new Outcome<DeploymentDecision>?(new Failure(ErrorKind.Invalid, $"{what} needs a reason; it stays in the journal."))
                : null;

        Outcome<DeploymentDecision> To(DeploymentStatus status, string what, string text) => new DeploymentDecision(
            state with { Status = status, Since = now, Reason = asked.Reason, HaltedBy = null, Revision = state.Revision + 1 },
            [new JournalLine(what, text, asked.By, asked.Reason)], now);

        Outcome<DeploymentDecision> Passed(DeploymentState before, int at, JournalLine line) =>
            new DeploymentDecision(With(before, at, before.Waves[at] with { PassedAt = now, IsSoaked = true }), [line], now);
    }

    private static DeploymentDecision Look(DeploymentPlan plan, DeploymentState state, IReadOnlyList<Tally> tallies, string? replacedBy, DateTimeOffset now)
    {
        var journal = new List<JournalLine>();
        if (state.Status == DeploymentStatus.RollingBack && tallies.Sum(tally => tally.GoingBack) == 0)
        {
            var undone = tallies.Sum(tally => tally.In(TargetState.Undone));
            var left = tallies.Sum(tally => tally.NotBack);
            var lefts = left == 0 ? "" : $"; {Devices(left)} could not be brought back";
            journal.Add(new JournalLine("rolled-back", $"Rolled back: {Devices(undone)} proved what was there before{lefts}.", null, ""));
            if (state.HaltedBy is not null && undone == 0)
            {
                // Its rule asked for it, and nothing could be taken back: that decides nothing for good, so somebody still may.
                return new DeploymentDecision(
                    state with
                    {
                        Status = DeploymentStatus.Halted, Since = now, Reason = $"{state.Reason}; nothing could be rolled back", Revision = state.Revision + 1,
                    },
                    journal, null);
            }

            var what = state.RollsBackSome ? "rolled back in part" : "rolled back";
            return new DeploymentDecision(
                state with { Status = DeploymentStatus.Ended, Since = now, Reason = $"{what} ({state.Reason}){lefts}", Revision = state.Revision + 1 }, journal,
                null);
        }

        if (state.Status is DeploymentStatus.Paused or DeploymentStatus.Halted)
        {
            // Nothing passes now. What falls meanwhile soaks anew once it goes on, also where it holds again by then.
            for (var i = 0; i < state.Waves.Count; i++)
            {
                state = Fallen(plan, state, i, tallies[i], journal);
            }

            return new DeploymentDecision(state, journal, null);
        }

        if (state.Status is not (DeploymentStatus.Running or DeploymentStatus.Standing))
        {
            return new DeploymentDecision(state, journal, null);
        }

        if (plan.EndsWhenReplaced && replacedBy is not null)
        {
            var yielded = Devices(tallies.Sum(tally => tally.In(TargetState.Yielded)));
            journal.Add(new JournalLine(
                "ended", $"Ended by itself, as was asked for: '{replacedBy}' has taken its place on {yielded}, and reaches the same groups.", null, ""));
            return new DeploymentDecision(
                state with { Status = DeploymentStatus.Ended, Since = now, Reason = $"replaced by '{replacedBy}'", Revision = state.Revision + 1 }, journal,
                null);
        }

        for (var i = 0; i < state.Waves.Count; i++)
        {
            var failures = Math.Max(0, tallies[i].Failures - state.Waves[i].AcceptedFailures);
            var trials = Math.Max(failures, tallies[i].Trials - state.Waves[i].AcceptedTrials);
            if (state.Waves[i].OpenedAt is not null && plan.Halt.Halts(failures, trials, tallies[i].Harms - state.Waves[i].AcceptedHarms) is { } why)
            {
                var reason = $"{why} in '{plan.Waves[i].Name}'";
                var rollsBack = plan.RollBackOnHalt && tallies.Sum(tally => tally.Changed) > 0;
                journal.Add(new JournalLine(
                    "halted",
                    $"Halted by its rule ({plan.Halt}): "
                        + $"{reason}.{(plan.RollBackOnHalt && !rollsBack ? " It changed no device, so that nothing is rolled back." : "")}",
                    null, ""));
                var status = rollsBack ? DeploymentStatus.RollingBack : DeploymentStatus.Halted;
                return new DeploymentDecision(
                    state with
                    {
                        Status = status, Since = now, Reason = reason, HaltedBy = new HaltedBy(i, tallies[i].Failures, tallies[i].Trials),
                        Revision = state.Revision + 1,
                    },
                    journal, null);
            }
        }

        DateTimeOffset? lookAgain = null;
        for (var i = 0; i < state.Waves.Count; i++)
        {
            if (state.Waves[i].OpenedAt is null)
            {
                if (plan.Waves[i].NotBefore(now) is { } opens)
                {
                    lookAgain = opens == DateTimeOffset.MaxValue ? null : opens;
                    break;
                }

                journal.Add(new JournalLine(
                    "wave-opened", string.Create(CultureInfo.InvariantCulture, $"Wave '{plan.Waves[i].Name}' opened for {Devices(tallies[i].Total)}."), null,
                    ""));
                state = With(state, i, state.Waves[i] with { OpenedAt = now, Expected = tallies[i].Total });

                // Its devices are weighed upon it and may stand otherwise then: the gate is looked at on what is counted after that.
                lookAgain = now;
                break;
            }

            if (state.Waves[i].PassedAt is null)
            {
                (state, var next) = LookAtGate(plan, state, i, tallies[i], journal, now);
                lookAgain = next;
                if (state.Waves[i].PassedAt is null)
                {
                    break;
                }
            }
        }

        if (state.Status == DeploymentStatus.Running && state.Waves.All(wave => wave.PassedAt is not null))
        {
            journal.Add(new JournalLine("standing", "Every gate has passed and every device that counts is met; it stays on guard.", null, ""));
            state = state with { Status = DeploymentStatus.Standing, Since = now, Revision = state.Revision + 1 };
        }

        return new DeploymentDecision(state, journal, lookAgain);
    }

    private static (DeploymentState State, DateTimeOffset? LookAgain) LookAtGate(
        DeploymentPlan plan, DeploymentState state, int index, Tally tally, List<JournalLine> journal, DateTimeOffset now)
    {
        var wave = state.Waves[index];
        var name = plan.Waves[index].Name;
        if (plan.Waves[index].Gate is not { } gate)
        {
            // The last wave has no gate: it is through when all it counts are met.
            return tally.Top == tally.Bottom ? (With(state, index, wave with { PassedAt = now }), null) : (state, null);
        }

        if (!Holds(gate, tally, out var figures))
        {
            return (Fallen(plan, state, index, tally, journal), null);
        }

        if (gate.IsClean && wave.ReachedAt < tally.LastTrouble)
        {
            journal.Add(new JournalLine("soak-again", $"The soak of '{name}' starts again: there was a new failure, lost proof or harm report.", null, ""));
            wave = wave with { ReachedAt = tally.LastTrouble, IsSoaked = false };
            state = With(state, index, wave);
        }

        if (wave.ReachedAt is null)
        {
            if (gate.Soak > TimeSpan.Zero)
            {
                journal.Add(new JournalLine(
                    "gate-reached", $"'{name}' reached its gate ({gate}): {figures}; it soaks for {Units.FormatDuration(gate.Soak)}.", null, ""));
            }

            wave = wave with { ReachedAt = now };
            state = With(state, index, wave);
        }

        if (now - wave.ReachedAt!.Value < gate.Soak)
        {
            return (state, wave.ReachedAt.Value + gate.Soak);
        }

        if (gate.NeedsApproval)
        {
            if (!wave.IsSoaked)
            {
                journal.Add(new JournalLine("approval-wanted", $"'{name}' holds its gate ({figures}) and waits for approval.", null, ""));
                state = With(state, index, wave with { IsSoaked = true });
            }

            return (state, null);
        }

        journal.Add(new JournalLine("gate-passed", $"'{name}' passed its gate ({gate}): {figures}.", null, ""));
        return (With(state, index, wave with { PassedAt = now, IsSoaked = true }), null);
    }

    /// <summary>Whether the figures of a wave are those that its gate asks for.</summary>
    /// <param name="figures">The figures, in words.</param>
    private static bool Holds(Gate gate, Tally tally, out string figures)
    {
        var needed = gate.Needed(tally.Bottom);
        figures = string.Create(CultureInfo.InvariantCulture, $"{tally.Top} of {tally.Bottom} met, {needed} needed");
        var isHarmed = tally.Harms > gate.MostHarms;
        if (isHarmed)
        {
            figures += string.Create(CultureInfo.InvariantCulture, $", {tally.Harms} harm reports, {gate.MostHarms} allowed");
        }

        return tally.Bottom > 0 && tally.Top >= needed && !isHarmed;
    }

    /// <summary>A gate that held, and does not any more, begins to soak anew when it holds again.</summary>
    private static DeploymentState Fallen(DeploymentPlan plan, DeploymentState state, int index, Tally tally, List<JournalLine> journal)
    {
        var wave = state.Waves[index];
        if (wave is not { ReachedAt: not null, PassedAt: null } || plan.Waves[index].Gate is not { } gate || Holds(gate, tally, out var figures))
        {
            return state;
        }

        journal.Add(new JournalLine("gate-fell", $"'{plan.Waves[index].Name}' fell below its gate ({gate}): {figures}.", null, ""));
        return With(state, index, wave with { ReachedAt = null, IsSoaked = false });
    }

    private static DeploymentState With(DeploymentState state, int index, WaveState wave)
    {
        var waves = state.Waves.ToArray();
        waves[index] = wave;
        return state with { Waves = waves, Revision = state.Revision + 1 };
    }

    /// <summary>The status as a word in a sentence.</summary>
    public static string InWords(DeploymentStatus status) => status switch
    {
        DeploymentStatus.Running => "running",
        DeploymentStatus.Paused => "paused",
        DeploymentStatus.Halted => "halted",
        DeploymentStatus.RollingBack => "rolling back",
        DeploymentStatus.Standing => "standing",
        _ => "ended",
    };

    private static string Verb(DeploymentAct act) => act switch
    {
        DeploymentAct.RollBack => "roll back",
        _ => act.ToString().ToLowerInvariant(),
    };

    private static string Devices(int count) => count == 1 ? "1 device" : string.Create(CultureInfo.InvariantCulture, $"{count} devices");
}
