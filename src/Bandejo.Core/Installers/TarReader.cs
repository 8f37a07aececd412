namespace Bandejo.Core.Installers;

/// <summary>Reads tar archives, packed or not.</summary>
internal static class TarReader
{
    /// <summary>How much is unpacked at most to see what is inside.</summary>
    private const long MostUnpacked = 192L << 20;

    public static void Read(Window file, Draft draft, string? how)
    {
        draft.Kind = (InstallerKind.Tar, how is null ? "tar archive" : $"tar archive, packed with {how}");
        ZipReader.Unpacked(draft);
        using var stream = Unpacking.Open(file.Open(), how, file.Budget);
        List(stream, draft, how is null ? long.MaxValue : MostUnpacked, file.Budget);
    }

    /// <summary>Counts what is in an archive.</summary>
    public static void List(Stream archive, Draft draft, long most, ReadingBudget budget)
    {
        var seen = 0L;
        foreach (var (path, size, kind, link, content) in TarReading.Files(archive, budget))
        {
            if (kind is '1' or '2' && (link.StartsWith('/') || Climbs(path, link)))
            {
                draft.Warn($"'{path}' inside is a link to '{link}', outside of the archive.");
            }
            else if (kind is '0' or '7')
            {
                draft.Contains(path.StartsWith("./", StringComparison.Ordinal) ? path[2..] : path, size, () => content);
            }

            seen += size;
            if (seen > most)
            {
                draft.ContainsMore();
                break;
            }
        }
    }

    private static bool Climbs(string path, string link)
    {
        var depth = path.Split('/', StringSplitOptions.RemoveEmptyEntries).Count(part => part != ".") - 1;
        foreach (var part in link.Split('/', StringSplitOptions.RemoveEmptyEntries))
        {
            depth += part switch { ".." => -1, "." => 0, _ => 1 };
            if (depth < 0)
            {
                return true;
            }
        }

        return false;
    }
}
