using System.Text;

namespace Bandejo.Core.Installers;

/// <summary>Reads compound files (Microsoft's published [MS-CFB]): a small file system of streams in one file.</summary>
internal sealed class CompoundFile
{
    private const uint LastSector = 0xFFFFFFFA;
    private const int MaxEntries = 100_000;
    private const int Largest = 64 << 20;

    private readonly Window _file;
    private readonly int _sector;
    private readonly int _miniSector;
    private readonly uint _miniCutoff;
    private readonly List<uint> _fat = [];
    private readonly List<uint> _miniFat = [];
    private readonly List<uint> _miniStream = [];
    private readonly Dictionary<string, (uint Start, long Size)> _streams = new(StringComparer.Ordinal);
    private uint _miniStart;

    public static ReadOnlySpan<byte> Signature => [0xD0, 0xCF, 0x11, 0xE0, 0xA1, 0xB1, 0x1A, 0xE1];

    /// <exception cref="BrokenFileException">It is not in the form.</exception>
    public CompoundFile(Window file)
    {
        _file = file;
        var (shift, miniShift) = (file.U16(30), file.U16(32));
        if (shift is not (9 or 12) || miniShift != 6)
        {
            throw new BrokenFileException("its sectors have a size that no compound file has");
        }

        _sector = 1 << shift;
        _miniSector = 1 << miniShift;
        _miniCutoff = file.U32(56);
        ReadFat();
        Chain(file.U32(60), (file.Length / _sector) + 1, _miniFat);
        ReadDirectory(file.U32(48));
    }

    /// <summary>What reading may still cost.</summary>
    public ReadingBudget Budget => _file.Budget;

    /// <summary>The streams right below the root, by name.</summary>
    public IReadOnlyDictionary<string, (uint Start, long Size)> Streams => _streams;

    /// <summary>The names of the storages right below the root.</summary>
    public List<string> Storages { get; } = [];

    /// <summary>A stream's content; empty where there is none of the name.</summary>
    public byte[] Read(string name) =>
        !_streams.TryGetValue(name, out var stream) ? []
            : stream.Size <= Largest ? Content(stream, (int)stream.Size)
            : throw new BrokenFileException($"a table in it would have {stream.Size:N0} bytes");

    /// <summary>The beginning of a stream, at most so many bytes; empty where there is none of the name.</summary>
    public byte[] Head(string name, int most) => _streams.TryGetValue(name, out var stream) ? Content(stream, (int)Math.Min(stream.Size, most)) : [];

    private byte[] Content((uint Start, long Size) stream, int size)
    {
        if (size > _file.Length)
        {
            throw new BrokenFileException("a stream in it is longer than the file");
        }

        Budget.Hold(size);
        var content = new byte[size];
        var isMini = stream.Size < _miniCutoff;
        var (at, sector, step) = (0, stream.Start, isMini ? _miniSector : _sector);
        while (at < size)
        {
            var count = Math.Min(step, size - at);
            var place = isMini ? MiniPlace(sector) : Place(sector);
            _file.Bytes(place, count).CopyTo(content, at);
            at += count;
            if (at < size)
            {
                sector = Next(isMini ? _miniFat : _fat, sector);
            }
        }

        return content;
    }

    private long Place(uint sector) =>
        sector < LastSector ? ((long)sector + 1) * _sector : throw new BrokenFileException("a chain of sectors in it ends too early");

    /// <summary>The sector after one, by the table whose sectors are listed.</summary>
    private uint Next(List<uint> table, uint sector)
    {
        var inSector = (uint)_sector / 4;
        var index = sector / inSector;
        return index < table.Count
            ? _file.U32(Place(table[(int)index]) + (sector % inSector * 4))
            : throw new BrokenFileException("a chain of sectors in it leads outside");
    }

    private long MiniPlace(uint sector)
    {
        if (_miniStream.Count == 0)
        {
            Chain(_miniStart, (_file.Length / _sector) + 1, _miniStream);
        }

        var at = (long)sector * _miniSector;
        var index = at / _sector;
        return index < _miniStream.Count
            ? Place(_miniStream[(int)index]) + (at % _sector)
            : throw new BrokenFileException("a small stream in it leads outside");
    }

    private void Chain(uint sector, long most, List<uint> sectors)
    {
        while (sector < LastSector)
        {
            if (sectors.Count >= most)
            {
                throw new BrokenFileException("a chain of sectors in it runs in a circle");
            }

            Budget.Hold(4);
            sectors.Add(sector);
            sector = Next(_fat, sector);
        }
    }

    private void ReadFat()
    {
        var count = _file.U32(44);
        var most = (_file.Length / _sector) + 1;
        if (count > most)
        {
            throw new BrokenFileException("it has more sectors of directory than sectors");
        }

        for (var i = 0; i < 109 && _fat.Count < count; i++)
        {
            _fat.Add(_file.U32(76 + (i * 4)));
        }

        var (next, seen) = (_file.U32(68), 0L);
        while (_fat.Count < count && next < LastSector)
        {
            if (++seen > most)
            {
                throw new BrokenFileException("its directory of sectors runs in a circle");
            }

            var place = Place(next);
            for (var i = 0; i < (_sector / 4) - 1 && _fat.Count < count; i++)
            {
                _fat.Add(_file.U32(place + (i * 4)));
            }

            next = _file.U32(place + _sector - 4);
        }

        // What is in use must be there; the last sector alone may be short.
        var whole = (_file.Length - 1) / _sector;
        for (var sector = whole; sector < (long)_fat.Count * (_sector / 4); sector++)
        {
            if (Next(_fat, (uint)sector) != 0xFFFFFFFF)
            {
                throw new BrokenFileException("it is cut short: sectors that it uses are not there");
            }
        }
    }

    private void ReadDirectory(uint first)
    {
        var sectors = new List<uint>();
        Chain(first, Math.Min((_file.Length / _sector) + 1, MaxEntries), sectors);
        if (sectors.Count == 0)
        {
            throw new BrokenFileException("it has no directory");
        }

        long Entry(uint number) => number / (uint)(_sector / 128) is var sector && sector < sectors.Count
            ? Place(sectors[(int)sector]) + (number % (uint)(_sector / 128) * 128)
            : throw new BrokenFileException("its directory leads outside");

        _miniStart = _file.U32(Entry(0) + 116);
        var waiting = new Stack<uint>([_file.U32(Entry(0) + 76)]);
        var seen = new HashSet<uint>();
        while (waiting.TryPop(out var number))
        {
            if (number >= LastSector || !seen.Add(number))
            {
                continue;
            }

            Budget.Entry(200);
            var at = Entry(number);
            waiting.Push(_file.U32(at + 68));
            waiting.Push(_file.U32(at + 72));
            var length = Math.Clamp(_file.U16(at + 64) - 2, 0, 62);
            var name = Encoding.Unicode.GetString(_file.Bytes(at, length));
            var size = _sector == 512 ? _file.U32(at + 120) : (long)Math.Min(_file.U64(at + 120), long.MaxValue);
            switch (_file.U8(at + 66))
            {
                case 1:
                    Storages.Add(name);
                    break;
                case 2:
                    _streams[name] = (_file.U32(at + 116), size);
                    break;
            }
        }
    }
}
