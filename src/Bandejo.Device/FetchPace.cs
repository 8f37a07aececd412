namespace Bandejo.Device;

/// <summary>Lets bytes come no faster than a rate that may change meanwhile.</summary>
/// <param name="rate">Bytes a second now; null for as fast as they come, 0 for not at all.</param>
public sealed class FetchPace(TimeProvider time, Func<long?> rate)
{
    /// <summary>After so long it is asked again how fast they may come.</summary>
    private static readonly TimeSpan Turn = TimeSpan.FromSeconds(30);

    private DateTimeOffset _next = DateTimeOffset.MinValue;

    /// <summary>Waits until so many bytes that have come may have come.</summary>
    /// <exception cref="LinkException">No more may come now.</exception>
    public async ValueTask Take(int bytes, CancellationToken cancellation)
    {
        for (double left = bytes; ; )
        {
            if (rate() is not { } now)
            {
                return;
            }

            if (now <= 0)
            {
                throw new LinkException("Nothing may be fetched at this time.", 0);
            }

            var from = time.GetUtcNow() is var at && at > _next ? at : _next;
            var takes = TimeSpan.FromSeconds(Math.Min(left / now, Turn.TotalSeconds));
            _next = from + takes;
            left -= takes.TotalSeconds * now;
            if (_next - at is var pause && pause > TimeSpan.Zero)
            {
                await Task.Delay(pause, time, cancellation);
            }

            if (left < 1)
            {
                return;
            }
        }
    }
}
