using System.Buffers.Binary;
using System.Text;

namespace Bandejo.Store;

/// <summary>
/// Writes the parts of <see cref="CompactForm"/> one after the other, as <see cref="BinaryWriter"/> would: numbers in seven bits a byte, the lowest first, the
/// high bit of each but the last set; texts as UTF-8 after the number of their bytes; fixed numbers with the lowest byte first. The buffer is used again.
/// </summary>
internal sealed class FormWriter(int room = 256)
{
    /// <summary>The most bytes that a character of a string takes in UTF-8.</summary>
    private const int MostOfCharacter = 3;

    private byte[] _buffer = new byte[room];

    /// <summary>How many bytes were written.</summary>
    public int Length { get; private set; }

    /// <summary>What was written; good until more is.</summary>
    public ReadOnlyMemory<byte> Written => _buffer.AsMemory(0, Length);

    public void Clear() => Length = 0;

    public void Byte(byte value) => Room(1)[Length++] = value;

    public void Number(int value) => Length += Number(Room(5).AsSpan(Length), (uint)value);

    public void Number(long value) => Length += Number(Room(10).AsSpan(Length), (ulong)value);

    /// <summary>A number in four bytes.</summary>
    public void Fixed(int value)
    {
        BinaryPrimitives.WriteInt32LittleEndian(Room(sizeof(int)).AsSpan(Length), value);
        Length += sizeof(int);
    }

    /// <summary>A number in eight bytes.</summary>
    public void Fixed(long value)
    {
        BinaryPrimitives.WriteInt64LittleEndian(Room(sizeof(long)).AsSpan(Length), value);
        Length += sizeof(long);
    }

    public void Text(string text)
    {
        // Most texts are so short that their length takes one byte, whatever is in them.
        if (text.Length * MostOfCharacter < 0x80)
        {
            var room = Room(1 + (text.Length * MostOfCharacter)).AsSpan(Length);
            var length = Encoding.UTF8.GetBytes(text, room[1..]);
            room[0] = (byte)length;
            Length += 1 + length;
            return;
        }

        var bytes = Encoding.UTF8.GetByteCount(text);
        Number(bytes);
        Length += Encoding.UTF8.GetBytes(text, Room(bytes).AsSpan(Length));
    }

    private static int Number(Span<byte> to, ulong value)
    {
        var at = 0;
        for (; value >= 0x80; value >>= 7)
        {
            to[at++] = (byte)(value | 0x80);
        }

        to[at++] = (byte)value;
        return at;
    }

    /// <summary>The buffer, with room for so many bytes more.</summary>
    private byte[] Room(int more)
    {
        if (_buffer.Length - Length < more)
        {
            Array.Resize(ref _buffer, Math.Max(Length + more, _buffer.Length * 2));
        }

        return _buffer;
    }
}
