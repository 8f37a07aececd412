using System.Security.Cryptography;
using Bandejo.Core;

namespace Bandejo.Store;

/// <summary>Takes in what comes in pieces.</summary>
internal static class Uploads
{
    private const int Block = 256 * 1024;

    private const int WriteBackEach = 8 * 1024 * 1024;

    /// <summary>
    /// Appends at an offset, which must be where the file stands, and returns where it stands afterwards. What came survives the end of this process; a power cut only once it
    /// is whole. What a power cut damaged before shows by its digest.
    /// </summary>
    /// <param name="limit">The whole size, in bytes; more is refused.</param>
    /// <param name="digest">Takes in what is appended; null where nobody follows.</param>
    public static async Task<Outcome<long>> Append(FileStream stream, long offset, long limit, Stream body, IncrementalHash? digest, CancellationToken cancellation)
    {
        if (stream.Length != offset)
        {
            return new Failure(ErrorKind.Conflict, $"The upload stands at {stream.Length}, not at {offset}; go on from there.");
        }

        var (buffer, other) = (new byte[Block], new byte[Block]);
        var hashing = Task.CompletedTask;
        var (at, begun) = (offset, offset);
        for (int read; (read = await body.ReadAtLeastAsync(buffer, Block, throwOnEndOfStream: false, cancellation)) > 0;)
        {
            if (at + read > limit)
            {
                return new Failure(ErrorKind.TooMuch, $"More was sent than the {limit} bytes that were announced.");
            }

            await hashing;
            var (block, length) = (buffer, read);
            hashing = digest is null ? Task.CompletedTask : Task.Run(() => digest.AppendData(block, 0, length), CancellationToken.None);
            await RandomAccess.WriteAsync(stream.SafeFileHandle, block.AsMemory(0, length), at, cancellation);
            at += length;
            (buffer, other) = (other, buffer);
            if (at - begun >= WriteBackEach)
            {
                WriteBack.Begin(stream.SafeFileHandle, begun, at - begun);
                begun = at;
            }
        }

        await hashing;
        if (at == limit)
        {
            RandomAccess.FlushToDisk(stream.SafeFileHandle);
        }

        return at;
    }
}
