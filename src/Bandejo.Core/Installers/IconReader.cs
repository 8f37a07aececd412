using System.Buffers.Binary;
using System.IO.Compression;

namespace Bandejo.Core.Installers;

/// <summary>Takes the icon out of a Windows program as a PNG file.</summary>
internal static class IconReader
{
    private const int Largest = 64 * 1024;

    /// <summary>The largest picture of the first group of icons that fits a package; null for none that can be read.</summary>
    public static InstallerIcon? Of(Window file, PortableExecutable program)
    {
        var pictures = program.Resources(3).Take(200).DistinctBy(each => each.Id).ToDictionary(each => each.Id, each => (each.At, each.Size));
        foreach (var (_, at, size) in program.Resources(14).Take(1))
        {
            var group = file.Some(at, (int)Math.Min(size, 4096));
            var count = group.Length < 6 ? 0 : group[4] | (group[5] << 8);
            var entries = Enumerable.Range(0, count).Select(i => 6 + (i * 14)).Where(place => place + 14 <= group.Length)
                .Select(place => (Width: group[place] == 0 ? 256 : group[place], Id: (uint)(group[place + 12] | (group[place + 13] << 8))));
            foreach (var (width, id) in entries.OrderByDescending(each => each.Width))
            {
                if (pictures.TryGetValue(id, out var picture)
                    && Png(file.Some(picture.At, (int)Math.Min(picture.Size, 512 * 1024))) is { Length: <= Largest } png)
                {
                    return new InstallerIcon(png, width);
                }
            }
        }

        return null;
    }

    /// <summary>The picture as PNG: as it is where it is one, else from a bitmap with four bytes a point.</summary>
    private static byte[]? Png(byte[] picture)
    {
        if (picture is [0x89, (byte)'P', (byte)'N', (byte)'G', ..])
        {
            return picture;
        }

        if (picture.Length < 40 || BinaryPrimitives.ReadInt32LittleEndian(picture) != 40 || BinaryPrimitives.ReadUInt16LittleEndian(picture.AsSpan(14)) != 32)
        {
            return null;
        }

        var (width, height) = (BinaryPrimitives.ReadInt32LittleEndian(picture.AsSpan(4)), BinaryPrimitives.ReadInt32LittleEndian(picture.AsSpan(8)) / 2);
        if (width is < 1 or > 256 || height is < 1 or > 256 || 40 + (width * height * 4) > picture.Length)
        {
            return null;
        }

        var lines = new byte[height * ((width * 4) + 1)];
        for (var y = 0; y < height; y++)
        {
            for (var x = 0; x < width; x++)
            {
                var (from, to) = (40 + ((((height - 1 - y) * width) + x) * 4), (y * ((width * 4) + 1)) + 1 + (x * 4));
                (lines[to], lines[to + 1], lines[to + 2], lines[to + 3]) = (picture[from + 2], picture[from + 1], picture[from], picture[from + 3]);
            }
        }

        using var packed = new MemoryStream();
        using (var deflate = new ZLibStream(packed, CompressionLevel.SmallestSize, leaveOpen: true))
        {
            deflate.Write(lines);
        }

        var header = new byte[13];
        BinaryPrimitives.WriteInt32BigEndian(header, width);
        BinaryPrimitives.WriteInt32BigEndian(header.AsSpan(4), height);
        (header[8], header[9]) = (8, 6);
        return [0x89, (byte)'P', (byte)'N', (byte)'G', 13, 10, 26, 10, .. Chunk("IHDR"u8, header), .. Chunk("IDAT"u8, packed.ToArray()), .. Chunk(
            "IEND"u8, [])];
    }

    private static byte[] Chunk(ReadOnlySpan<byte> name, byte[] data)
    {
        var chunk = new byte[12 + data.Length];
        BinaryPrimitives.WriteInt32BigEndian(chunk, data.Length);
        name.CopyTo(chunk.AsSpan(4));
        data.CopyTo(chunk.AsSpan(8));
        BinaryPrimitives.WriteUInt32BigEndian(chunk.AsSpan(8 + data.Length), Checksum(chunk.AsSpan(4, 4 + data.Length)));
        return chunk;
    }

    /// <summary>The checksum of a chunk (PNG specification, annex D).</summary>
    private static uint Checksum(ReadOnlySpan<byte> data)
    {
        var sum = uint.MaxValue;
        foreach (var each in data)
        {
            sum ^= each;
            for (var bit = 0; bit < 8; bit++)
            {
                sum = (sum & 1) != 0 ? (sum >> 1) ^ 0xEDB88320 : sum >> 1;
            }
        }

        return ~sum;
    }
}
