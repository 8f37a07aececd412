using Bandejo.Core;
using Bandejo.Core.World;

namespace Bandejo.Server.World;

/// <summary>A change of the world that was asked for: decided under the lock, together with others that were asked for meanwhile, and answered when all of it is durable.</summary>
internal abstract class PendingChange
{
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
    private Outcome<T>? _decided;

    public Task<Outcome<T>> Task => _answer.Task;

    public override void Decide(FleetWorld world, DateTimeOffset now, List<Change> changes) =>
        _decided = world.Decide(by, now, () => Guid.CreateVersion7(now).ToString("N"), changes, command);

    public override void Answer()
    {
        if (_decided is { } decided)
        {
            _answer.TrySetResult(decided);
        }
    }

    public override void Fail(Exception error) => _answer.TrySetException(error);
}
