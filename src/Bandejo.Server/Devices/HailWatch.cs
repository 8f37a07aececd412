using Bandejo.Server.World;

namespace Bandejo.Server.Devices;

/// <summary>After every change, calls the listening devices whose orders are no longer what they were, so that work begins without waiting for the next check-in.</summary>
internal sealed class HailWatch(FleetWorld world, Hails hails) : BackgroundService
{
    private readonly SemaphoreSlim _changed = new(0, 1);
    private readonly Dictionary<string, string> _told = new(StringComparer.Ordinal);

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        world.EventsAdded += Wake;
        try
        {
            while (true)
            {
                await _changed.WaitAsync(stoppingToken);
                CallNow();
            }
        }
        finally
        {
            world.EventsAdded -= Wake;
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

    private void Wake()
    {
        try
        {
            _changed.Release();
        }
        catch (SemaphoreFullException)
        {
            // Already awake.
        }
    }
}
