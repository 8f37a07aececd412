using Bandejo.Core;

namespace Bandejo.Server.World;

/// <summary>A change of the world that was asked for: decided under the lock, together with others that were asked for meanwhile, and answered when all of it is durable.</summary>
internal abstract class PendingChange(string? by)
{
    /// <summary>Whose doing it is.</summary>
    public string? By => by;

    /// <summary>Decides and changes.</summary>
    /// <exception cref="InvalidOperationException">It was refused after something had been changed.</exception>
    public abstract void Decide(WorldChange change);

    /// <summary>Answers with what was decided.</summary>
    public abstract void Answer();

    /// <summary>Answers with an exception instead; the first counts.</summary>
    public abstract void Fail(Exception error);
}

/// <inheritdoc/>
internal sealed class PendingChange<T>(string? by, Func<WorldChange, Outcome<T>> act) : PendingChange(by)
{
    // Not on the thread that answers: that has many others to answer.
    private readonly TaskCompletionSource<Outcome<T>> _answer = new(TaskCreationOptions.RunContinuationsAsynchronously);
    private Outcome<T>? _decided;

    public Task<Outcome<T>> Task => _answer.Task;

    public override void Decide(WorldChange change)
    {
        var decided = act(change);
        if (!decided.Ok && change.IsBegun)
        {
            throw new InvalidOperationException($"A change was refused after it had begun: {decided.Failure!.Message}");
        }

        _decided = decided;
    }

    public override void Answer()
    {
        if (_decided is { } decided)
        {
            _answer.TrySetResult(decided);
        }
    }

    public override void Fail(Exception error) => _answer.TrySetException(error);
}
