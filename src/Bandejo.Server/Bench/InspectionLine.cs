using Bandejo.Core.Installers;

namespace Bandejo.Server.Bench;

/// <summary>
/// Inspects files beside the fleet's work and not in its way: at most on half of the machine's processors, on threads of their own, so that those that
/// answer devices are never taken; each file within its budget; and at an end when whoever asked has gone or the service stops.
/// </summary>
internal sealed class InspectionLine(IHostApplicationLifetime life) : IDisposable
{
    private readonly SemaphoreSlim _places = new(Math.Max(1, Environment.ProcessorCount / 2));

    /// <summary>Reads something; waits until there is a place.</summary>
    /// <param name="read">Reads. What it is given makes a budget for each file.</param>
    /// <param name="cancellation">Whoever asked has gone.</param>
    /// <exception cref="OperationCanceledException">It was told to stop.</exception>
    public async Task<T> Run<T>(Func<Func<ReadingBudget>, T> read, CancellationToken cancellation)
    {
        using var either = CancellationTokenSource.CreateLinkedTokenSource(cancellation, life.ApplicationStopping);
        var token = either.Token;
        await _places.WaitAsync(token);
        try
        {
            return await Task.Factory.StartNew(
                () => read(() => new ReadingBudget(TimeProvider.System, token)), token, TaskCreationOptions.LongRunning, TaskScheduler.Default);
        }
        finally
        {
            _places.Release();
        }
    }

    public void Dispose() => _places.Dispose();
}
