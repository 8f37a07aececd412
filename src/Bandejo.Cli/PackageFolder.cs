using System.Text;
using Bandejo.Contract.Api;
using Bandejo.Packaging;

namespace Bandejo.Cli;

/// <summary>A package folder on this machine.</summary>
internal sealed class PackageFolder
{
    public const string ManifestName = PackageFolders.ManifestName;

    private PackageFolder(string path, string manifest)
    {
        Path = path;
        Manifest = manifest;
    }

    public string Path { get; }

    /// <summary>The text of the manifest.</summary>
    public string Manifest { get; }

    public static PackageFolder Open(string folder)
    {
        var path = System.IO.Path.GetFullPath(folder);
        var file = System.IO.Path.Combine(path, ManifestName);
        return File.Exists(file) && OrdinaryFiles.Is(new FileInfo(file))
            ? new PackageFolder(path, Text(file))
            : throw new WrongUseException($"There is no {ManifestName} in {path}. Make one: bandejo package new {folder}");
    }

    /// <summary>A manifest is UTF-8, with a mark for it or without; of anything else letters would be lost, and be signed so.</summary>
    private static string Text(string file)
    {
        var bytes = File.ReadAllBytes(file);
        if (bytes is [0xFF, 0xFE, ..] or [0xFE, 0xFF, ..])
        {
            throw new WrongUseException($"{file} is UTF-16; save it as UTF-8.");
        }

        try
        {
            return new UTF8Encoding(false, throwOnInvalidBytes: true).GetString(bytes is [0xEF, 0xBB, 0xBF, ..] ? bytes.AsSpan(3) : bytes);
        }
        catch (DecoderFallbackException error)
        {
            var line = bytes.AsSpan(0, Math.Clamp(error.Index, 0, bytes.Length)).Count((byte)'\n') + 1;
            throw new WrongUseException(
                $"{file}:{line}: this line is not UTF-8: the file was saved in another encoding, and signs such as 'é' would be lost. Save it as UTF-8.");
        }
    }

    /// <summary>The files beside the manifest, without digests. Links are refused: what they point to may not be what travels.</summary>
    public IReadOnlyList<FileInfoDto> List()
    {
        var files = new List<FileInfoDto>();
        foreach (var file in new DirectoryInfo(Path).EnumerateFiles("*", SearchOption.AllDirectories).OrderBy(file => file.FullName, StringComparer.Ordinal))
        {
            var relative = System.IO.Path.GetRelativePath(Path, file.FullName).Replace('\\', '/');
            if (relative.StartsWith(Fetching.Folder + "/", StringComparison.Ordinal))
            {
                continue;
            }

            if (file.LinkTarget is not null)
            {
                throw new WrongUseException($"{relative} is a link to {file.LinkTarget}; put the file itself into the folder.");
            }

            if (!OrdinaryFiles.Is(file))
            {
                throw new WrongUseException($"{relative} is a pipe, a socket or a device, which no package can carry; take it out of the folder.");
            }

            if (relative != ManifestName)
            {
                files.Add(new FileInfoDto(relative, file.Length, ""));
            }
        }

        return files;
    }

    /// <summary>The same files with their digests.</summary>
    public IReadOnlyList<FileInfoDto> Hash(IReadOnlyList<FileInfoDto> files, Digests digests)
    {
        IReadOnlyList<FileInfoDto> hashed = [.. files.Select(file => file with { Sha256 = digests.Of(Find(file.Path), _ => { }) })];
        digests.Write();
        return hashed;
    }

    /// <summary>A file of the folder.</summary>
    public FileInfo Find(string relative) => new(System.IO.Path.Combine(Path, relative));

    /// <summary>Opens a file of the folder, or one that was fetched for it.</summary>
    public FileStream OpenFile(FileInfoDto file) =>
        new(
            Find(file.Path) is { Exists: true } own ? own.FullName : Fetching.PlaceOf(this, file.Sha256), FileMode.Open, FileAccess.Read, FileShare.Read,
            256 * 1024);
}
