using System.Globalization;
using System.Text;

namespace Bandejo.Core.Installers;

/// <summary>Reads tar archives (POSIX.1 ustar and pax, and the long names of GNU tar) from a stream, once and forwards.</summary>
internal static class TarReading
{
    private const int Block = 512;
    private const int MaxName = 64 * 1024;

    /// <summary>Archives are filled up to the size of a record, 10 KiB unless somebody chose more.</summary>
    private const int MostPadding = 4 << 20;

    /// <summary>Whether a block is the head of a file in a tar archive.</summary>
    public static bool IsHead(ReadOnlySpan<byte> block) => block.Length >= Block && block[0] != 0 && Sum(block) == Number(block.Slice(148, 8));

    /// <summary>Its files, each with its content, which is good until the next is asked for.</summary>
    /// <exception cref="BrokenFileException">It is not in the form.</exception>
    public static IEnumerable<(string Path, long Size, char Kind, string Link, Stream Content)> Files(Stream archive, ReadingBudget budget)
    {
        var block = new byte[Block];
        string? longName = null, longLink = null;
        byte[]? buffer = null;
        while (Fill(archive, block))
        {
            budget.Entry();
            if (Array.TrueForAll(block, each => each == 0))
            {
                Drain(archive);
                yield break;
            }

            if (Sum(block) != Number(block.AsSpan(148, 8)))
            {
                throw new BrokenFileException("a file in its tar archive has a damaged head");
            }

            var size = Number(block.AsSpan(124, 12));
            if (size < 0)
            {
                throw new BrokenFileException("a file in its tar archive has a size that cannot be");
            }

            var kind = (char)block[156];
            var rest = size + ((Block - (size % Block)) % Block);
            if (kind is 'L' or 'K' or 'x')
            {
                var text = Encoding.UTF8.GetString(Take(archive, size, budget)).TrimEnd('\0');
                Skip(archive, rest - size, ref buffer);
                (
                    longName,
                    longLink)
                    = kind switch
                    {
                        'L' => (text, longLink), 'K' => (longName, text), _ => (Record(text, "path") ?? longName, Record(text, "linkpath") ?? longLink),
                    };
                continue;
            }

            var name = longName ?? Name(block);
            using var content = new Bounded(archive, size);
            if (kind != 'g')
            {
                yield return (name, size, kind == '\0' ? '0' : kind, longLink ?? Text(block.AsSpan(157, 100)), content);
                (longName, longLink) = (null, null);
            }

            Skip(archive, rest - content.Position, ref buffer);
        }

        throw new BrokenFileException("its tar archive has no end, so it is cut short");
    }

    private static string Name(byte[] block)
    {
        var prefix = block.AsSpan(257, 5).SequenceEqual("ustar"u8) ? Text(block.AsSpan(345, 155)) : "";
        var name = Text(block.AsSpan(0, 100));
        return prefix.Length > 0 ? $"{prefix}/{name}" : name;
    }

    private static string Text(ReadOnlySpan<byte> bytes) => Encoding.UTF8.GetString(bytes.IndexOf((byte)0) is >= 0 and var end ? bytes[..end] : bytes);

    /// <summary>A pax record: "length key=value" and a line's end.</summary>
    private static string? Record(string text, string key) =>
        text.Split('\n').Select(line => line[(line.IndexOf(' ', StringComparison.Ordinal) + 1)..])
            .FirstOrDefault(line => line.StartsWith(key + "=", StringComparison.Ordinal))?[(key.Length + 1)..];

    /// <summary>An octal number, or one in base 256 where the first bit is set.</summary>
    private static long Number(ReadOnlySpan<byte> field)
    {
        var number = 0L;
        if ((field[0] & 0x80) != 0)
        {
            foreach (var each in field[^8..])
            {
                number = (number << 8) | each;
            }

            return number & long.MaxValue;
        }

        foreach (var each in field)
        {
            if (each is >= (byte)'0' and <= (byte)'7')
            {
                number = (number << 3) | (uint)(each - '0');
            }
            else if (each is not ((byte)' ' or 0))
            {
                return -1;
            }
        }

        return number;
    }

    private static long Sum(ReadOnlySpan<byte> block)
    {
        var sum = 8L * ' ';
        for (var i = 0; i < Block; i++)
        {
            sum += i is >= 148 and < 156 ? 0 : block[i];
        }

        return sum;
    }

    private static bool Fill(Stream archive, byte[] block)
    {
        var read = archive.ReadAtLeast(block, Block, throwOnEndOfStream: false);
        return read == Block || (read == 0 ? false : throw new BrokenFileException("its tar archive is cut short"));
    }

    private static byte[] Take(Stream archive, long size, ReadingBudget budget)
    {
        if (size > MaxName)
        {
            throw new BrokenFileException(string.Create(CultureInfo.InvariantCulture, $"a name in its tar archive has {size} bytes"));
        }

        budget.Hold(3 * size);
        var bytes = new byte[size];
        return archive.ReadAtLeast(bytes, (int)size, throwOnEndOfStream: false) == size ? bytes : throw new BrokenFileException("its tar archive is cut short");
    }

    /// <summary>Reads what stands behind the end: the checksum by which an unpacker knows that all was there.</summary>
    private static void Drain(Stream archive)
    {
        var buffer = new byte[64 * 1024];
        for (var left = MostPadding; left > 0 && archive.Read(buffer) is > 0 and var read; left -= read)
        {
            // Padding, and nothing to look at.
        }
    }

    /// <param name="buffer">Room to read into, made once where it is needed.</param>
    private static void Skip(Stream archive, long count, ref byte[]? buffer)
    {
        if (archive.CanSeek)
        {
            archive.Position = count <= archive.Length - archive.Position
                ? archive.Position + count
                : throw new BrokenFileException("its tar archive is cut short");
            return;
        }

        while (count > 0)
        {
            buffer ??= new byte[64 * 1024];
            var read = archive.Read(buffer, 0, (int)Math.Min(buffer.Length, count));
            count -= read > 0 ? read : throw new BrokenFileException("its tar archive is cut short");
        }
    }

    /// <summary>The content of one file; its position says how much was taken.</summary>
    private sealed class Bounded(Stream archive, long length) : Stream
    {
        public override bool CanRead => true;

        public override bool CanSeek => false;

        public override bool CanWrite => false;

        public override long Length => length;

        public override long Position { get; set; }

        public override int Read(byte[] buffer, int offset, int count)
        {
            var read = archive.Read(buffer, offset, (int)Math.Min(count, length - Position));
            Position += read;
            return read;
        }

        public override void Flush()
        {
        }

        public override long Seek(long offset, SeekOrigin origin) => throw new NotSupportedException();

        public override void SetLength(long value) => throw new NotSupportedException();

        public override void Write(byte[] buffer, int offset, int count) => throw new NotSupportedException();
    }
}
