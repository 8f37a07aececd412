namespace Bandejo.Played;

/// <summary>How a step goes on a played machine: it takes its time, and then all of its effect is there at once.</summary>
/// <param name="Takes">How long it takes; longer than its limit for one that hangs.</param>
/// <param name="Code">Its exit code.</param>
public sealed record StepPlay(TimeSpan Takes, int Code)
{
    /// <summary>The files that it puts in place, path to content.</summary>
    public IReadOnlyDictionary<string, string> Put { get; init; } = new Dictionary<string, string>();

    /// <summary>The files that it takes away.</summary>
    public IReadOnlyList<string> Gone { get; init; } = [];

    /// <summary>The files that are in place after the next start of the system.</summary>
    public IReadOnlyDictionary<string, string> Later { get; init; } = new Dictionary<string, string>();

    /// <summary>At its end the power goes, and nothing has come of it.</summary>
    public bool CutsPower { get; init; }

    /// <summary>What it prints at its end, or when somebody has waited for it long enough; empty for nothing.</summary>
    public string Says { get; init; } = "";
}
