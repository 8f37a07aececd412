using System.Security.Cryptography;
using Bandejo.Contract.Device;
using Bandejo.Device;

namespace Bandejo.Agent;

/// <summary>Content by digest in a folder; what is still arriving ends in <c>.part</c>.</summary>
internal sealed class FolderCache(string folder) : IContentCache
{
    private readonly string _folder = Home.Make(folder);
    private readonly Dictionary<string, PackageDocument> _documents = new(StringComparer.Ordinal);

    public bool Has(string sha256) => File.Exists(PathOf(sha256));

    public string? Text(string sha256) => Has(sha256) ? File.ReadAllText(PathOf(sha256)) : null;

    public long PartLength(string sha256) => new FileInfo(PathOf(sha256) + ".part") is { Exists: true } part ? part.Length : 0;

    public Stream AppendPart(string sha256)
    {
        var stream = Home.Open(PathOf(sha256) + ".part", FileMode.OpenOrCreate);
        stream.Seek(0, SeekOrigin.End);
        return stream;
    }

    public bool Complete(string sha256)
    {
        var part = PathOf(sha256) + ".part";
        if (!File.Exists(part))
        {
            return false;
        }

        using (var stream = new FileStream(part, FileMode.Open, FileAccess.ReadWrite))
        {
            if (Convert.ToHexStringLower(SHA256.HashData(stream)) != sha256)
            {
                stream.Close();
                File.Delete(part);
                return false;
            }

            stream.Flush(flushToDisk: true);
        }

        File.Move(part, PathOf(sha256), overwrite: true);
        return true;
    }

    public PackageDocument Document(string sha256)
    {
        if (!_documents.TryGetValue(sha256, out var document))
        {
            _documents[sha256] = document = PackageKeeper.Parse(File.ReadAllBytes(PathOf(sha256)));
        }

        return document;
    }

    public void KeepOnly(IReadOnlySet<string> digests)
    {
        foreach (var file in Directory.EnumerateFiles(_folder).Where(file => !digests.Contains(Path.GetFileName(file))))
        {
            File.Delete(file);
            _documents.Remove(Path.GetFileName(file));
        }
    }

    /// <summary>Where content is.</summary>
    public string PathOf(string sha256) =>
        sha256.Length == 64 && sha256.All(char.IsAsciiHexDigitLower)
            ? Path.Combine(_folder, sha256)
            : throw new SealException("The package names a file by something that is not a digest");
}
