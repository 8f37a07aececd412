using System.IO.Compression;
using SharpCompress.Compressors.BZip2;
using SharpCompress.Compressors.Xz;
using ZstdSharp;

namespace Bandejo.Core.Installers;

/// <summary>Opens packed streams, and never lets one unpack without end.</summary>
internal static class Unpacking
{
    /// <summary>How a stream is packed, by its first bytes; null for one that is not, or in a way that is not known here.</summary>
    public static string? How(ReadOnlySpan<byte> head) => head switch
    {
        [0x1F, 0x8B, ..] => "gzip",
        [0xFD, 0x37, 0x7A, 0x58, 0x5A, 0, ..] => "xz",
        [0x28, 0xB5, 0x2F, 0xFD, ..] => "zstd",
        [(byte)'B', (byte)'Z', (byte)'h', >= (byte)'1' and <= (byte)'9', ..] => "bzip2",
        _ => null,
    };

    public static Stream Open(Stream packed, string how) => how switch
    {
        "gzip" => new GZipStream(packed, CompressionMode.Decompress),
        "xz" => new XZStream(packed),
        "zstd" => new DecompressionStream(packed),
        "bzip2" => BZip2Stream.Create(packed, SharpCompress.Compressors.CompressionMode.Decompress, false),
        _ => packed,
    };

    /// <summary>Everything in a stream.</summary>
    /// <exception cref="BrokenFileException">There is more than <paramref name="most"/> bytes.</exception>
    public static byte[] All(Stream stream, int most, string name)
    {
        using var content = new MemoryStream();
        var buffer = new byte[64 * 1024];
        for (int read; (read = stream.Read(buffer)) > 0;)
        {
            content.Write(buffer, 0, read);
            if (content.Length > most)
            {
                throw new BrokenFileException($"'{name}' unpacks to more than {most / 1048576} MiB, which makes no sense there");
            }
        }

        return content.ToArray();
    }
}
