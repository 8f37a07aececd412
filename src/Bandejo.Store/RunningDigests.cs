using System.Security.Cryptography;
using Bandejo.Core;

namespace Bandejo.Store;

/// <summary>
/// The digests of uploads, taken while they come, so that nobody has to read them again. After a restart they are not known, and are taken from the file.
/// </summary>
internal sealed class RunningDigests
{
    /// <summary>How many uploads are followed at a time; others are read again when they are whole.</summary>
    private const int Most = 64;

    private readonly Lock _lock = new();
    private readonly Dictionary<string, (IncrementalHash Hash, long Length)> _running = new(StringComparer.Ordinal);

    /// <summary>Appends a piece with the digest of what came before it; with none where that is not known.</summary>
    public async Task<Outcome<long>> Follow(string id, long offset, Func<IncrementalHash?, Task<Outcome<long>>> append)
    {
        // Taken out for the time: what fails half-way has a digest of something that nobody has.
        var hash = Begin(id, offset);
        var appended = await append(hash);
        if (hash is not null && appended.Ok)
        {
            lock (_lock)
            {
                _running[id] = (hash, appended.Value);
            }
        }

        return appended;
    }

    /// <summary>The digest of an upload, in lower-case hexadecimal, if all of its bytes were followed; null otherwise.</summary>
    public string? Of(string id, long length)
    {
        lock (_lock)
        {
            return _running.TryGetValue(id, out var running) && running.Length == length ? Convert.ToHexStringLower(running.Hash.GetCurrentHash()) : null;
        }
    }

    public void Forget(string id)
    {
        lock (_lock)
        {
            if (_running.Remove(id, out var running))
            {
                running.Hash.Dispose();
            }
        }
    }

    private IncrementalHash? Begin(string id, long offset)
    {
        lock (_lock)
        {
            if (_running.Remove(id, out var running))
            {
                if (running.Length == offset)
                {
                    return running.Hash;
                }

                running.Hash.Dispose();
            }

            return offset == 0 && _running.Count < Most ? IncrementalHash.CreateHash(HashAlgorithmName.SHA256) : null;
        }
    }
}
