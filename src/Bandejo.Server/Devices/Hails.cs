using System.Collections.Concurrent;
using System.Threading.Channels;

namespace Bandejo.Server.Devices;

/// <summary>Lets the service ask listening devices to check in now.</summary>
/// <param name="most">How many may listen at once; the connections of the others are for their check-ins, and for people.</param>
internal sealed class Hails(int most)
{
    private readonly ConcurrentDictionary<string, Listener> _listeners = new(StringComparer.Ordinal);
    private long _rung;

    /// <summary>How many calls went out on the lines so far.</summary>
    public long Rung => Interlocked.Read(ref _rung);

    /// <summary>
    /// Begins to listen for a device. An earlier line of the same device is closed. Null where enough listen: the device comes at its usual times.
    /// </summary>
    public Listener? Listen(string device)
    {
        if (_listeners.Count >= most && !_listeners.ContainsKey(device))
        {
            return null;
        }

        var listener = new Listener(this, device);
        Listener? earlier = null;
        _listeners.AddOrUpdate(device, listener, (_, before) =>
        {
            earlier = before;
            return listener;
        });
        earlier?.Close();
        return listener;
    }

    /// <summary>Closes the line of a device that may not listen any more.</summary>
    public void Close(string device)
    {
        if (_listeners.TryRemove(device, out var listener))
        {
            listener.Close();
        }
    }

    /// <summary>Whether a device listens now.</summary>
    public bool IsListening(string device) => _listeners.ContainsKey(device);

    /// <summary>Asks a device to check in. False where it is not listening: then it comes at its usual time.</summary>
    public bool Call(string device)
    {
        if (!_listeners.TryGetValue(device, out var listener))
        {
            return false;
        }

        listener.Ring();
        return true;
    }

    /// <summary>One device that listens.</summary>
    internal sealed class Listener(Hails hails, string device) : IDisposable
    {
        // Holds one: who is called several times before it has heard it checks in once.
        private readonly Channel<bool> _calls = Channel.CreateBounded<bool>(1);
        private readonly CancellationTokenSource _closed = new();

        /// <summary>Cancelled when the line is to end.</summary>
        public CancellationToken Closed => _closed.Token;

        public void Close() => _closed.Cancel();

        public async Task Next(CancellationToken cancellation) => await _calls.Reader.ReadAsync(cancellation);

        public void Ring()
        {
            if (_calls.Writer.TryWrite(true))
            {
                Interlocked.Increment(ref hails._rung);
            }
        }

        public void Dispose()
        {
            hails._listeners.TryRemove(new KeyValuePair<string, Listener>(device, this));
        }
    }
}
