using System.Security.Cryptography;
using System.Text.Json;
using System.Text.Json.Serialization;

namespace Bandejo.Cli;

/// <summary>
/// The digests of files that were taken before, so that a large file that has not changed since is not read again. A file counts as unchanged while its size
/// and the
/// time of its last change are the same; one that changed in the seconds before its digest was taken is not remembered, since another change might not show.
/// </summary>
internal sealed class Digests
{
    /// <summary>Smaller files are read again each time; that is quick.</summary>
    private const long Least = 1024 * 1024;

    private const int Most = 10_000;

    private static readonly TimeSpan Doubt = TimeSpan.FromSeconds(2);

    private readonly Dictionary<string, KeptDigest> _known;
    private bool _hasNews;

    private Digests(Dictionary<string, KeptDigest> known) => _known = known;

    private static string Place => Path.Combine(Kept.Folder, "digests.json");

    /// <summary>What is remembered on this machine.</summary>
    /// <param name="isFresh">Trust nothing of it, and take all anew.</param>
    public static Digests Read(bool isFresh)
    {
        try
        {
            return new Digests(
                !isFresh && File.Exists(Place)
                    ? JsonSerializer.Deserialize(File.ReadAllText(Place), DigestsJson.Default.DictionaryStringKeptDigest) ?? []
                    : []);
        }
        catch (JsonException)
        {
            // Only a memory; without it the files are read again.
            return new Digests([]);
        }
    }

    /// <summary>The digest of a file that has not changed since it was taken; null where that is not known.</summary>
    public string? Find(FileInfo file) =>
        _known.TryGetValue(file.FullName, out var kept) && kept.Size == file.Length && kept.Changed == file.LastWriteTimeUtc.Ticks ? kept.Sha256 : null;

    /// <summary>Remembers the digest of a file.</summary>
    /// <param name="file">As it was before its digest was taken.</param>
    public void Keep(FileInfo file, string sha256)
    {
        if (file.Length >= Least && TimeProvider.System.GetUtcNow().UtcDateTime - file.LastWriteTimeUtc > Doubt)
        {
            _known[file.FullName] = new KeptDigest(file.Length, file.LastWriteTimeUtc.Ticks, sha256);
            _hasNews = true;
        }
    }

    /// <summary>Writes down what is new.</summary>
    public void Write()
    {
        if (_hasNews)
        {
            Directory.CreateDirectory(Kept.Folder);
            var part = $"{Place}.{Environment.ProcessId}";
            File.WriteAllText(part, JsonSerializer.Serialize(
                _known.Where(pair => File.Exists(pair.Key)).TakeLast(Most).ToDictionary(), DigestsJson.Default.DictionaryStringKeptDigest));
            File.Move(part, Place, overwrite: true);
            _hasNews = false;
        }
    }

    /// <summary>The digest of a file, remembered or taken now.</summary>
    /// <param name="advance">Hears how many bytes are done.</param>
    public string Of(FileInfo file, Action<long> advance)
    {
        if (Find(file) is { } known)
        {
            advance(file.Length);
            return known;
        }

        using var hash = IncrementalHash.CreateHash(HashAlgorithmName.SHA256);
        using var stream = file.OpenRead();
        var buffer = new byte[256 * 1024];
        for (int read; (read = stream.Read(buffer)) > 0; advance(read))
        {
            hash.AppendData(buffer, 0, read);
        }

        var sha256 = Convert.ToHexStringLower(hash.GetHashAndReset());
        Keep(file, sha256);
        return sha256;
    }
}

/// <summary>A digest that was taken.</summary>
/// <param name="Size">The file's bytes then.</param>
/// <param name="Changed">The time of its last change then, in ticks of UTC.</param>
internal sealed record KeptDigest(long Size, long Changed, string Sha256);

/// <summary>JSON for the digests.</summary>
[JsonSerializable(typeof(Dictionary<string, KeptDigest>))]
internal sealed partial class DigestsJson : JsonSerializerContext;
