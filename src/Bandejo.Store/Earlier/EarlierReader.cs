using System.Buffers.Binary;
using System.Text;

namespace Bandejo.Store.Earlier;

/// <summary>Reads what <see cref="BinaryWriter"/> wrote, part by part. What is cut short is an <see cref="EndOfStreamException"/>.</summary>
internal ref struct EarlierReader(ReadOnlySpan<byte> form)
{
    private readonly ReadOnlySpan<byte> _form = form;

    /// <summary>How many bytes were read.</summary>
    public int Position { get; private set; }

    public readonly bool IsAtEnd => Position == _form.Length;

    public byte Byte() => Take(1)[0];

    /// <exception cref="FormatException">It is larger than such a number can be.</exception>
    public int Number() => Bits(32) is var bits && bits <= uint.MaxValue ? (int)(uint)bits : throw TooLarge();

    /// <inheritdoc cref="Number"/>
    public long LongNumber() => (long)Bits(64);

    /// <summary>A number in four bytes.</summary>
    public int Fixed() => BinaryPrimitives.ReadInt32LittleEndian(Take(sizeof(int)));

    /// <summary>A number in eight bytes.</summary>
    public long LongFixed() => BinaryPrimitives.ReadInt64LittleEndian(Take(sizeof(long)));

    /// <param name="texts">Where many of them are equal, those that are held already.</param>
    public string Text(TextPool? texts = null) => texts is null ? Encoding.UTF8.GetString(Utf8()) : texts.Of(Utf8());

    /// <summary>A text as it stands there.</summary>
    public ReadOnlySpan<byte> Utf8() => Number() is >= 0 and var length ? Take(length) : throw TooLarge();

    private static FormatException TooLarge() => new("A kept number is larger than it can be.");

    private ulong Bits(int most)
    {
        ulong value = 0;
        for (var at = 0; at < most; at += 7)
        {
            var next = Byte();
            value |= (ulong)(next & 0x7f) << at;
            if (next < 0x80)
            {
                return value;
            }
        }

        throw TooLarge();
    }

    private ReadOnlySpan<byte> Take(int length)
    {
        if (length > _form.Length - Position)
        {
            throw new EndOfStreamException("It is cut short.");
        }

        var taken = _form.Slice(Position, length);
        Position += length;
        return taken;
    }
}
