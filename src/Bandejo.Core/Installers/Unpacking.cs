using System.IO.Compression;
using SharpCompress.Compressors.BZip2;
using SharpCompress.Compressors.Xz;
using ZstdSharp;

namespace Bandejo.Core.Installers;

/// <summary>
/// Opens packed streams, and never lets one unpack without end. Whatever an unpacker throws at what is damaged becomes a <see cref="BrokenFileException"/>.
/// </summary>
internal static class Unpacking
{
    private const int MostAtOnce = 64 * 1024;

    /// <summary>The binary logarithm of the largest window, in bytes: 64 MiB, twice what the strongest usual setting takes.</summary>
    private const int ZstandardWindow = 26;

    /// <summary>How a stream is packed, by its first bytes; null for one that is not, or in a way that is not known here.</summary>
    public static string? How(ReadOnlySpan<byte> head) => head switch
    {
        [0x1F, 0x8B, ..] => "gzip",
        [0xFD, 0x37, 0x7A, 0x58, 0x5A, 0, ..] => "xz",
        [0x28, 0xB5, 0x2F, 0xFD, ..] => "zstd",
        [(byte)'B', (byte)'Z', (byte)'h', >= (byte)'1' and <= (byte)'9', ..] => "bzip2",
        _ => null,
    };

    /// <summary>The content of a packed stream.</summary>
    /// <param name="how">gzip, zlib, deflate, xz, zstd, bzip2; null for one that is not packed.</param>
    /// <param name="budget">What unpacking may cost.</param>
    public static Stream Open(Stream packed, string? how, ReadingBudget budget) => how is null ? packed : new Unpacked(budget, () => how switch
    {
        "gzip" => new GZipStream(packed, CompressionMode.Decompress),
        "zlib" => new ZLibStream(packed, CompressionMode.Decompress),
        "deflate" => new DeflateStream(packed, CompressionMode.Decompress),
        "xz" => new XZStream(packed),
        "zstd" => Zstandard(packed),
        "bzip2" => BZip2Stream.Create(packed, SharpCompress.Compressors.CompressionMode.Decompress, false),
        _ => throw new ArgumentOutOfRangeException(nameof(how), how, "No way of packing."),
    });

    /// <summary>What another unpacker gives, within the budget.</summary>
    public static Stream Through(Func<Stream> open, ReadingBudget budget) => new Unpacked(budget, open);

    /// <summary>Everything in a stream.</summary>
    /// <exception cref="BrokenFileException">There is more than <paramref name="most"/> bytes.</exception>
    /// <exception cref="SpentException">It would take more than it may.</exception>
    public static byte[] All(Stream stream, int most, string name, ReadingBudget budget)
    {
        using var content = new MemoryStream();
        var buffer = new byte[64 * 1024];
        for (int read; (read = stream.Read(buffer)) > 0;)
        {
            // Once while it grows, and once as what is returned.
            budget.Hold(2L * read);
            content.Write(buffer, 0, read);
            if (content.Length > most)
            {
                throw new BrokenFileException($"'{name}' unpacks to more than {most / 1048576} MiB, which makes no sense there");
            }
        }

        return content.ToArray();
    }

    /// <summary>What was packed with a window that no usual packer takes would hold that much memory.</summary>
    private static DecompressionStream Zstandard(Stream packed)
    {
        var stream = new DecompressionStream(packed);
        stream.SetParameter(ZstdSharp.Unsafe.ZSTD_dParameter.ZSTD_d_windowLogMax, ZstandardWindow);
        return stream;
    }

    /// <summary>What an unpacker gives. Unpackers say in many ways that something is damaged, some of them by tripping over it.</summary>
    private sealed class Unpacked(ReadingBudget budget, Func<Stream> open) : Stream
    {
        private Stream? _content;

        public override bool CanRead => true;

        public override bool CanSeek => false;

        public override bool CanWrite => false;

        public override long Length => throw new NotSupportedException();

        public override long Position { get => throw new NotSupportedException(); set => throw new NotSupportedException(); }

        public override int Read(byte[] buffer, int offset, int count)
        {
            try
            {
                // Little at a time, so that the budget is asked often whatever an unpacker makes of it.
                var read = (_content ??= open()).Read(buffer, offset, Math.Min(count, MostAtOnce));
                budget.Unpack(read);
                return read;
            }
            catch (Exception error) when (error is not (BrokenFileException or SpentException or OperationCanceledException or OutOfMemoryException))
            {
                throw new BrokenFileException("what is packed in it is damaged, cut short, or packed so that unpacking it takes more memory than it may");
            }
        }

        public override void Flush()
        {
        }

        public override long Seek(long offset, SeekOrigin origin) => throw new NotSupportedException();

        public override void SetLength(long value) => throw new NotSupportedException();

        public override void Write(byte[] buffer, int offset, int count) => throw new NotSupportedException();

        protected override void Dispose(bool disposing)
        {
            if (disposing)
            {
                _content?.Dispose();
            }

            base.Dispose(disposing);
        }
    }
}
