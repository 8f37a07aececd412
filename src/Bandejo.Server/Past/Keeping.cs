using Bandejo.Core;
using Bandejo.Core.Site;
using Bandejo.Server.World;
using Bandejo.Store;

namespace Bandejo.Server.Past;

/// <summary>Lets what is kept no longer go, a slice at a time, once a day of the service's clock.</summary>
internal sealed partial class Keeping(WorldHost world, FileStore files, ILogger<Keeping> log) : BackgroundService
{
    /// <summary>How often it is looked whether a day is over; of this machine's time.</summary>
    private static readonly TimeSpan Pace = TimeSpan.FromMinutes(1);

    private readonly SemaphoreSlim _one = new(1, 1);

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        using var timer = new PeriodicTimer(Pace);
        do
        {
            try
            {
                if (world.IsReady && world.Read(Retention.IsDue))
                {
                    await Run(stoppingToken);
                }
            }
            catch (Exception error) when (error is StoreException or IOException or UnauthorizedAccessException)
            {
                Failed(log, error);
            }
        }
        while (await timer.WaitForNextTickAsync(stoppingToken));
    }

    /// <summary>Lets go what is over by now.</summary>
    /// <returns>What went.</returns>
    public async Task<Outcome<RetentionReport>> Run(CancellationToken cancellation)
    {
        // Two at once would count the same.
        await _one.WaitAsync(cancellation);
        try
        {
            return await Run(await world.Kept(), world.Read(Retention.TaskOf), cancellation);
        }
        finally
        {
            _one.Release();
        }
    }

    private async Task<Outcome<RetentionReport>> Run(IStore store, RetentionTask over, CancellationToken cancellation)
    {
        // Before the attempts, by which they are found.
        var (rows, logs, bytes) = (0L, 0L, 0L);
        foreach (var attempt in store.AttemptsBegun(over.LogsFrom, over.LogsUntil))
        {
            cancellation.ThrowIfCancellationRequested();
            if (files.DropLog(attempt) is { } size)
            {
                (logs, bytes) = (logs + 1, bytes + size);
            }
        }

        if (over.HistoryUntil > store.PastFrom)
        {
            // Said first: what is half gone is asked of no more.
            _ = await world.Change(null, decision => Retention.Begin(decision, over.HistoryUntil));
            foreach (var (slice, count) in store.Forgettable(over.HistoryUntil))
            {
                cancellation.ThrowIfCancellationRequested();
                var done = await world.Change(null, decision => Retention.Forget(decision, slice));
                rows += done.Ok ? count : 0;
            }
        }

        _ = await world.Change(null, Retention.Expire);
        var report = new RetentionReport(over.At, rows, logs, bytes);
        _ = await world.Change(null, decision => Retention.End(decision, report, over.LogsUntil));
        return report;
    }

    [LoggerMessage(Level = LogLevel.Warning, Message = "What is kept no longer cannot be taken away yet")]
    private static partial void Failed(ILogger logger, Exception error);
}
