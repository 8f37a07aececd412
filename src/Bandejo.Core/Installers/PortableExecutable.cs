using System.Text;

namespace Bandejo.Core.Installers;

/// <summary>A Windows program file (Microsoft's published PE format): headers, resources, and what is appended behind its sections.</summary>
internal sealed class PortableExecutable
{
    private const int MaxResources = 20_000;

    private readonly Window _file;
    private readonly List<(string Name, uint Virtual, uint VirtualSize, uint At, uint Size)> _sections = [];
    private readonly (uint At, uint Size)[] _directories;

    /// <exception cref="BrokenFileException">It is not in the form.</exception>
    public PortableExecutable(Window file)
    {
        _file = file;
        var at = (long)file.U32(60);
        if (!file.Has(at, "PE\0\0"u8))
        {
            throw new BrokenFileException("it begins like a Windows program, and has no header of one (a program for DOS, perhaps)");
        }

        Machine = file.U16(at + 4);
        var (sections, optional) = (file.U16(at + 6), at + 24);
        var optionalSize = file.U16(at + 20);
        IsDll = (file.U16(at + 22) & 0x2000) != 0;
        var isWide = file.U16(optional) == 0x20B;
        IsForTerminal = file.U16(optional + 68) == 3;
        var count = Math.Min(16, file.U32(optional + (isWide ? 108 : 92)));
        _directories = new (uint, uint)[16];
        for (var i = 0; i < count && (isWide ? 112 : 96) + (i * 8) + 8 <= optionalSize; i++)
        {
            var place = optional + (isWide ? 112 : 96) + (i * 8);
            _directories[i] = (file.U32(place), file.U32(place + 4));
        }

        var end = optional + optionalSize + (sections * 40L);
        for (var i = 0; i < Math.Min(sections, (ushort)96); i++)
        {
            var place = optional + optionalSize + (i * 40);
            var name = Encoding.ASCII.GetString(file.Bytes(place, 8)).TrimEnd('\0');
            var section = (name, file.U32(place + 12), file.U32(place + 8), file.U32(place + 20), file.U32(place + 16));
            _sections.Add(section);
            end = Math.Max(end, section.Item5 == 0 ? 0 : (long)section.Item4 + section.Item5);
        }

        OverlayAt = Math.Min(end, file.Length);
        var signature = _directories[4];
        OverlayEnd = signature is { At: > 0, Size: > 0 } && signature.At >= OverlayAt && signature.At <= file.Length ? signature.At : file.Length;
    }

    public ushort Machine { get; }

    public bool IsDll { get; }

    /// <summary>It runs in a terminal; false for one with windows.</summary>
    public bool IsForTerminal { get; }

    /// <summary>Where what is appended begins, and where it ends: before the signature.</summary>
    public long OverlayAt { get; }

    public long OverlayEnd { get; }

    public IEnumerable<string> Sections => _sections.Select(section => section.Name);

    /// <summary>x64, x86 or arm64; null for another.</summary>
    public string? Architecture => Machine switch { 0x8664 => "x64", 0x14C => "x86", 0xAA64 => "arm64", _ => null };

    /// <summary>It is a program of .NET, whose header says x86 even where it runs on anything.</summary>
    public bool IsManaged => _directories[14].Size > 0;

    /// <summary>
    /// It is a program of .NET that runs on any architecture: code of no processor alone, and not bound to 32 bits (ECMA-335, II.25.3.3.1; the bit 0x20000
    /// beside the one for
    /// 32 bits only prefers them).
    /// </summary>
    public bool RunsAnywhere
    {
        get
        {
            if (!IsManaged || Place(_directories[14].At) is not { } header)
            {
                return false;
            }

            var flags = _file.U32(header + 16);
            return (flags & 1) != 0 && ((flags & 2) == 0 || (flags & 0x20000) != 0);
        }
    }

    /// <summary>The bytes of the signature (PKCS #7); empty for none.</summary>
    public byte[] Signature()
    {
        var (at, size) = _directories[4];
        return at == 0 || size < 16 || at > _file.Length - 8 ? [] : _file.Some(at + 8, (int)Math.Min(Math.Min(_file.U32(at), size) - 8, 1 << 20));
    }

    /// <summary>The resources of a type, with their names or numbers.</summary>
    /// <param name="type">16 version, 24 manifest, 14 group of icons, 3 icon, 10 data.</param>
    public IEnumerable<(uint Id, long At, uint Size)> Resources(uint type)
    {
        var (root, size) = _directories[2];
        if (size == 0 || Place(root) is not { } start)
        {
            yield break;
        }

        var left = MaxResources;
        foreach (var (id, at) in Entries(start, start))
        {
            if (id != type || (at & 0x80000000) == 0)
            {
                continue;
            }

            foreach (var (name, under) in Entries(start, start + (at & 0x7FFFFFFF)))
            {
                var leaves = (under & 0x80000000) != 0
                    ? Entries(start, start + (under & 0x7FFFFFFF)).Select(each => each.At).Where(each => (each & 0x80000000) == 0)
                    : [under];
                foreach (var leaf in leaves)
                {
                    if (--left < 0)
                    {
                        throw new BrokenFileException("it has more resources than make sense");
                    }

                    if (Place(_file.U32(start + leaf)) is { } data)
                    {
                        yield return (name, data, _file.U32(start + leaf + 4));
                    }
                }
            }
        }
    }

    private IEnumerable<(uint Id, uint At)> Entries(long root, long directory)
    {
        if (directory < root)
        {
            yield break;
        }

        var count = _file.U16(directory + 12) + _file.U16(directory + 14);
        for (var i = 0; i < Math.Min(count, 4096); i++)
        {
            _file.Budget.Entry();
            yield return (_file.U32(directory + 16 + (i * 8)), _file.U32(directory + 20 + (i * 8)));
        }
    }

    private long? Place(uint address)
    {
        foreach (var section in _sections)
        {
            if (address >= section.Virtual && address - section.Virtual < Math.Max(section.VirtualSize, section.Size))
            {
                return (long)section.At + (address - section.Virtual);
            }
        }

        return null;
    }
}
