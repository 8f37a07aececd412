using Bandejo.Core;

namespace Bandejo.Store;

/// <summary>Takes in what comes in pieces.</summary>
internal static class Uploads
{
    /// <summary>Appends at an offset, which must be where the file stands, durably. Returns where it stands afterwards.</summary>
    /// <param name="limit">The whole size, in bytes; more is refused.</param>
    public static async Task<Outcome<long>> Append(FileStream stream, long offset, long limit, Stream body, CancellationToken cancellation)
    {
        if (stream.Length != offset)
        {
            return new Failure(ErrorKind.Conflict, $"The upload stands at {stream.Length}, not at {offset}; go on from there.");
        }

        stream.Position = offset;
        var buffer = new byte[128 * 1024];
        for (int read; (read = await body.ReadAsync(buffer, cancellation)) > 0;)
        {
            if (stream.Position + read > limit)
            {
                return new Failure(ErrorKind.TooMuch, $"More was sent than the {limit} bytes that were announced.");
            }

            await stream.WriteAsync(buffer.AsMemory(0, read), cancellation);
        }

        stream.Flush(flushToDisk: true);
        return stream.Position;
    }
}
