using System.Security.Cryptography;
using Bandejo.Core;

namespace Bandejo.Store;

/// <summary>
/// Keeps content by its SHA-256 in a folder (<c>files/ab/abcdef…</c>), uploads on their way in, and the logs of attempts. A file appears under its digest
/// only when it is whole and flushed.
/// </summary>
public sealed class FileStore
{
    private readonly string _files;
    private readonly string _uploads;
    private readonly string _logs;
    private readonly RunningDigests _digests = new();

    public FileStore(string folder)
    {
        _files = Directory.CreateDirectory(Path.Combine(folder, "files")).FullName;
        _uploads = Directory.CreateDirectory(Path.Combine(folder, "uploads")).FullName;
        _logs = Directory.CreateDirectory(Path.Combine(folder, "logs")).FullName;
    }

    /// <summary>Where the content with this digest is, or null. The digest must be 64 lower-case hexadecimal digits.</summary>
    public string? Find(string sha256)
    {
        var path = PathOf(sha256);
        return File.Exists(path) ? path : null;
    }

    /// <summary>
    /// Keeps what <paramref name="write"/> writes, under its digest. Content that is there already is not written again.
    /// </summary>
    public Outcome<string> Keep(string sha256, Func<Stream, Failure?> write)
    {
        var path = PathOf(sha256);
        if (File.Exists(path))
        {
            return path;
        }

        Directory.CreateDirectory(Path.GetDirectoryName(path)!);
        var part = $"{path}.{Guid.NewGuid():N}.part";
        try
        {
            using (var stream = new FileStream(part, FileMode.CreateNew, FileAccess.Write))
            {
                if (write(stream) is { } failure)
                {
                    return failure;
                }

                stream.Flush(flushToDisk: true);
            }

            File.Move(part, path, overwrite: true);
            FolderFlush.Flush(Path.GetDirectoryName(path)!);
            return path;
        }
        finally
        {
            File.Delete(part);
        }
    }

    /// <summary>Lets content go; nothing where it is not kept.</summary>
    public void Drop(string sha256)
    {
        if (Find(sha256) is { } path)
        {
            File.Delete(path);
        }
    }

    /// <summary>Keeps a small text under its digest, which is returned.</summary>
    public string Keep(byte[] content)
    {
        var digest = Convert.ToHexStringLower(SHA256.HashData(content));
        _ = Keep(digest, stream =>
        {
            stream.Write(content);
            return null;
        });
        return digest;
    }

    /// <summary>How many bytes of an upload have arrived; null for an unknown one.</summary>
    public long? UploadOffset(string id) => new FileInfo(UploadPath(id)) is { Exists: true } file ? file.Length : null;

    /// <summary>Begins an upload. One that was begun before goes on.</summary>
    public void BeginUpload(string id)
    {
        using var stream = new FileStream(UploadPath(id), FileMode.OpenOrCreate, FileAccess.Write);
    }

    /// <summary>Appends at an offset, which must be where the upload stands. Returns where it stands afterwards.</summary>
    public async Task<Outcome<long>> Append(string id, long offset, long limit, Stream body, CancellationToken cancellation)
    {
        if (!File.Exists(UploadPath(id)))
        {
            return new Failure(ErrorKind.NotFound, "There is no such upload; begin it again.");
        }

        FileStream stream;
        try
        {
            stream = new FileStream(UploadPath(id), FileMode.Open, FileAccess.Write, FileShare.None);
        }
        catch (IOException)
        {
            return new Failure(ErrorKind.Conflict, "Another request is sending this upload at the moment.");
        }

        await using (stream)
        {
            return await _digests.Follow(id, offset, digest => Uploads.Append(stream, offset, limit, body, digest, cancellation));
        }
    }

    /// <summary>Opens a whole upload for reading.</summary>
    public Stream OpenUpload(string id) => new FileStream(UploadPath(id), FileMode.Open, FileAccess.Read, FileShare.Read);

    public void ForgetUpload(string id)
    {
        _digests.Forget(id);
        File.Delete(UploadPath(id));
    }

    /// <summary>What has arrived of all uploads that are not whole, in bytes.</summary>
    public long UnfinishedBytes() => new DirectoryInfo(_uploads).EnumerateFiles().Sum(file => file.Length);

    /// <summary>Forgets uploads that nobody has gone on with since a moment.</summary>
    public void ForgetUploads(DateTime before)
    {
        foreach (var file in new DirectoryInfo(_uploads).EnumerateFiles().Where(file => file.LastWriteTimeUtc < before))
        {
            ForgetUpload(file.Name);
        }
    }

    /// <summary>The SHA-256 of what has arrived of an upload; known already where it was followed while it came.</summary>
    public string DigestOfUpload(string id)
    {
        if (_digests.Of(id, UploadOffset(id) ?? 0) is { } followed)
        {
            return followed;
        }

        using var stream = OpenUpload(id);
        return Convert.ToHexStringLower(SHA256.HashData(stream));
    }

    /// <summary>Keeps an upload under its digest, which the caller has checked; the upload is gone then.</summary>
    public Outcome<string> KeepUpload(string id, string sha256)
    {
        var path = PathOf(sha256);
        Directory.CreateDirectory(Path.GetDirectoryName(path)!);
        File.Move(UploadPath(id), path, overwrite: true);
        FolderFlush.Flush(Path.GetDirectoryName(path)!);
        _digests.Forget(id);
        return path;
    }

    /// <summary>Keeps the log of an attempt; a later one takes the place of an earlier one.</summary>
    public async Task KeepLog(string attempt, Stream body, int limit, CancellationToken cancellation)
    {
        var path = LogPath(attempt);
        Directory.CreateDirectory(Path.GetDirectoryName(path)!);
        var part = path + ".part";
        await using (var stream = new FileStream(part, FileMode.Create, FileAccess.Write))
        {
            var buffer = new byte[64 * 1024];
            long total = 0;
            for (int read; total < limit && (read = await body.ReadAsync(buffer, cancellation)) > 0; total += read)
            {
                await stream.WriteAsync(buffer.AsMemory(0, read), cancellation);
            }

            stream.Flush(flushToDisk: true);
        }

        File.Move(part, path, overwrite: true);
    }

    /// <summary>Where the log of an attempt is, or null.</summary>
    public string? FindLog(string attempt) => File.Exists(LogPath(attempt)) ? LogPath(attempt)
        : File.Exists(EarlierLogPath(attempt)) ? EarlierLogPath(attempt)
        : null;

    /// <summary>Lets the log of an attempt go.</summary>
    /// <returns>What it took, in bytes; null where there was none.</returns>
    public long? DropLog(string attempt)
    {
        if (FindLog(attempt) is not { } path)
        {
            return null;
        }

        var size = new FileInfo(path).Length;
        File.Delete(path);
        return size;
    }

    private static string Checked(string name) =>
        name.Length is > 0 and <= 64 && name.All(char.IsAsciiLetterOrDigit)
            ? name
            : throw new ArgumentException("Only letters and digits name what is kept.", nameof(name));

    private string PathOf(string sha256) => Path.Combine(_files, Checked(sha256)[..2], sha256);

    private string UploadPath(string id) => Path.Combine(_uploads, Checked(id));

    // In folders by the end of their names, which is drawn: a folder with millions of files is slow to everybody who looks into it.
    private string LogPath(string attempt) => Path.Combine(_logs, Checked(attempt)[^Math.Min(2, attempt.Length)..].ToLowerInvariant() + ".d", attempt);

    private string EarlierLogPath(string attempt) => Path.Combine(_logs, Checked(attempt));
}
