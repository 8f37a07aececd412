using System.Collections.Concurrent;
using System.Security.Cryptography;
using Bandejo.Contract.Device;
using Bandejo.Device;

namespace Bandejo.Fleet;

/// <summary>The content that any device of the fleet has fetched, kept once by digest. Which device has what, each device knows itself.</summary>
internal sealed class SharedContent(string folder)
{
    private readonly ConcurrentDictionary<string, byte[]> _known = new(StringComparer.Ordinal);
    private readonly ConcurrentDictionary<string, PackageDocument> _documents = new(StringComparer.Ordinal);

    /// <summary>
    /// Content as a package's document. It is read once: devices look for what they should have every few minutes, and there are thousands of them.
    /// </summary>
    public PackageDocument Document(string sha256) => _documents.GetOrAdd(sha256, digest => PackageKeeper.Parse(Read(digest)));

    /// <summary>Keeps content whose digest is right.</summary>
    public bool Keep(string sha256, byte[] content)
    {
        if (Convert.ToHexStringLower(SHA256.HashData(content)) != sha256)
        {
            return false;
        }

        if (!_known.ContainsKey(sha256))
        {
            // Known only once it is there: whoever finds it known writes down that it has it, and the fleet may end at any moment.
            Directory.CreateDirectory(folder);
            var part = Path.Combine(folder, $"{sha256}.{Environment.CurrentManagedThreadId}.part");
            File.WriteAllBytes(part, content);
            File.Move(part, Path.Combine(folder, sha256), overwrite: true);
            _known.TryAdd(sha256, content);
        }

        return true;
    }

    private byte[] Read(string sha256) => _known.GetOrAdd(sha256, digest => File.ReadAllBytes(Path.Combine(folder, digest)));
}
