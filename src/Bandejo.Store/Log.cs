using System.Buffers.Binary;
using System.Security.Cryptography;
using Bandejo.Store.Databases;
using Bandejo.Store.Forms;
using Bandejo.Store.Past;
using ZstdSharp;

namespace Bandejo.Store;

/// <summary>
/// The log: everything that ever became durable, in the order in which it did, one record for each commit. All tables beside it are made from it and can be
/// made anew. Its records are numbered without gaps, and chained by their digests: none can be changed, taken out or put in without all after it saying so.
/// </summary>
/// <param name="epoch">Of whoever writes; where another has begun to write meanwhile, nothing more is.</param>
internal sealed class Log(Statements statements, long epoch)
{
    /// <summary>From how many bytes on a record is compressed.</summary>
    private const int WorthPacking = 256;

    /// <summary>The largest record that is read, in bytes before compression: far above what a commit writes, far below what would be a danger.</summary>
    private const int Largest = 1 << 30;

    private (long Number, byte[] Digest, DateTimeOffset At)? _head;

    /// <summary>Which record the next is. Its moment is never before that of the last: what was at a moment is asked by it.</summary>
    /// <param name="at">When the last of what it holds was decided.</param>
    public LogMoment Next(DateTimeOffset at)
    {
        var (last, _, lastAt) = Head();
        return new LogMoment(last + 1, at < lastAt ? lastAt : at);
    }

    /// <summary>Adds a record to its end.</summary>
    /// <exception cref="StoreException">Another has begun to write.</exception>
    public void Append(IReadOnlyList<LoggedPart> parts)
    {
        var ((number, at), body) = (Next(parts[^1].At), Pack(LogForm.Write(parts)));
        Take(new LogRow(number, epoch, at, Digest(Head().Digest, number, epoch, at, body), body));
    }

    /// <summary>Adds a record as it was written elsewhere.</summary>
    /// <inheritdoc cref="Append" path="/exception"/>
    public void Take(LogRow row)
    {
        var isHead = statements.First(
            "UPDATE log_head SET number = $1, digest = $2 WHERE number = $3 AND epoch = $4 RETURNING number", found => found.Number(0),
            row.Number, row.Digest, row.Number - 1, epoch);
        if (isHead != row.Number)
        {
            throw new StoreException("Another service has begun to write into this store; this one does not any more.");
        }

        statements.Add("log", row.Number, row.Epoch, row.At.UtcTicks, row.Digest, row.Body);
        _head = (row.Number, row.Digest, row.At);
    }

    private (long Number, byte[] Digest, DateTimeOffset At) Head() => _head ??= statements.First(
        "SELECT number, digest, coalesce((SELECT at FROM log WHERE log.number = log_head.number), 0) FROM log_head",
        row => (row.Number(0), row.Bytes(1), new DateTimeOffset(row.Number(2), TimeSpan.Zero)));

    /// <summary>
    /// SHA-256 of the digest before, the number, the epoch and the moment (64 bits each, big-endian; ticks of UTC), and the body as it is kept.
    /// </summary>
    public static byte[] Digest(ReadOnlySpan<byte> before, long number, long epoch, DateTimeOffset at, ReadOnlySpan<byte> body)
    {
        Span<byte> words = stackalloc byte[24];
        BinaryPrimitives.WriteInt64BigEndian(words, number);
        BinaryPrimitives.WriteInt64BigEndian(words[8..], epoch);
        BinaryPrimitives.WriteInt64BigEndian(words[16..], at.UtcTicks);
        using var hash = IncrementalHash.CreateHash(HashAlgorithmName.SHA256);
        hash.AppendData(before);
        hash.AppendData(words);
        hash.AppendData(body);
        return hash.GetHashAndReset();
    }

    /// <summary>What a record holds.</summary>
    /// <exception cref="StoreException">It is damaged, or this version does not know what it holds.</exception>
    public static IReadOnlyList<LoggedPart> Read(LogRow row)
    {
        try
        {
            return LogForm.Read(Unpack(row.Body));
        }
        catch (Exception error) when (error is FormatException or ZstdException)
        {
            throw new StoreException($"Record {row.Number} of the log cannot be read: {error.Message}.", error);
        }
    }

    /// <summary>A byte that says how, and the form: 0 as it is, 1 compressed by Zstandard (RFC 8878).</summary>
    private static byte[] Pack(byte[] form)
    {
        if (form.Length < WorthPacking)
        {
            return [0, .. form];
        }

        using var compressor = new Compressor(1);
        return [1, .. compressor.Wrap(form)];
    }

    private static ReadOnlySpan<byte> Unpack(byte[] body)
    {
        switch (body)
        {
            case [0, ..]:
                return body.AsSpan(1);
            case [1, ..]:
                using (var decompressor = new Decompressor())
                {
                    return decompressor.Unwrap(body.AsSpan(1), Largest);
                }

            default:
                throw new FormatException("it is packed in a way that this version does not know");
        }
    }
}
