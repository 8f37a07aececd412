namespace Bandejo.Server.World;

/// <summary>
/// Wakes one waiter. Rung any number of times while the waiter is busy, it wakes it once afterwards. Ringing costs next to nothing, since every change of the
/// world rings.
/// </summary>
internal sealed class Bell
{
    // Not disposed: it is rung by others until the last of them has let go of it, and holds nothing but memory.
    private readonly SemaphoreSlim _rung = new(0);
    private int _isRung;

    public void Ring() => TryRing();

    /// <summary>Rings. False where it was rung already and nobody has heard it yet.</summary>
    public bool TryRing()
    {
        if (Volatile.Read(ref _isRung) != 0 || Interlocked.Exchange(ref _isRung, 1) != 0)
        {
            return false;
        }

        _rung.Release();
        return true;
    }

    /// <summary>Waits until it is rung; false where it was not in that time.</summary>
    public async Task<bool> Wait(TimeSpan most, CancellationToken cancellation)
    {
        var isRung = await _rung.WaitAsync(most, cancellation);
        if (isRung)
        {
            // Before the waiter looks at what changed: what changes from now on rings again.
            Interlocked.Exchange(ref _isRung, 0);
        }

        return isRung;
    }
}
