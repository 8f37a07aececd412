namespace Bandejo.Core.Deployments;

/// <summary>One device under one deployment.</summary>
public sealed record Target
{
    /// <summary>The device's identity.</summary>
    public required string Device { get; init; }

    /// <summary>The wave, from 0; -1 where no wave picks the device.</summary>
    public int Wave { get; init; } = -1;

    public TargetState State { get; init; } = TargetState.Unknown;

    /// <summary>Why it is in this state.</summary>
    public Reason Reason { get; init; } = Reason.None;

    /// <summary>Since when it is in this state.</summary>
    public DateTimeOffset Since { get; init; }

    /// <summary>When something will happen by itself; null where nothing will.</summary>
    public DateTimeOffset? Next { get; init; }

    /// <summary>The variant of the package that fits the device; null where none was found to.</summary>
    public string? Variant { get; init; }

    /// <summary>Tries made since the device came in or a person asked for another.</summary>
    public int Tries { get; init; }

    /// <summary>How often a proof was lost after it had held.</summary>
    public int Repairs { get; init; }

    /// <summary>The device has ever begun work here.</summary>
    public bool HasBegun { get; init; }

    /// <summary>What is there was put there by this deployment; false for "was there already".</summary>
    public bool IsInstalledHere { get; init; }

    /// <summary>What was done here is to be taken back.</summary>
    public bool IsGoingBack { get; init; }

    /// <summary>What is being done here is to be taken back when it has ended; what was there before is known then.</summary>
    public bool IsToGoBack { get; init; }

    /// <summary>What was done here was to be taken back, and nothing could do that.</summary>
    public bool CannotGoBack { get; init; }

    /// <summary>The going back, or what preceded it, was because of a failure.</summary>
    public bool HasFailed { get; init; }

    /// <summary>The version that was there before this deployment changed anything; empty for none; null before it changed anything.</summary>
    public string? Before { get; init; }

    /// <summary>The package that was there before, where it was ours.</summary>
    public string? BeforePackage { get; init; }

    /// <summary>When the proof was last seen to hold.</summary>
    public DateTimeOffset? ProvenAt { get; init; }

    /// <summary>When something last went wrong here: a failed try that counts, a lost proof, silence in the middle of work.</summary>
    public DateTimeOffset? TroubleAt { get; init; }

    /// <summary>When the device's user took it from the shelf; null where nobody did.</summary>
    public DateTimeOffset? TakenAt { get; init; }

    /// <summary>What the device says it waits for before it starts, for people; null where it waits for nothing.</summary>
    public string? WaitsFor { get; init; }

    /// <summary>Harm reports after this deployment began here.</summary>
    public int Harms { get; init; }

    /// <summary>What the last harm report said.</summary>
    public string? Harm { get; init; }

    /// <summary>
    /// The installed version when the wave opened; empty for none, null for not known or not open yet. Whether it is reached is judged with it.
    /// </summary>
    public string? AppWhenOpened { get; init; }

    /// <summary>Its device told that the files that the order needs are there. Only as long as the order may be started.</summary>
    public bool HasFiles { get; init; }

    /// <summary>It is its turn to fetch files, where only some of a site fetch at once. Only as long as it has a turn.</summary>
    public bool MayFetch { get; init; }

    /// <summary>Its order was taken back where turns are asked for, and its device may not have heard of that: it has its turn until it has.</summary>
    public bool Lingers { get; init; }

    /// <summary>Whether its device may start, or be at work, as far as is known.</summary>
    public bool HasTurn => IsOrdered || Lingers;

    /// <summary>Its device holds an order that it may start by itself, now or when a calendar opens, or is at it.</summary>
    public bool IsOrdered => IsOrderedAs(State, Reason);

    /// <summary>Each change of what the order asks raises this, so that the device can tell a new order from a repeated one.</summary>
    public int Order { get; init; }

    /// <summary>Whether a target that stands so has such an order.</summary>
    public static bool IsOrderedAs(TargetState state, Reason reason) =>
        state.Has(TargetTrait.Wanted) || (state == TargetState.Waiting && reason.IsOfCalendars);

    /// <summary>
    /// Whether another says the same, but for what each has for itself: device, wave, state, since when, what is yes or no, tries and repairs, the last
    /// proof and the order. Nearly all targets of a deployment do, so that this is held once for many, in memory and where it is kept.
    /// </summary>
    public bool IsAlike(Target other) =>
        Reason.Equals(other.Reason) && Variant == other.Variant && AppWhenOpened == other.AppWhenOpened && Before == other.Before
            && BeforePackage == other.BeforePackage && Next == other.Next && TroubleAt == other.TroubleAt && TakenAt == other.TakenAt
            && WaitsFor == other.WaitsFor && Harms == other.Harms && Harm == other.Harm;
}

/// <summary>Something that happened to a target, with what it brings.</summary>
/// <param name="Event">What happened.</param>
/// <param name="Reason">Why.</param>
/// <param name="Next">When something follows by itself.</param>
public sealed record Happening(TargetEvent Event, Reason Reason, DateTimeOffset? Next = null);

/// <summary>How often and how soon a failed try is made again.</summary>
/// <param name="Tries">Tries in all, 1 to 20.</param>
/// <param name="Pause">The time before the second try; it doubles each time.</param>
/// <param name="Longest">The longest pause.</param>
public sealed record RetryRule(int Tries, TimeSpan Pause, TimeSpan Longest)
{
    /// <summary>Three tries, a quarter of an hour and then half an hour apart.</summary>
    public static RetryRule Default { get; } = new(3, TimeSpan.FromMinutes(15), TimeSpan.FromHours(4));

    /// <summary>
    /// The pause before the next try: the first pause doubled for each try made, at most the longest, less up to a fifth by a stable hash of the device, so
    /// that devices that failed together do not come back together.
    /// </summary>
    /// <param name="tries">Tries made so far, at least 1.</param>
    /// <param name="device">The device's identity.</param>
    public TimeSpan PauseAfter(int tries, string device)
    {
        var doubled = Pause.TotalSeconds * Math.Pow(2, Math.Min(tries - 1, 30));
        var most = Math.Min(doubled, Longest.TotalSeconds);
        return TimeSpan.FromSeconds(most * (1 - (0.2 * StableHash.Share($"{device}/{tries}"))));
    }
}

/// <summary>Changes one target for one event. All that is kept with the state follows here; the state itself comes from <see cref="TargetTable"/>.</summary>
public static class Targets
{
    /// <summary>What is said of a target whose order is out.</summary>
    public static Reason DueReason(string? waitsFor) => waitsFor is { } waits ? new Reason(ReasonCode.DeviceWaits, waits) : OrderOut;

    private static readonly Reason OrderOut = new(ReasonCode.OrderOut);

    /// <summary>The longest text of a harm report that is kept, in characters.</summary>
    public const int MaxHarm = 400;

    /// <summary>How long a device that waits for a restart may at least be silent: it may be switched off for a night or a weekend first.</summary>
    private static readonly TimeSpan RestartPatience = TimeSpan.FromDays(4);

    /// <summary>How long a device may be silent in a state of work before it is lost: as the plan says, but never for coming seldom.</summary>
    /// <param name="interval">The time between two check-ins.</param>
    public static TimeSpan LostAfter(DeploymentPlan plan, TargetState state, TimeSpan interval)
    {
        var least = plan.LostAfter > interval * 3 ? plan.LostAfter : interval * 3;
        return state == TargetState.Restart && least < RestartPatience ? RestartPatience : least;
    }

    /// <summary>
    /// When time alone will change something in a target: its next try, a window that opens or closes, silence in the middle of work, a proof that becomes too
    /// old. Null for never.
    /// </summary>
    /// <param name="lastHeard">When its device was last heard from; null for never.</param>
    /// <param name="interval">The time between two check-ins.</param>
    public static DateTimeOffset? DueAt(DeploymentPlan plan, Target target, DateTimeOffset? lastHeard, TimeSpan interval) =>
        target.Lingers ? Sooner(DueAtOf(plan, target, lastHeard, interval), TurnLapsesAt(plan, target, lastHeard)) : DueAtOf(plan, target, lastHeard, interval);

    private static DateTimeOffset? DueAtOf(DeploymentPlan plan, Target target, DateTimeOffset? lastHeard, TimeSpan interval) => target.State switch
    {
        TargetState.Retry => target.Next,
        TargetState.Ready => Sooner(target.Next, TurnLapsesAt(plan, target, lastHeard)),
        TargetState.Waiting when target.Reason.IsOfCalendars => Sooner(target.Next, TurnLapsesAt(plan, target, lastHeard)),
        TargetState.Working or TargetState.Restart => (lastHeard ?? target.Since) + LostAfter(plan, target.State, interval),
        TargetState.Met => target.ProvenAt + plan.ProofAge,
        _ => null,
    };

    /// <summary>When the turn that a target has among those of its site goes to others, if nothing is heard of its device until then; null for never.</summary>
    private static DateTimeOffset? TurnLapsesAt(DeploymentPlan plan, Target target, DateTimeOffset? lastHeard) =>
        plan.AtOnce is not null || target.Lingers || (plan.Fetch.AtOnce is not null && target is { MayFetch: true, HasFiles: false })
            ? (lastHeard ?? target.Since) + plan.Lease
            : null;

    private static DateTimeOffset? Sooner(DateTimeOffset? one, DateTimeOffset? other) => one is null || other < one ? other ?? one : one;

    /// <summary>The target after a harm report; it is trouble, so a clean soak starts again.</summary>
    public static Target Harmed(Target target, string text, DateTimeOffset now) =>
        target with { Harms = target.Harms + 1, Harm = text.Length > MaxHarm ? text[..MaxHarm] : text, TroubleAt = now };

    /// <summary>Whether what weighing found leaves a target as it is; quicker to say than by <see cref="Decide"/>, which says the same.</summary>
    /// <param name="happening">One of the first nine.</param>
    internal static bool ChangesNothing(TargetState state, Reason reason, DateTimeOffset? next, Happening happening) =>
        TargetTable.Decide(state, happening.Event) == state
            && (!Explains(state, happening.Event) || (happening.Next == next && reason.Equals(happening.Reason)));

    /// <summary>The target after an event. The same object where nothing changes.</summary>
    public static Target Decide(Target target, Happening happening, DateTimeOffset now)
    {
        var state = TargetTable.Decide(target.State, happening.Event);
        var isSame = state == target.State;
        // Why something cannot be taken back stays to be read, whatever is proven meanwhile.
        var isExplained = Explains(target.State, happening.Event) && !(target.CannotGoBack && happening.Event == TargetEvent.ProofHeld);
        var next = target with
        {
            State = state,
            Since = isSame ? target.Since : now,
            Reason = isSame && !isExplained ? target.Reason : happening.Reason,
            Next = isSame && !isExplained ? target.Next : happening.Next,
        };

        next = happening.Event switch
        {
            TargetEvent.Began => next with { HasBegun = true, Tries = target.Tries + 1, WaitsFor = null },
            TargetEvent.Deferred when !isSame => next with { Tries = Math.Max(0, target.Tries - 1), WaitsFor = happening.Reason.ToString() },
            TargetEvent.Succeeded when state == TargetState.Met =>
                next with { ProvenAt = now, IsInstalledHere = target.IsInstalledHere || target.Before is not null, Tries = 0 },
            TargetEvent.ProofHeld when state == TargetState.Met =>
                next with { ProvenAt = now, Tries = 0, IsInstalledHere = target.IsInstalledHere || target.State == TargetState.Restart },
            TargetEvent.ProofLost when !isSame => next with { Repairs = target.Repairs + 1, TroubleAt = now, Order = target.Order + 1, Tries = 0 },
            TargetEvent.GaveUp or TargetEvent.FellSilent when !isSame => next with { TroubleAt = now, HasFailed = true },
            // Whoever asks for another try where it was taken back wants it there after all.
            TargetEvent.RetryAsked when !isSame =>
                next with { Order = target.Order + 1, Tries = 0, IsGoingBack = target.IsGoingBack && target.State != TargetState.Undone },
            TargetEvent.UndoAsked when state == TargetState.Ready =>
                next with { IsGoingBack = true, IsToGoBack = false, CannotGoBack = false, Order = target.Order + 1, Tries = 0, TakenAt = null },
            TargetEvent.UndoLater => next with { IsToGoBack = true, CannotGoBack = false },
            // What was on its way back and was put there once more stays there; what failed on its way back failed at that.
            TargetEvent.UndoImpossible =>
                next with { IsToGoBack = false, CannotGoBack = true, IsGoingBack = target.IsGoingBack && state == TargetState.Failed },
            TargetEvent.Undone when state == TargetState.Undone => next with { IsGoingBack = true, IsToGoBack = false },
            // Its device has done with this asking, and goes by its number: where it is asked for again, that is another.
            <= TargetEvent.Due or TargetEvent.ProofTooOld when !isSame && target.State is TargetState.Met or TargetState.Failed =>
                next with { Order = target.Order + 1, Tries = 0 },
            _ => next,
        };
        return next == target ? target : next;
    }

    /// <summary>Whether an event that leaves the state as it is still brings a better reason or time for it.</summary>
    internal static bool Explains(TargetState state, TargetEvent happened) => (state, happened) switch
    {
        (_, TargetEvent.UndoLater) or (_, TargetEvent.UndoImpossible) or (TargetState.Ready, TargetEvent.UndoAsked) => true,
        (TargetState.Left, TargetEvent.OutOfScope) or (TargetState.NotNeeded, TargetEvent.NotMeant) or (TargetState.Blocked, TargetEvent.Blocked)
            or (TargetState.Unknown, TargetEvent.FitNotKnown) or (TargetState.Contested, TargetEvent.Contested) or (TargetState.Yielded, TargetEvent.Yielded)
            or (TargetState.Waiting, TargetEvent.Held) or (TargetState.Ready, TargetEvent.Due) or (TargetState.Retry, TargetEvent.TryFailed)
            or (TargetState.Failed, TargetEvent.GaveUp) or (TargetState.Met, TargetEvent.Succeeded) or (TargetState.Met, TargetEvent.ProofHeld) or (
                TargetState.Working, TargetEvent.Began)
            or (TargetState.Restart, TargetEvent.NeedsRestart) => true,
        _ => false,
    };
}
