using System.Security.Cryptography;
using Bandejo.Contract.Api;

namespace Bandejo.Cli;

/// <summary>A package folder on this machine.</summary>
internal sealed class PackageFolder
{
    public const string ManifestName = "package.yaml";

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
        return File.Exists(file) ? new PackageFolder(path, File.ReadAllText(file)) : throw new WrongUseException($"There is no {ManifestName} in {path}. Make one: bandejo package new {folder}");
    }

    /// <summary>The files beside the manifest, without digests. Links are refused: what they point to may not be what travels.</summary>
    public IReadOnlyList<FileInfoDto> List()
    {
        var files = new List<FileInfoDto>();
        foreach (var file in new DirectoryInfo(Path).EnumerateFiles("*", SearchOption.AllDirectories).OrderBy(file => file.FullName, StringComparer.Ordinal))
        {
            var relative = System.IO.Path.GetRelativePath(Path, file.FullName).Replace('\\', '/');
            if (file.LinkTarget is not null)
            {
                throw new WrongUseException($"{relative} is a link to {file.LinkTarget}; put the file itself into the folder.");
            }

            if (relative != ManifestName)
            {
                files.Add(new FileInfoDto(relative, file.Length, ""));
            }
        }

        return files;
    }

    /// <summary>The same files with their digests.</summary>
    public IReadOnlyList<FileInfoDto> Hash(IReadOnlyList<FileInfoDto> files, Action<long> advance)
    {
        var hashed = new List<FileInfoDto>(files.Count);
        var buffer = new byte[256 * 1024];
        foreach (var file in files)
        {
            using var hash = IncrementalHash.CreateHash(HashAlgorithmName.SHA256);
            using var stream = OpenFile(file.Path);
            for (int read; (read = stream.Read(buffer)) > 0; advance(read))
            {
                hash.AppendData(buffer, 0, read);
            }

            hashed.Add(file with { Sha256 = Convert.ToHexStringLower(hash.GetHashAndReset()) });
        }

        return hashed;
    }

    public FileStream OpenFile(string relative) => new(System.IO.Path.Combine(Path, relative), FileMode.Open, FileAccess.Read, FileShare.Read, 256 * 1024);
}
