using System.Buffers.Binary;
using System.Text;
using SharpCompress.Compressors.LZMA;

namespace Bandejo.Core.Installers;

/// <summary>
/// Lists 7z archives by the list at their end (7zFormat.txt of the public LZMA SDK). Only the list is unpacked, and no more of it than makes sense.
/// </summary>
internal static class SevenZipReader
{
    private const int MostList = 16 << 20;
    private const int MostParts = 1 << 20;

    private static readonly byte[] Lzma = [3, 1, 1];

    public static bool Is(ReadOnlySpan<byte> head) => head.StartsWith((ReadOnlySpan<byte>)[0x37, 0x7A, 0xBC, 0xAF, 0x27, 0x1C]);

    public static void Read(Window file, Draft draft)
    {
        draft.Kind = (InstallerKind.SevenZip, "7z archive");
        ZipReader.Unpacked(draft);
        var list = ListOf(file, Place((long)file.U64(12), 32), (long)file.U64(20));
        while (list.Number() is var kind && kind == 0x17)
        {
            list = Unpacked(file, list, draft);
            if (list.IsEmpty)
            {
                return;
            }
        }

        Files(list, draft, file.Budget);
    }

    private static long Place(long offset, long from) =>
        offset < 0 || offset > long.MaxValue - from ? throw new BrokenFileException("its list lies outside of it") : offset + from;

    private static Cursor ListOf(Window file, long at, long size) =>
        size is > 0 and <= MostList
            ? new Cursor(file.Bytes(at, size), file.Budget)
            : throw new BrokenFileException(size == 0 ? "it has no list of files" : $"its list would have {size:N0} bytes, which makes no sense");

    /// <summary>
    /// A list that is packed: where it stands, how, and how large it is, as a list of streams with exactly one. Empty where it is encrypted; that was told.
    /// </summary>
    private static Cursor Unpacked(Window file, Cursor list, Draft draft)
    {
        var streams = Streams(list);
        if (streams.Coders is not [var coder] || streams.Packed is not [var packed] || streams.Sizes is not [var size] || size > MostList)
        {
            draft.Warn("Its list of files is encrypted, or packed in a way that is not read here.");
            return Cursor.Empty;
        }

        var content = file.Part(Place(streams.At, 32), packed);
        if (coder.Id is [0])
        {
            return ListOf(file, Place(streams.At, 32), size);
        }

        if (!coder.Id.AsSpan().SequenceEqual(Lzma) || coder.Properties.Length != 5)
        {
            draft.Warn("Its list of files is encrypted, or packed in a way that is not read here.");
            return Cursor.Empty;
        }

        // A window larger than what comes out is never looked back into; it would only hold memory.
        BinaryPrimitives.WriteUInt32LittleEndian(coder.Properties.AsSpan(1), (uint)Math.Min(
            BinaryPrimitives.ReadUInt32LittleEndian(coder.Properties.AsSpan(1)), Math.Max(4096, size)));
        using var stream = Unpacking.Through(() => LzmaStream.Create(coder.Properties, content.Open(), packed, size), file.Budget);
        var bytes = Unpacking.All(stream, MostList, "its list", file.Budget);
        return bytes.Length == size ? new Cursor(bytes, file.Budget) : throw new BrokenFileException("its list is cut short");
    }

    private static void Files(Cursor list, Draft draft, ReadingBudget budget)
    {
        var streams = new StreamList([], [], [], [], 0);
        var kind = list.Number();
        if (kind == 2)
        {
            throw new BrokenFileException("its list has properties, which no archive has");
        }

        if (kind == 3)
        {
            Streams(list);
            kind = list.Number();
        }

        if (kind == 4)
        {
            streams = Streams(list);
            kind = list.Number();
        }

        if (kind != 5)
        {
            return;
        }

        var count = (int)Math.Min(list.Number(), MostParts);
        var (names, hasNoContent, isFile) = (new List<string>(), new HashSet<int>(), new HashSet<int>());
        for (long what; (what = list.Number()) != 0;)
        {
            var part = list.Part(list.Number());
            switch (what)
            {
                case 0x0E:
                    hasNoContent = Bits(part, count);
                    break;
                case 0x0F:
                    isFile = Bits(part, hasNoContent.Count);
                    break;
                case 0x11 when part.U8() == 0:
                    names = part.Names(count);
                    break;
            }
        }

        var (stream, empty) = (0, 0);
        for (var i = 0; i < names.Count; i++)
        {
            budget.Entry();
            if (!hasNoContent.Contains(i))
            {
                draft.Contains(names[i], stream < streams.Files.Count ? streams.Files[stream++] : 0);
            }
            else if (isFile.Contains(empty++))
            {
                draft.Contains(names[i], 0);
            }
        }
    }

    /// <summary>Where packed streams stand, what they are packed with, and how large what comes out of them is.</summary>
    private static StreamList Streams(Cursor list)
    {
        var at = 0L;
        var (packed, coders, outputs, files) = (new List<long>(), new List<Coder>(), new List<long>(), new List<long>());
        var counts = new List<int>();
        var folders = new List<(int Outputs, int Last)>();
        for (long what; (what = list.Number()) != 0;)
        {
            switch (what)
            {
                case 6:
                    at = list.Number();
                    var streams = list.Count(MostParts);
                    for (long inner; (inner = list.Number()) != 0;)
                    {
                        if (inner == 9)
                        {
                            packed.AddRange(Enumerable.Range(0, streams).Select(_ => list.Number()));
                        }
                        else
                        {
                            list.Digests(streams);
                        }
                    }

                    break;
                case 7:
                    if (list.Number() != 0x0B)
                    {
                        throw new BrokenFileException("its list does not say how it is packed");
                    }

                    var count = list.Count(MostParts);
                    if (list.U8() != 0)
                    {
                        throw new BrokenFileException("its list stands in a part of its own, which is not read here");
                    }

                    for (var i = 0; i < count; i++)
                    {
                        folders.Add(Folder(list, coders));
                    }

                    for (long inner; (inner = list.Number()) != 0;)
                    {
                        if (inner == 0x0C)
                        {
                            foreach (var (parts, last) in folders)
                            {
                                var sizes = Enumerable.Range(0, parts).Select(_ => list.Number()).ToList();
                                outputs.Add(sizes[last]);
                            }
                        }
                        else
                        {
                            list.Digests(folders.Count);
                        }
                    }

                    counts = [.. folders.Select(_ => 1)];
                    break;
                case 8:
                    Inside(list, counts, outputs, files);
                    break;
                default:
                    throw new BrokenFileException("its list has a part that no archive has");
            }
        }

        return new StreamList(packed, coders, outputs, files.Count > 0 ? files : outputs, at);
    }

    /// <summary>How many files each packed stream holds, and how large they are: the last of each is what remains.</summary>
    private static void Inside(Cursor list, List<int> counts, List<long> outputs, List<long> files)
    {
        var hasSizes = false;
        for (long inner; (inner = list.Number()) != 0;)
        {
            if (inner == 0x0D)
            {
                for (var i = 0; i < counts.Count; i++)
                {
                    counts[i] = list.Count(MostParts);
                }
            }
            else if (inner == 9)
            {
                hasSizes = true;
                for (var i = 0; i < counts.Count && i < outputs.Count; i++)
                {
                    var rest = outputs[i];
                    for (var j = 0; j < counts[i]; j++)
                    {
                        var size = j < counts[i] - 1 ? list.Number() : rest;
                        files.Add(size);
                        rest = Math.Max(0, rest - size);
                    }
                }
            }
            else
            {
                // Their digests; what each had before it says so for some. They are the last here, and nothing behind them is asked for.
                list.Digests(counts.Sum(count => Math.Min(count, MostParts)));
            }
        }

        if (!hasSizes)
        {
            files.AddRange(counts.Zip(outputs).Where(pair => pair.First > 0).Select(pair => pair.Second));
        }
    }

    private static (int Outputs, int Last) Folder(Cursor list, List<Coder> coders)
    {
        var (inputs, outputs) = (0, 0);
        var parts = list.Count(32);
        for (var i = 0; i < parts; i++)
        {
            var flags = list.U8();
            var id = list.Bytes(flags & 0x0F);
            var (takes, gives) = (flags & 0x10) != 0 ? (list.Count(32), list.Count(32)) : (1, 1);
            coders.Add(new Coder(id, (flags & 0x20) != 0 ? list.Bytes(list.Count(MostList)) : []));
            (inputs, outputs) = (inputs + takes, outputs + gives);
        }

        var bound = new HashSet<long>();
        for (var i = 0; i < outputs - 1; i++)
        {
            list.Number();
            bound.Add(list.Number());
        }

        for (var i = 0; inputs - (outputs - 1) is > 1 and var packed && i < packed; i++)
        {
            list.Number();
        }

        return (Math.Max(1, outputs), Enumerable.Range(0, Math.Max(1, outputs)).FirstOrDefault(index => !bound.Contains(index)));
    }

    private static HashSet<int> Bits(Cursor part, int count) => [.. Enumerable.Range(0, count).Where(i => part.Bit(i))];

    private sealed record Coder(byte[] Id, byte[] Properties);

    private sealed record StreamList(List<long> Packed, List<Coder> Coders, List<long> Sizes, List<long> Files, long At);

    /// <summary>A place in a list.</summary>
    private sealed class Cursor(ReadOnlyMemory<byte> bytes, ReadingBudget budget)
    {
        private int _at;

        public static Cursor Empty { get; } = new(ReadOnlyMemory<byte>.Empty, new ReadingBudget(TimeProvider.System));

        public bool IsEmpty => bytes.IsEmpty;

        public byte U8() => Bytes(1)[0];

        public byte[] Bytes(long count)
        {
            budget.Step();
            if (count < 0 || count > bytes.Length - _at)
            {
                throw new BrokenFileException("its list ends in the middle");
            }

            _at += (int)count;
            return bytes.Slice(_at - (int)count, (int)count).ToArray();
        }

        /// <summary>A number: the first byte's upper ones say how many bytes follow.</summary>
        public long Number()
        {
            var first = U8();
            var value = 0L;
            for (int i = 0, mask = 0x80; i < 8; i++, mask >>= 1)
            {
                if ((first & mask) == 0)
                {
                    return value | ((long)(first & (mask - 1)) << (8 * i));
                }

                value |= (long)U8() << (8 * i);
            }

            return value >= 0 ? value : throw new BrokenFileException("its list has a number that is too large");
        }

        /// <summary>A number of things, of which each takes at least a bit of the list.</summary>
        public int Count(int most) =>
            Number() is >= 0 and var count && count <= most ? (int)count : throw new BrokenFileException($"its list names more than {most:N0} parts of a kind");

        public Cursor Part(long size) => new(Bytes(size), budget);

        public bool Bit(int index) => index / 8 < bytes.Length && (bytes.Span[index / 8] & (0x80 >> (index % 8))) != 0;

        /// <summary>Steps over digests: for all, or for those that a row of bits marks.</summary>
        public void Digests(int count)
        {
            var all = U8() != 0;
            var marked = count;
            if (!all)
            {
                var bits = Part((count + 7) / 8);
                marked = Enumerable.Range(0, count).Count(bits.Bit);
            }

            Bytes(Math.Min(4L * marked, bytes.Length - _at));
        }

        public List<string> Names(int count)
        {
            var names = new List<string>();
            var rest = bytes.Span[_at..];
            while (names.Count < count && rest.Length >= 2)
            {
                budget.Step();
                var end = 0;
                while (end + 1 < rest.Length && (rest[end] | rest[end + 1]) != 0)
                {
                    end += 2;
                }

                names.Add(Encoding.Unicode.GetString(rest[..end]));
                rest = rest[Math.Min(rest.Length, end + 2)..];
            }

            return names;
        }
    }
}
