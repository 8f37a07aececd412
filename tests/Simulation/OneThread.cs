namespace Bandejo.Simulation.Tests;

/// <summary>Runs everything that is asynchronous on one thread, in the order in which it came to be possible.</summary>
internal sealed class OneThread : SynchronizationContext
{
    private readonly Queue<(SendOrPostCallback Act, object? State)> _posted = new();
    private readonly int _thread = Environment.CurrentManagedThreadId;

    public override void Post(SendOrPostCallback d, object? state)
    {
        if (Environment.CurrentManagedThreadId != _thread)
        {
            throw new InvalidOperationException("Something ran on another thread: the same seed would not play the same again.");
        }

        _posted.Enqueue((d, state));
    }

    public override void Send(SendOrPostCallback d, object? state) => d(state);

    public override SynchronizationContext CreateCopy() => this;

    /// <summary>Goes on until nothing is possible before the clock moves.</summary>
    public void RunAll()
    {
        while (_posted.TryDequeue(out var next))
        {
            next.Act(next.State);
        }
    }
}
