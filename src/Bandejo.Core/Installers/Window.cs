using System.Buffers.Binary;

namespace Bandejo.Core.Installers;

/// <summary>A file is not what it says it is: cut short, contradicting itself, or larger inside than can be.</summary>
internal sealed class BrokenFileException(string message) : Exception(message);

/// <summary>Part of a file, read wherever one likes; no read goes past its end, and little is in memory at a time.</summary>
internal sealed class Window
{
    private const int PageSize = 64 * 1024;

    private readonly Stream _stream;
    private readonly long _start;
    private byte[]? _page;
    private long _pageAt = -1;
    private int _pageLength;

    /// <param name="stream">Can be sought in.</param>
    /// <param name="budget">What reading it may cost.</param>
    public Window(Stream stream, ReadingBudget budget) : this(stream, 0, stream.Length, budget)
    {
    }

    private Window(Stream stream, long start, long length, ReadingBudget budget)
    {
        Budget = budget;
        _stream = stream;
        _start = start;
        Length = length;
    }

    public long Length { get; }

    /// <summary>What reading may still cost.</summary>
    public ReadingBudget Budget { get; }

    public byte U8(long at) => Span(at, 1)[0];

    public ushort U16(long at) => BinaryPrimitives.ReadUInt16LittleEndian(Span(at, 2));

    public uint U32(long at) => BinaryPrimitives.ReadUInt32LittleEndian(Span(at, 4));

    public ulong U64(long at) => BinaryPrimitives.ReadUInt64LittleEndian(Span(at, 8));

    /// <summary>Bytes at a place.</summary>
    /// <param name="limit">More than so many are a sign that the file is broken.</param>
    public byte[] Bytes(long at, long count, int limit = 64 << 20)
    {
        if (count < 0 || count > limit)
        {
            throw new BrokenFileException($"it asks for {count:N0} bytes at one place, where at most {limit:N0} make sense");
        }

        Bounds(at, count);
        Budget.Hold(count);
        var bytes = new byte[count];
        _stream.Position = _start + at;
        _stream.ReadExactly(bytes);
        return bytes;
    }

    /// <summary>As many bytes as there are from a place on, at most so many.</summary>
    public byte[] Some(long at, int most) => at < 0 || at >= Length ? [] : Bytes(at, Math.Min(most, Length - at));

    public bool Has(long at, ReadOnlySpan<byte> bytes) => at >= 0 && at + bytes.Length <= Length && Span(at, bytes.Length).SequenceEqual(bytes);

    /// <summary>The part from a place on.</summary>
    public Window Part(long at, long length)
    {
        Bounds(at, length);
        return new Window(_stream, _start + at, length, Budget);
    }

    /// <summary>A stream over it.</summary>
    public Stream Open() => new Reading(this);

    /// <summary>Where bytes first stand in a range; -1 where they do not.</summary>
    public long Find(ReadOnlySpan<byte> bytes, long from, long to)
    {
        to = Math.Min(to, Length);
        var buffer = new byte[1 << 20];
        var at = Math.Max(0, from);
        while (at + bytes.Length <= to)
        {
            Budget.Step();
            var read = (int)Math.Min(buffer.Length, to - at);
            _stream.Position = _start + at;
            _stream.ReadExactly(buffer, 0, read);
            var found = buffer.AsSpan(0, read).IndexOf(bytes);
            if (found >= 0)
            {
                return at + found;
            }

            if (at + read >= to)
            {
                break;
            }

            at += read - bytes.Length + 1;
        }

        return -1;
    }

    /// <summary>A few bytes by way of the page that was read last; good until the next call.</summary>
    private ReadOnlySpan<byte> Span(long at, int count)
    {
        Bounds(at, count);
        Budget.Step();
        if (_page is null || _pageAt < 0 || at < _pageAt || at + count > _pageAt + _pageLength)
        {
            _pageAt = at / 4096 * 4096;
            _pageLength = (int)Math.Min(PageSize, Length - _pageAt);
            _stream.Position = _start + _pageAt;
            _stream.ReadExactly(_page ??= new byte[PageSize], 0, _pageLength);
        }

        return _page.AsSpan((int)(at - _pageAt), count);
    }

    private void Bounds(long at, long count)
    {
        if (at < 0 || count < 0 || at > Length - count)
        {
            throw new BrokenFileException($"it refers to byte {at:N0}, and has {Length:N0}");
        }
    }

    private sealed class Reading(Window window) : Stream
    {
        public override bool CanRead => true;

        public override bool CanSeek => true;

        public override bool CanWrite => false;

        public override long Length => window.Length;

        public override long Position { get; set; }

        public override int Read(Span<byte> buffer)
        {
            window.Budget.Step();
            var count = (int)Math.Min(buffer.Length, Math.Max(0, window.Length - Position));
            window._stream.Position = window._start + Position;
            var read = window._stream.Read(buffer[..count]);
            Position += read;
            return read;
        }

        public override int Read(byte[] buffer, int offset, int count) => Read(buffer.AsSpan(offset, count));

        public override long Seek(long offset, SeekOrigin origin) =>
            Position = origin switch { SeekOrigin.Begin => offset, SeekOrigin.Current => Position + offset, _ => Length + offset };

        public override void Flush()
        {
        }

        public override void SetLength(long value) => throw new NotSupportedException();

        public override void Write(byte[] buffer, int offset, int count) => throw new NotSupportedException();
    }
}
