using Bandejo.Contract.Device;
using Bandejo.Device;

namespace Bandejo.Fleet;

/// <summary>Which content a played device has. The content itself is kept once for all.</summary>
/// <param name="kept">Hears of the digest of what has come whole.</param>
internal sealed class PlayedContent(SharedContent shared, Action<string> kept) : IContentCache
{
    private readonly HashSet<string> _has = new(StringComparer.Ordinal);
    private readonly Dictionary<string, MemoryStream> _parts = new(StringComparer.Ordinal);

    /// <summary>Takes a line of the record over.</summary>
    public void Replay(string digest) => _has.Add(digest);

    public bool Has(string sha256) => _has.Contains(sha256);

    public long PartLength(string sha256) => 0;

    public Stream AppendPart(string sha256) => _parts[sha256] = new MemoryStream();

    public bool Complete(string sha256)
    {
        if (!_parts.Remove(sha256, out var part) || !shared.Keep(sha256, part.ToArray()))
        {
            return false;
        }

        kept(sha256);
        return _has.Add(sha256);
    }

    public PackageDocument Document(string sha256) => shared.Document(sha256);

    public void KeepOnly(IReadOnlySet<string> digests) => _has.RemoveWhere(digest => !digests.Contains(digest));
}
