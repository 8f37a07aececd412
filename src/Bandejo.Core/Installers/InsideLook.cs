namespace Bandejo.Core.Installers;

/// <summary>
/// Finds installers among the files of an archive by what they are: a program by its bytes, an archive in the archive by what is in it. Only so much is
/// looked into; what comes behind that is judged by its name.
/// </summary>
/// <param name="depth">How deep in archives this one lies; 0 for the file itself.</param>
internal sealed class InsideLook(HintCatalog hints, ReadingBudget budget, int depth = 0)
{
    /// <summary>Between an archive and what is in it, where it is an archive in another.</summary>
    public const string Within = "!/";

    private const int MostDepth = 2;
    private const int MostFiles = 24;
    private const int MostOfProgram = 8 << 20;
    private const int MostOfArchive = 32 << 20;
    private const int SmallestUnnamed = 100_000;

    private static readonly string[] Archives = [".zip", ".7z", ".iso", ".tar", ".tgz", ".tar.gz", ".tar.xz", ".tar.bz2", ".tar.zst"];

    private long _left = 64 << 20;
    private int _looks;

    /// <summary>The installers that a file of the archive is, or brings along.</summary>
    /// <param name="path">Where it stands inside.</param>
    /// <param name="open">Its content; null where it cannot be read without unpacking everything before it.</param>
    public IReadOnlyList<NestedInstaller> Of(string path, long size, Func<Stream>? open)
    {
        var name = path[(path.LastIndexOf('/') + 1)..].ToLowerInvariant();
        var isArchive = Archives.Any(end => name.EndsWith(end, StringComparison.Ordinal));
        var mayBeProgram = name.EndsWith(".exe", StringComparison.Ordinal) || (size > SmallestUnnamed && Path.GetExtension(name) is "" or ".bin" or ".scr");
        var most = isArchive ? MostOfArchive : MostOfProgram;
        if (open is not null && (isArchive ? depth < MostDepth && size <= most : mayBeProgram) && _looks < MostFiles && Math.Min(size, most) <= _left)
        {
            _looks++;
            _left -= Math.Min(size, most);
            try
            {
                using var content = open();
                return isArchive ? Archive(path, new Window(new MemoryStream(Unpacking.All(content, most, path, budget)), budget))
                    : What(Beginning(content)) is { } what ? [new NestedInstaller(path, size, what)] : [];
            }
            catch (BrokenFileException)
            {
                // What is damaged or encrypted in there says nothing of the archive; its name may.
            }
        }

        return InstallerNames.KindOf(path) is { } named ? [new NestedInstaller(path, size, named)] : [];
    }

    private List<NestedInstaller> Archive(string path, Window file)
    {
        var inner = new Draft(path, file.Length) { Look = new InsideLook(hints, budget, depth + 1) };
        Inspector.Read(file, inner, hints, []);
        return [.. inner.Nested.Where(nested => nested.Size > 0).Select(nested => nested with { Path = $"{path}{Within}{nested.Path}" })];
    }

    private string? What(byte[] beginning) =>
        beginning is [(byte)'M', (byte)'Z', ..] ? ProgramReader.WhatInstalls(new Window(new MemoryStream(beginning), budget), hints) : null;

    private byte[] Beginning(Stream content)
    {
        budget.Hold(2 * MostOfProgram / 8);
        using var beginning = new MemoryStream();
        var buffer = new byte[64 * 1024];
        for (int read; beginning.Length < MostOfProgram && (read = content.Read(buffer)) > 0;)
        {
            budget.Hold(read);
            beginning.Write(buffer, 0, read);
            if (beginning.Length == read && buffer is not [(byte)'M', (byte)'Z', ..])
            {
                break;
            }
        }

        return beginning.ToArray();
    }
}
