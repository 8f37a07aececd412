using Bandejo.Core;
using Bandejo.Core.World;

namespace Bandejo.Server.World;

/// <summary>
/// A change of the world that was asked for: decided under the lock, together with others that were asked for meanwhile, and answered when all of it is
/// durable.
/// </summary>
internal abstract class PendingChange
{
    /// <summary>How often something had to be fetched for it.</summary>
    public int Fetches { get; set; }

    /// <summary>Decides and changes.</summary>
    /// <param name="changes">What must be kept goes to its end.</param>
    public abstract void Decide(FleetWorld world, DateTimeOffset now, List<Change> changes);

    /// <summary>Answers with what was decided.</summary>
    public abstract void Answer();

    /// <summary>Answers with an exception instead; the first counts.</summary>
    public abstract void Fail(Exception error);
}

/// <inheritdoc/>
/// <param name="by">Whose doing it is.</param>
internal sealed class PendingChange<T>(string? by, Func<Decision, Outcome<T>> command) : PendingChange
{
    // Not on the thread that answers: that has many others to answer.
    private readonly TaskCompletionSource<Outcome<T>> _answer = new(TaskCreationOptions.RunContinuationsAsynchronously);
    private readonly TaskCompletionSource<Outcome<T>> _decision = new(TaskCreationOptions.RunContinuationsAsynchronously);
    private Outcome<T>? _decided;

    /// <summary>The answer, once what was decided is durable.</summary>
    public Task<Outcome<T>> Durable => _answer.Task;

    /// <summary>The answer as soon as it is decided, durable or not.</summary>
    public Task<Outcome<T>> Decided => _decision.Task;

    public override void Decide(FleetWorld world, DateTimeOffset now, List<Change> changes)
    {
        var decided = world.Decide(by, now, () => Guid.CreateVersion7(now).ToString("N"), changes, command);
        _decided = decided;
        _decision.TrySetResult(decided);
    }

    public override void Answer()
    {
        if (_decided is { } decided)
        {
            _answer.TrySetResult(decided);
        }
    }

    public override void Fail(Exception error)
    {
        _answer.TrySetException(error);
        _decision.TrySetException(error);
    }
}
