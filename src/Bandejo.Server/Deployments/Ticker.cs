using Bandejo.Core;
using Bandejo.Core.Rollouts;
using Bandejo.Core.World;
using Bandejo.Server.World;
using Bandejo.Store;

namespace Bandejo.Server.Deployments;

/// <summary>Does what is due: looks at deployments soon after something changed, and whenever a moment has come.</summary>
internal sealed partial class Ticker(WorldHost world, ILogger<Ticker> log) : BackgroundService
{
    /// <summary>How often it is looked whether anything is to be looked at; of this machine's time, however fast the world's runs.</summary>
    private static readonly TimeSpan Pace = TimeSpan.FromMilliseconds(200);

    private readonly SemaphoreSlim _one = new(1, 1);

    /// <summary>Does all that is due, and returns when what came of it is durable.</summary>
    public async Task Look(CancellationToken cancellation)
    {
        await _one.WaitAsync(cancellation);
        try
        {
            // One slice after the other, each decided among what else is asked for meanwhile. No more than one is ahead of what is durable, so that whoever
            // comes between waits for no more than that.
            Task before = Task.CompletedTask;
            PendingChange<bool> turn;
            do
            {
                turn = world.Ask(null, Due.Take);
                await before;
                before = turn.Durable;
            }
            while ((await turn.Decided).Value && !cancellation.IsCancellationRequested);

            await before;
        }
        catch (StoreException)
        {
            // The world has said so and is being read anew.
        }
        catch (Exception error) when (error is InvalidOperationException or KeyNotFoundException or ArgumentException)
        {
            LookFailed(log, error);
            await world.Ask(null, Due.PutOff).Decided;
        }
        finally
        {
            _one.Release();
        }
    }

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        using var timer = new PeriodicTimer(Pace);
        try
        {
            while (await timer.WaitForNextTickAsync(stoppingToken))
            {
                if (world.IsReady)
                {
                    await Look(stoppingToken);
                }
            }
        }
        catch (OperationCanceledException) when (stoppingToken.IsCancellationRequested)
        {
            // The service ends, perhaps before it had begun to listen.
        }
    }

    [LoggerMessage(Level = LogLevel.Error, Message = "What was due for a deployment could not be done; it is tried again in a minute")]
    private static partial void LookFailed(ILogger logger, Exception error);
}
