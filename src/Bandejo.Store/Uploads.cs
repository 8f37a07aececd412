using System.Security.Cryptography;
using Bandejo.Core;

namespace Bandejo.Store;

/// <summary>Takes in what comes in pieces.</summary>
internal static class Uploads
{
    private const int Block = 1024 * 1024;

    /// <summary>How many blocks may wait for their digest, so that neither taking it nor receiving stands still for the other.</summary>
    private const int Ahead = 4;

    /// <summary>
    /// Appends at an offset, which must be where the file stands, and returns where it stands afterwards. What came survives the end of this process; a power
    /// cut only once it
    /// is whole. What a power cut damaged before shows by its digest.
    /// </summary>
    /// <param name="limit">The whole size, in bytes; more is refused.</param>
    /// <param name="digest">Takes in what is appended; null where nobody follows.</param>
    public static async Task<Outcome<long>> Append(
        FileStream stream, long offset, long limit, Stream body, IncrementalHash? digest, CancellationToken cancellation)
    {
        if (stream.Length != offset)
        {
            return new Failure(ErrorKind.Conflict, $"The upload stands at {stream.Length}, not at {offset}; go on from there.");
        }

        if (offset > limit)
        {
            return new Failure(ErrorKind.TooMuch, $"The upload stands at {offset}, beyond the {limit} bytes that were announced; begin it again.");
        }

        // One byte more than may come, so that it shows before it is written.
        var room = (int)Math.Min(Block, limit - offset + 1);
        var rooms = Enumerable.Range(0, Ahead).Select(_ => new Memory<byte>(GC.AllocateUninitializedArray<byte>(room))).ToArray();
        var hashed = new Task[Ahead];
        var hashing = Task.CompletedTask;
        var at = offset;
        for (var turn = 0; ; turn = (turn + 1) % Ahead)
        {
            await (hashed[turn] ?? Task.CompletedTask);
            var read = await body.ReadAtLeastAsync(rooms[turn], room, throwOnEndOfStream: false, cancellation);
            if (read == 0)
            {
                break;
            }

            if (at + read > limit)
            {
                return new Failure(ErrorKind.TooMuch, $"More was sent than the {limit} bytes that were announced.");
            }

            var block = rooms[turn][..read];
            hashed[turn] = hashing = digest is null ? Task.CompletedTask : Hashed(hashing, block);
            await RandomAccess.WriteAsync(stream.SafeFileHandle, block, at, cancellation);
            at += read;
        }

        await hashing;
        if (at == limit)
        {
            RandomAccess.FlushToDisk(stream.SafeFileHandle);
        }

        return at;

        Task Hashed(Task before, Memory<byte> block) => Task.Run(async () =>
        {
            await before;
            digest!.AppendData(block.Span);
        }, CancellationToken.None);
    }
}
