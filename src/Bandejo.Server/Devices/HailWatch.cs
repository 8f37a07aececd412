using System.Threading.Channels;
using Bandejo.Server.World;
using Bandejo.Store;

namespace Bandejo.Server.Devices;

/// <summary>
/// After every change, calls the listening devices whose orders are no longer what they were, so that work begins without waiting for the next check-in.
/// </summary>
internal sealed class HailWatch(WorldHost world, Hails hails) : BackgroundService
{
    /// <summary>How long devices may wait for a call at most, for the sake of all others when much changes.</summary>
    private static readonly TimeSpan Pace = TimeSpan.FromMilliseconds(20);

    // Holds one: however much changes while devices are called, they are looked at once more.
    private readonly Channel<bool> _changed = Channel.CreateBounded<bool>(1);
    private readonly Dictionary<string, string> _told = new(StringComparer.Ordinal);

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        using var pace = new PeriodicTimer(Pace);
        world.EventsAdded += Changed;
        try
        {
            while (true)
            {
                await _changed.Reader.ReadAsync(stoppingToken);
                try
                {
                    CallNow();
                }
                catch (StoreException)
                {
                    // Everything is being read anew. What devices were to hear of is not to be any more, or will be when they ask next.
                }

                await pace.WaitForNextTickAsync(stoppingToken);
            }
        }
        finally
        {
            world.EventsAdded -= Changed;
        }
    }

    private void Changed() => _changed.Writer.TryWrite(true);

    /// <summary>Calls every listening device whose orders are no longer what it was told.</summary>
    /// <exception cref="StoreException">Everything is being read anew.</exception>
    public void CallNow()
    {
        lock (_told)
        {
            // Worked out on what stands still: they are many after a decision about the fleet.
            var (rows, still) = world.Peek(each => each.TakeInDoubt() is var taken && taken.IsEmpty() ? (taken, each) : (taken, each.Still()));
            foreach (var device in rows.Rows().Select(still.Devices.At).Where(each => hails.IsListening(each.Id)))
            {
                // Whoever does not listen asks when it comes; what all of a fleet would be told is much to work out.
                var (id, tag) = (device.Id, Orders.TagOf(still, device));
                if (_told.GetValueOrDefault(id) != tag && hails.Call(id))
                {
                    _told[id] = tag;
                }
            }
        }
    }
}
