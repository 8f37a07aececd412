using Bandejo.Store;

namespace Bandejo.Server.World;

/// <summary>Reads the state at start, and again after a failed write, until it succeeds. The service answers "not ready" meanwhile.</summary>
internal sealed partial class Reload(FleetWorld world, Packages.Retiring retiring, TimeProvider time, ILogger<Reload> log) : BackgroundService
{
    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        using var timer = new PeriodicTimer(TimeSpan.FromSeconds(1), time);
        var isSwept = false;
        do
        {
            if (!world.IsReady)
            {
                Load();
            }

            if (world.IsReady && !isSwept)
            {
                await retiring.SweepAll();
                isSwept = true;
            }
        }
        while (await timer.WaitForNextTickAsync(stoppingToken));
    }

    private void Load()
    {
        try
        {
            world.Load();
            Loaded(log, world.Devices.Count, world.Deployments.Count);
        }
        catch (StoreException error)
        {
            LoadFailed(log, error);
        }
    }

    [LoggerMessage(Level = LogLevel.Information, Message = "State read: {Devices} devices, {Deployments} deployments")]
    private static partial void Loaded(ILogger logger, int devices, int deployments);

    [LoggerMessage(Level = LogLevel.Error, Message = "The state cannot be read yet")]
    private static partial void LoadFailed(ILogger logger, Exception error);
}
