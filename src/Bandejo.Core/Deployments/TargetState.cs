namespace Bandejo.Core.Deployments;

/// <summary>Where one device stands under one deployment. Every target is in exactly one.</summary>
public enum TargetState
{
    /// <summary>The device has not reported on it yet, or its proof is too old and it is silent.</summary>
    Unknown,

    /// <summary>The package is not meant for this device.</summary>
    NotNeeded,

    /// <summary>Meant for it, but a requirement does not hold now.</summary>
    Blocked,

    /// <summary>May not start yet.</summary>
    Waiting,

    /// <summary>The order is out.</summary>
    Ready,

    /// <summary>The device is on it.</summary>
    Working,

    /// <summary>In place but for a restart.</summary>
    Restart,

    /// <summary>A try failed, the next one is set.</summary>
    Retry,

    /// <summary>The presence check holds.</summary>
    Met,

    /// <summary>Tries used up, or a failure not worth another try.</summary>
    Failed,

    /// <summary>Began work and has not been heard from since.</summary>
    Lost,

    /// <summary>Rolled back.</summary>
    Undone,

    /// <summary>Two deployments want different things of this device.</summary>
    Contested,

    /// <summary>A stronger wish rules this app on this device.</summary>
    Yielded,

    /// <summary>On the shelf, not taken.</summary>
    Choice,

    /// <summary>No longer in scope.</summary>
    Left,
}

/// <summary>
/// What can happen to a target. The first nine are what weighing it against scope, rules and waves brings; the others come from the device, a person or time.
/// </summary>
public enum TargetEvent
{
    OutOfScope,
    NotMeant,
    Blocked,
    FitNotKnown,
    Contested,
    Yielded,
    OnShelf,

    /// <summary>It may not start: wave not open, deployment paused or halted.</summary>
    Held,

    /// <summary>It may start.</summary>
    Due,

    /// <summary>The device has begun an attempt.</summary>
    Began,

    /// <summary>An attempt ended with its proof.</summary>
    Succeeded,

    /// <summary>An attempt ended and a restart is needed before the proof.</summary>
    NeedsRestart,

    /// <summary>An attempt failed and another try is set.</summary>
    TryFailed,

    /// <summary>An attempt failed and none follows, or a lost proof was repaired too often.</summary>
    GaveUp,

    /// <summary>The device reported the proof outside an attempt.</summary>
    ProofHeld,

    /// <summary>The device reported that the proof does not hold.</summary>
    ProofLost,

    /// <summary>The proof has passed its age limit and the device is silent.</summary>
    ProofTooOld,

    /// <summary>Nothing heard for too long after work began.</summary>
    FellSilent,

    /// <summary>The time of the next try has come.</summary>
    RetryTime,

    /// <summary>A person asked for another try now.</summary>
    RetryAsked,

    /// <summary>What this deployment did here is to be taken back.</summary>
    UndoAsked,

    /// <summary>The device proved what it had before.</summary>
    Undone,

    /// <summary>What this deployment did here is to be taken back as soon as the work in hand has ended.</summary>
    UndoLater,

    /// <summary>What this deployment did here was to be taken back, and cannot be.</summary>
    UndoImpossible,

    /// <summary>An attempt ended before its step because something is in the way; the device waits until that is over.</summary>
    Deferred,
}

/// <summary>The one place where target states change.</summary>
public static class TargetTable
{
    // A row a state, a column an event, in the order of the two enumerations. "." stays. The first nine columns move what has not begun; work in hand is
    // never interrupted by them (behaviour: "what runs may finish"); a try that is set is a start like the first, and held like it. From Began on the device's
    // word wins over what was believed.
    private const string Table = """
        .            out  not  blk  fnk  con  yld  shf  hld  due  began ok   rst  try  gave held lost old  sil  time ask  undo undone later cannot defer
        Unknown      L    N    B    U    C    Y    O    W    R    K     M    S    T    F    M    .    .    .    .    .    R    D      .     .      .
        NotNeeded    L    N    B    U    C    Y    O    W    R    K     M    S    T    F    .    .    .    .    .    .    R    D      .     .      .
        Blocked      L    N    B    U    C    Y    O    W    R    K     M    S    T    F    M    .    .    .    .    .    R    D      .     .      .
        Waiting      L    N    B    U    C    Y    O    W    R    K     M    S    T    F    M    .    .    .    .    .    R    D      .     .      .
        Ready        L    N    B    U    C    Y    O    W    R    K     M    S    T    F    M    .    .    .    .    .    R    D      .     .      .
        Working      .    .    .    .    .    .    .    .    .    K     M    S    T    F    .    .    .    X    .    .    .    D      .     .      R
        Restart      .    .    .    .    .    .    .    .    .    K     M    S    T    F    M    R    .    X    .    .    R    D      .     .      .
        Retry        L    N    B    .    C    Y    .    W    .    K     M    S    T    F    M    .    .    .    R    R    R    D      .     .      .
        Met          L    .    .    .    C    Y    .    .    .    K     M    S    T    F    M    R    U    .    .    .    R    D      .     .      .
        Failed       L    N    .    .    .    Y    .    .    .    K     M    S    T    F    M    .    .    .    .    R    R    D      .     .      .
        Lost         .    .    .    .    .    .    .    .    .    K     M    S    T    F    M    R    .    .    .    R    R    D      .     .      .
        Undone       L    .    .    .    .    .    .    .    .    K     M    S    T    F    .    .    .    .    .    R    .    D      .     .      .
        Contested    L    N    B    U    C    Y    O    W    R    K     M    S    T    F    .    .    .    .    .    .    R    D      .     .      .
        Yielded      L    N    B    U    C    Y    O    W    R    K     M    S    T    F    .    .    .    .    .    .    R    D      .     .      .
        Choice       L    N    B    U    C    Y    O    W    R    K     M    S    T    F    M    .    .    .    .    .    R    D      .     .      .
        Left         L    N    B    U    C    Y    O    W    R    K     L    L    L    L    .    .    .    .    .    .    R    D      .     .      .
        """;

    private static readonly TargetState[,] Next = Read();

    /// <summary>The state after an event; the same state where the event changes nothing.</summary>
    public static TargetState Decide(TargetState state, TargetEvent happened) => Next[(int)state, (int)happened];

    private static TargetState[,] Read()
    {
        var rows = Table.Split('\n', StringSplitOptions.RemoveEmptyEntries).Skip(1).ToArray();
        var events = Enum.GetValues<TargetEvent>().Length;
        var next = new TargetState[rows.Length, events];
        for (var row = 0; row < rows.Length; row++)
        {
            var cells = rows[row].Split(' ', StringSplitOptions.RemoveEmptyEntries);
            var state = Enum.Parse<TargetState>(cells[0]);
            for (var column = 0; column < events; column++)
            {
                next[(int)state, column] = cells[column + 1] switch
                {
                    "." => state,
                    "U" => TargetState.Unknown,
                    "N" => TargetState.NotNeeded,
                    "B" => TargetState.Blocked,
                    "W" => TargetState.Waiting,
                    "R" => TargetState.Ready,
                    "K" => TargetState.Working,
                    "S" => TargetState.Restart,
                    "T" => TargetState.Retry,
                    "M" => TargetState.Met,
                    "F" => TargetState.Failed,
                    "X" => TargetState.Lost,
                    "D" => TargetState.Undone,
                    "C" => TargetState.Contested,
                    "Y" => TargetState.Yielded,
                    "O" => TargetState.Choice,
                    "L" => TargetState.Left,
                    var other => throw new InvalidOperationException($"The table has no meaning for '{other}'."),
                };
            }
        }

        return next;
    }
}
