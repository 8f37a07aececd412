using System.Text;

namespace Bandejo.Core.Installers;

/// <summary>A file in a ZIP archive.</summary>
internal sealed record ZipFile(string Path, long Size, long Packed, int Method, long HeaderAt, bool IsEncrypted);

/// <summary>The directory at the end of a ZIP archive (PKWARE's published format, with its 64-bit form).</summary>
internal sealed class ZipDirectory
{
    private const int MaxFiles = 500_000;
    private const int MaxUnpacked = 16 << 20;

    private readonly Window _file;
    private readonly long _shift;
    private readonly (long At, long Size, long Count) _directory;

    /// <exception cref="BrokenFileException">It is not in the form.</exception>
    public ZipDirectory(Window file)
    {
        _file = file;
        var tail = file.Some(Math.Max(0, file.Length - 66_000), 66_000);
        var end = tail.AsSpan().LastIndexOf("PK\x05\x06"u8);
        if (end < 0 || end + 22 > tail.Length)
        {
            throw new BrokenFileException("it has no directory at its end, so it is no whole ZIP archive");
        }

        var at = Math.Max(0, file.Length - 66_000) + end;
        long count = file.U16(at + 10), size = file.U32(at + 12), start = file.U32(at + 16);
        if (at >= 20 && file.Has(at - 20, "PK\x06\x07"u8))
        {
            var wide = (long)file.U64(at - 12);
            if (file.Has(wide, "PK\x06\x06"u8))
            {
                (count, size, start, at) = ((long)file.U64(wide + 32), (long)file.U64(wide + 40), (long)file.U64(wide + 48), wide);
            }
        }

        // What stands before the archive, such as a program that unpacks it, is not counted in its offsets.
        _shift = at - size - start;
        if (size < 0 || start < 0 || _shift < 0 || count < 0)
        {
            throw new BrokenFileException("its directory lies outside of it");
        }

        _directory = (start + _shift, size, count);
    }

    /// <summary>The files, in the order of the directory.</summary>
    public IEnumerable<ZipFile> Files()
    {
        var (at, size, count) = _directory;
        var end = at + size;
        for (var i = 0L; i < count && at + 46 <= end; i++)
        {
            _file.Budget.Entry();
            if (i >= MaxFiles)
            {
                throw new BrokenFileException($"it lists more than {MaxFiles:N0} files");
            }

            if (!_file.Has(at, "PK\x01\x02"u8))
            {
                throw new BrokenFileException("its directory is damaged");
            }

            var (flags, method) = (_file.U16(at + 8), _file.U16(at + 10));
            var (packed, unpacked) = ((long)_file.U32(at + 20), (long)_file.U32(at + 24));
            var (nameLength, extraLength, commentLength) = (_file.U16(at + 28), _file.U16(at + 30), _file.U16(at + 32));
            var header = (long)_file.U32(at + 42);
            var bytes = _file.Bytes(at + 46, nameLength);
            var name = (flags & 0x800) != 0 || bytes.All(each => each < 128) ? Encoding.UTF8.GetString(bytes) : DatabaseTables.EncodingOf(437).GetString(bytes);
            Widen(at + 46 + nameLength, extraLength, ref unpacked, ref packed, ref header);
            yield return new ZipFile(name, unpacked, packed, method, header + _shift, (flags & 1) != 0);
            at += 46 + nameLength + extraLength + commentLength;
        }
    }

    /// <summary>The first file of a name; null for none.</summary>
    public ZipFile? Find(string path) => Files().FirstOrDefault(file => file.Path == path);

    /// <summary>A small file's content.</summary>
    /// <exception cref="BrokenFileException">It is damaged, encrypted, or larger than 16 MiB.</exception>
    public byte[] Read(ZipFile file)
    {
        using var content = Open(file);
        return Unpacking.All(content, MaxUnpacked, file.Path, _file.Budget);
    }

    /// <summary>A file's content; how long it really is, only reading shows.</summary>
    /// <exception cref="BrokenFileException">It is damaged or encrypted.</exception>
    public Stream Open(ZipFile file)
    {
        if (file.IsEncrypted)
        {
            throw new BrokenFileException($"'{file.Path}' inside is encrypted");
        }

        if (!_file.Has(file.HeaderAt, "PK\x03\x04"u8))
        {
            throw new BrokenFileException($"'{file.Path}' is not where its directory says");
        }

        var data = file.HeaderAt + 30 + _file.U16(file.HeaderAt + 26) + _file.U16(file.HeaderAt + 28);
        var how = file.Method switch
        {
            0 => null, 8 => "deflate", _ => throw new BrokenFileException($"'{file.Path}' is packed in a way that is not read here"),
        };
        return Unpacking.Open(_file.Part(data, file.Packed).Open(), how, _file.Budget);
    }

    private void Widen(long at, int length, ref long unpacked, ref long packed, ref long header)
    {
        for (var end = at + length; at + 4 <= end; at += 4 + _file.U16(at + 2))
        {
            if (_file.U16(at) != 1)
            {
                continue;
            }

            var place = at + 4;
            foreach (var which in new[] { 0, 1, 2 })
            {
                var value = which == 0 ? unpacked : which == 1 ? packed : header;
                if (value == uint.MaxValue && place + 8 <= end)
                {
                    var wide = (long)Math.Min(_file.U64(place), long.MaxValue / 4);
                    (unpacked, packed, header) = which switch { 0 => (wide, packed, header), 1 => (unpacked, wide, header), _ => (unpacked, packed, wide) };
                    place += 8;
                }
            }
        }
    }
}
