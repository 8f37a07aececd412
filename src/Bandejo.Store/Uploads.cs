using System.Security.Cryptography;
using Bandejo.Core;

namespace Bandejo.Store;

/// <summary>Takes in what comes in pieces.</summary>
internal static class Uploads
{
    private const int Block = 256 * 1024;

    /// <summary>Appends at an offset, which must be where the file stands, durably. Returns where it stands afterwards.</summary>
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
        var at = offset;
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
        }

        await hashing;
        RandomAccess.FlushToDisk(stream.SafeFileHandle);
        return at;
    }
}
