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
                foreach (var device in world.Read(each => each.Devices.Values.Where(device => device.Orders is null).Select(device => (device.Id, Orders.Of(each, device).Tag)).ToList()))
                {
                    if (_told.GetValueOrDefault(device.Id) != device.Tag && hails.Call(device.Id))
                    {
                        _told[device.Id] = device.Tag;
                    }
                }
            }
        }
        finally
        {
            world.EventsAdded -= Wake;
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
