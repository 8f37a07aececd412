namespace Bandejo.Device;

/// <summary>Keeps a device from calling too often, whoever asks it to: a few calls may follow one another at once, and then one every other second.</summary>
internal sealed class CallPace(TimeProvider time)
{
    private const int AtOnce = 20;
    private static readonly TimeSpan Each = TimeSpan.FromSeconds(2);

    private DateTimeOffset _usedUpTo = DateTimeOffset.MinValue;

    /// <summary>Takes the next call; how long it has to wait.</summary>
    public TimeSpan Next()
    {
        var now = time.GetUtcNow();
        _usedUpTo = (_usedUpTo < now ? now : _usedUpTo) + Each;
        return Left();
    }

    /// <summary>How long the call that was taken has to wait still.</summary>
    public TimeSpan Left() => _usedUpTo - (Each * AtOnce) - time.GetUtcNow() is var left && left > TimeSpan.Zero ? left : TimeSpan.Zero;
}

/// <summary>
/// Tells what nobody foresaw in something that came in from what ends the agent: the agent says it, forgets what it was about, and goes on with the rest.
/// </summary>
internal static class Unforeseen
{
    /// <summary>Whether an exception is about what was being looked at, and not about the agent itself.</summary>
    public static bool Is(Exception error) =>
        error is NullReferenceException or ArgumentException or InvalidOperationException or FormatException or KeyNotFoundException or NotSupportedException
        or ArithmeticException or IndexOutOfRangeException or InvalidCastException
        or System.Text.Json.JsonException or System.Text.RegularExpressions.RegexMatchTimeoutException or System.ComponentModel.Win32Exception
        or System.Security.Cryptography.CryptographicException;
}
