using System.Collections.Concurrent;

namespace Bandejo.Server.Access;

/// <summary>
/// Slows guessing down, for each address and account by itself: after a few wrong passwords each further try from there waits longer before it is looked at.
/// Nobody is locked out: the right password, tried from elsewhere, is looked at at once, and from there after the wait.
/// </summary>
internal sealed class SignInPace(TimeProvider time)
{
    private const int Free = 5;
    private const int MostWaiting = 8;
    private const int MostKnown = 10_000;

    private static readonly TimeSpan First = TimeSpan.FromMilliseconds(250);
    private static readonly TimeSpan Longest = TimeSpan.FromSeconds(8);
    private static readonly TimeSpan ForgottenAfter = TimeSpan.FromMinutes(10);

    private readonly ConcurrentDictionary<(string Address, string Account), Tries> _tries = new();

    /// <summary>Waits for a turn to try; null where too many wait from there already.</summary>
    public async Task<IDisposable?> Turn(string address, string account, CancellationToken cancellation)
    {
        if (_tries.Count > MostKnown)
        {
            foreach (var (key, old) in _tries.Where(pair => time.GetUtcNow() - pair.Value.Last > ForgottenAfter).ToList())
            {
                _tries.TryRemove(new KeyValuePair<(string, string), Tries>(key, old));
            }
        }

        var tries = _tries.GetOrAdd((address, account), _ => new Tries());
        if (Interlocked.Increment(ref tries.Waiting) > MostWaiting)
        {
            Interlocked.Decrement(ref tries.Waiting);
            return null;
        }

        try
        {
            await tries.One.WaitAsync(cancellation);
        }
        catch (OperationCanceledException)
        {
            Interlocked.Decrement(ref tries.Waiting);
            throw;
        }

        var turn = new ATurn(tries);
        if (tries.Failures > Free && time.GetUtcNow() - tries.Last < ForgottenAfter)
        {
            var wait = First * Math.Pow(2, Math.Min(tries.Failures - Free - 1, 10));
            try
            {
                await Task.Delay(wait < Longest ? wait : Longest, time, cancellation);
            }
            catch (OperationCanceledException)
            {
                turn.Dispose();
                throw;
            }
        }

        return turn;
    }

    /// <summary>How a try from an address at an account ended.</summary>
    public void Tried(string address, string account, bool isRight)
    {
        if (isRight)
        {
            _tries.TryRemove((address, account), out _);
        }
        else if (_tries.TryGetValue((address, account), out var tries))
        {
            tries.Failures = time.GetUtcNow() - tries.Last > ForgottenAfter ? 1 : tries.Failures + 1;
            tries.Last = time.GetUtcNow();
        }
    }

    private sealed class Tries
    {
        public int Waiting;

        public SemaphoreSlim One { get; } = new(1, 1);

        public int Failures { get; set; }

        public DateTimeOffset Last { get; set; }
    }

    private sealed class ATurn(Tries tries) : IDisposable
    {
        public void Dispose()
        {
            Interlocked.Decrement(ref tries.Waiting);
            tries.One.Release();
        }
    }
}
