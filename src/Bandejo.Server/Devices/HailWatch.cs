using Bandejo.Server.World;

namespace Bandejo.Server.Devices;

/// <summary>After every change, calls the listening devices whose orders are no longer what they were, so that work begins without waiting for the next check-in.</summary>
internal sealed class HailWatch(FleetWorld world, Hails hails) : BackgroundService
{
    private readonly Bell _changed = new();
    private readonly Dictionary<string, string> _told = new(StringComparer.Ordinal);

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        world.EventsAdded += _changed.Ring;
        try
        {
            while (true)
            {
                await _changed.Wait(Timeout.InfiniteTimeSpan, stoppingToken);
                CallNow();
            }
        }
        finally
        {
            world.EventsAdded -= _changed.Ring;
        }
    }

    /// <summary>Calls every listening device whose orders are no longer what it was told.</summary>
    public void CallNow()
    {
        lock (_told)
        {
            foreach (var (id, tag) in world.Read(each => each.TakeOrdersInDoubt()))
            {
                if (_told.GetValueOrDefault(id) != tag && hails.Call(id))
                {
                    _told[id] = tag;
                }
            }
        }
    }
}
