using System.Text;

namespace Bandejo.Core.Installers;

/// <summary>A file on a disc.</summary>
/// <param name="At">Where it begins in the image; its content stands there in one piece.</param>
internal sealed record DiscFile(string Path, long At, long Size);

/// <summary>
/// Lists images of discs (ISO 9660, ECMA-119), with long names where the disc has them (Joliet). What only a disc's other list (UDF) names is not seen,
/// and said.
/// </summary>
internal static class DiscReader
{
    private const int Sector = 2048;
    private const int First = 16;
    private const int MostDepth = 64;

    public static bool Is(Window file) => file.Has((First * Sector) + 1, "CD001"u8);

    public static void Read(Window file, Draft draft)
    {
        draft.Kind = (InstallerKind.Disc, "image of a disc (ISO 9660)");
        ZipReader.Unpacked(draft);
        var hasOther = false;
        for (var sector = First; sector < First + 32; sector++)
        {
            hasOther |= file.Has(((long)sector * Sector) + 1, "NSR0"u8);
        }

        foreach (var each in Files(file))
        {
            draft.Contains(each.Path, each.Size, () => file.Part(each.At, each.Size).Open());
        }

        // The size of the whole disc stands in its first description, in sectors.
        if (file.U32((First * Sector) + 80) is var sectors && sectors * (long)Sector > file.Length)
        {
            throw new BrokenFileException("it is cut short");
        }

        if (hasOther)
        {
            draft.Warn(
                "The disc has a second list (UDF), which may name more than stands below. Where a setup is missing, mount it, or unpack it (7z x FILE), "
                    + "and inspect the folder.");
        }
    }

    /// <summary>All files, folder by folder.</summary>
    public static IEnumerable<DiscFile> Files(Window file)
    {
        var (root, isLong) = Root(file);
        var folders = new Stack<(string Path, long At, long Size, int Depth)>([("", root.At, root.Size, 0)]);
        var seen = new HashSet<long>();
        while (folders.TryPop(out var folder))
        {
            // A folder that leads into itself would never end.
            if (folder.Depth > MostDepth || !seen.Add(folder.At))
            {
                continue;
            }

            foreach (var (name, at, size, isFolder) in Entries(file, folder.At, folder.Size, isLong))
            {
                file.Budget.Entry(name.Length * 2);
                if (isFolder)
                {
                    folders.Push(($"{folder.Path}{name}/", at, size, folder.Depth + 1));
                }
                else
                {
                    yield return new DiscFile(folder.Path + name, at, size);
                }
            }
        }
    }

    private static ((long At, long Size) Root, bool IsLong) Root(Window file)
    {
        ((long, long)? Plain, (long, long)? Long) found = (null, null);
        for (var sector = First; sector < First + 64; sector++)
        {
            var at = (long)sector * Sector;
            if (!file.Has(at + 1, "CD001"u8))
            {
                break;
            }

            var root = ((long)file.U32(at + 158) * Sector, (long)file.U32(at + 166));
            switch (file.U8(at))
            {
                case 1:
                    found.Plain ??= root;
                    break;
                case 2 when file.Has(at + 88, "%/"u8):
                    found.Long ??= root;
                    break;
                case 255:
                    sector = int.MaxValue - 1;
                    break;
            }
        }

        return (found.Long ?? found.Plain ?? throw new BrokenFileException("it has no list of files"), found.Long is not null);
    }

    private static IEnumerable<(string Name, long At, long Size, bool IsFolder)> Entries(Window file, long at, long size, bool isLong)
    {
        var end = at + size;
        while (at + 33 < end)
        {
            var length = file.U8(at);
            if (length == 0)
            {
                // No entry goes over the end of a sector.
                at = ((at / Sector) + 1) * Sector;
                continue;
            }

            var nameLength = file.U8(at + 32);
            if (length < 33 + nameLength)
            {
                throw new BrokenFileException("an entry of its list is damaged");
            }

            var bytes = file.Bytes(at + 33, nameLength);

            // The folder itself and the one above it are named by the bytes 0 and 1.
            if (bytes is not ([0] or [1] or []))
            {
                var name = (isLong ? Encoding.BigEndianUnicode : Encoding.Latin1).GetString(bytes);
                var version = name.LastIndexOf(';');
                yield return (
                    (version > 0 ? name[..version] : name).TrimEnd('.').Replace('/', '_'), (long)file.U32(at + 2) * Sector, file.U32(at + 10),
                    (file.U8(at + 25) & 2) != 0);
            }

            at += length;
        }
    }
}
