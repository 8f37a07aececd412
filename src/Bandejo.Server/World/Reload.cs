using Bandejo.Store;

namespace Bandejo.Server.World;

/// <summary>Reads the state at start, and again after a failed write, until it succeeds. The service answers "not ready" meanwhile.</summary>
internal sealed partial class Reload(WorldHost world, Packages.Leaving leaving, ILogger<Reload> log) : BackgroundService
{
    /// <summary>How often it is looked whether everything must be read; of this machine's time, for the world's may stand still.</summary>
    private static readonly TimeSpan Pace = TimeSpan.FromSeconds(1);

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        using var timer = new PeriodicTimer(Pace);
        var isSwept = false;
        do
        {
            if (!world.IsReady)
            {
                Load();
            }

            isSwept = isSwept || await Sweep();
        }
        while (await timer.WaitForNextTickAsync(stoppingToken));
    }

    private void Load()
    {
        try
        {
            var (devices, deployments) = world.Load();
            Loaded(log, devices, deployments);
        }
        catch (Exception error)
        {
            // Whatever it is: while it is not ready nobody is told anything wrong, and the next try may succeed.
            LoadFailed(log, error);
        }
    }

    /// <summary>Takes away the files that nobody needs any more; false where that must be tried again.</summary>
    private async Task<bool> Sweep()
    {
        try
        {
            await leaving.SweepAll();
            return true;
        }
        catch (Exception error) when (error is StoreException or IOException or UnauthorizedAccessException)
        {
            SweepFailed(log, error);
            return false;
        }
    }

    [LoggerMessage(Level = LogLevel.Warning, Message = "Files that are no longer needed cannot be taken away yet")]
    private static partial void SweepFailed(ILogger logger, Exception error);

    [LoggerMessage(Level = LogLevel.Information, Message = "State read: {Devices} devices, {Deployments} deployments")]
    private static partial void Loaded(ILogger logger, int devices, int deployments);

    [LoggerMessage(Level = LogLevel.Error, Message = "The state cannot be read yet")]
    private static partial void LoadFailed(ILogger logger, Exception error);
}
