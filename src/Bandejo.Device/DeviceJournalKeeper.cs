using Bandejo.Contract.Device;

namespace Bandejo.Device;

/// <summary>Keeps the journal and the state that follows from it together.</summary>
internal sealed class DeviceJournalKeeper
{
    private readonly Lock _lock = new();
    private readonly IDeviceJournal _journal;
    private readonly TimeProvider _time;
    private DeviceState _state;

    /// <param name="tell">Hears what the journal holds that cannot be carried out, and is forgotten.</param>
    public DeviceJournalKeeper(IDeviceJournal journal, TimeProvider time, Action<string> tell)
    {
        _journal = journal;
        _time = time;
        _state = DeviceState.Of(journal.Load(), tell);
        journal.Replace(new Whole(_state));
    }

    public DateTimeOffset Now => _time.GetUtcNow();

    public DeviceState State
    {
        get
        {
            lock (_lock)
            {
                return _state;
            }
        }
    }

    /// <summary>Writes an entry down and lets it take effect.</summary>
    public void Append(JournalEntry entry)
    {
        lock (_lock)
        {
            var next = _state.After(entry);
            _journal.Append(entry);
            _state = next;
        }
    }

    /// <summary>
    /// Writes an entry down only where something still holds: nothing comes between, also nothing that waits for the disk just then.
    /// </summary>
    /// <returns>Whether it held.</returns>
    public bool AppendIf(Func<DeviceState, bool> holds, JournalEntry entry)
    {
        lock (_lock)
        {
            if (!holds(_state))
            {
                return false;
            }

            Append(entry);
            return true;
        }
    }

    /// <summary>The service confirmed the orders: leases run from now. Need not survive a power cut, a lease only gets shorter by it.</summary>
    public void Confirm()
    {
        lock (_lock)
        {
            _state = _state with { ConfirmedAt = Now };
        }
    }
}
