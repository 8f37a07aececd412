using System.IO.Compression;
using System.Security.Cryptography;

namespace Bandejo.Core.Packages;

/// <summary>
/// The one file in which a package travels: a ZIP archive (APPNOTE 6.3) with <c>package.json</c>, its signature <c>package.jws</c> and the payload as
/// <c>files/SHA256</c>; with <c>origin.json</c> where it is carried from one service to another. Any ZIP tool opens it.
/// </summary>
public static class Container
{
    public const string DocumentName = "package.json";
    public const string SignatureName = "package.jws";

    /// <summary>Who built it and where it comes from, in files that are carried between services; others lack it.</summary>
    public const string OriginName = "origin.json";

    public const string FilesFolder = "files/";

    /// <summary>The largest document, in bytes.</summary>
    public const int MaxDocument = 4 * 1024 * 1024;

    /// <summary>The largest number of entries.</summary>
    public const int MaxEntries = 100_002;

    /// <summary>What stands in front of the payload.</summary>
    /// <param name="Document">The bytes of <c>package.json</c>, exactly as signed.</param>
    /// <param name="Signature">The compact JWS.</param>
    /// <param name="Files">The payload by digest, each with its declared size.</param>
    /// <param name="Origin">The bytes of <c>origin.json</c>; null where there is none.</param>
    public sealed record Content(byte[] Document, string Signature, IReadOnlyDictionary<string, long> Files, byte[]? Origin);

    /// <summary>
    /// Reads what the container holds without unpacking the payload. Refuses names that belong nowhere, doubled names, and sizes that do not fit.
    /// </summary>
    /// <param name="archive">The opened archive; see <see cref="Open"/>.</param>
    public static Outcome<Content> ReadContent(ZipArchive archive)
    {
        try
        {
            if (archive.Entries.Count > MaxEntries)
            {
                return new Failure(ErrorKind.TooMuch, $"The package file holds {archive.Entries.Count} entries; at most {MaxEntries} are possible.");
            }

            byte[]? document = null;
            byte[]? signature = null;
            byte[]? origin = null;
            var files = new Dictionary<string, long>(StringComparer.Ordinal);
            var names = new HashSet<string>(StringComparer.Ordinal);
            foreach (var entry in archive.Entries)
            {
                var name = entry.FullName;
                if (!names.Add(name))
                {
                    return new Failure(ErrorKind.Invalid, $"'{name}' stands in the package file twice.");
                }

                switch (name)
                {
                    case DocumentName:
                        document = Small(entry, MaxDocument);
                        break;
                    case SignatureName:
                        signature = Small(entry, 64 * 1024);
                        break;
                    case OriginName:
                        origin = Small(entry, 64 * 1024);
                        break;
                    default:
                        var digest = name.StartsWith(FilesFolder, StringComparison.Ordinal) ? name[FilesFolder.Length..] : "";
                        if (!SafePath.IsSha256(digest))
                        {
                            return new Failure(
                                ErrorKind.Invalid,
                                $"'{name}' has no place in a package file; only {DocumentName}, {SignatureName}, {OriginName} and {FilesFolder}SHA256 have.");
                        }

                        files[digest] = entry.Length;
                        break;
                }
            }

            if (document is null || signature is null)
            {
                return new Failure(ErrorKind.Invalid, $"The package file lacks {(document is null ? DocumentName : SignatureName)}, or it is too large.");
            }

            return new Content(document, System.Text.Encoding.ASCII.GetString(signature), files, origin);
        }
        catch (Exception error) when (error is InvalidDataException or EndOfStreamException or IOException)
        {
            return Broken(error);
        }
    }

    /// <summary>Opens a package file for reading. The stream must be able to seek and stays open.</summary>
    public static Outcome<ZipArchive> Open(Stream stream)
    {
        try
        {
            var archive = new ZipArchive(stream, ZipArchiveMode.Read, leaveOpen: true);
            _ = archive.Entries.Count;
            return archive;
        }
        catch (Exception error) when (error is InvalidDataException or EndOfStreamException or IOException or ArgumentException)
        {
            return Broken(error);
        }
    }

    /// <summary>
    /// Copies one payload file out while taking its digest. Stops as soon as more comes out than was declared, so that a small archive cannot fill a disk.
    /// </summary>
    public static Outcome<long> Extract(ZipArchive archive, string sha256, long size, Stream target)
    {
        if (archive.GetEntry(FilesFolder + sha256) is not { } entry)
        {
            return new Failure(ErrorKind.Invalid, $"The package file lacks the payload file {sha256[..12]}…, which its document names.");
        }

        try
        {
            using var source = entry.Open();
            return Copy(source, sha256, size, target);
        }
        catch (Exception error) when (error is InvalidDataException or EndOfStreamException)
        {
            return Broken(error);
        }
    }

    /// <summary>Copies content while taking its digest; a failure where it is not what its digest and size say.</summary>
    public static Outcome<long> Copy(Stream source, string sha256, long size, Stream target)
    {
        using var hash = IncrementalHash.CreateHash(HashAlgorithmName.SHA256);
        var buffer = new byte[128 * 1024];
        long total = 0;
        for (int read; (read = source.Read(buffer)) > 0;)
        {
            total += read;
            if (total > size)
            {
                return new Failure(ErrorKind.Invalid, $"The payload file {sha256[..12]}… unpacks to more than the {size} bytes its document names.");
            }

            hash.AppendData(buffer, 0, read);
            target.Write(buffer, 0, read);
        }

        if (total != size || !Convert.ToHexStringLower(hash.GetHashAndReset()).Equals(sha256, StringComparison.Ordinal))
        {
            return new Failure(ErrorKind.Invalid, $"The payload file {sha256[..12]}… is not what its digest says; the package file was damaged or changed.");
        }

        return total;
    }

    private static byte[]? Small(ZipArchiveEntry entry, int max)
    {
        if (entry.Length > max)
        {
            return null;
        }

        using var source = entry.Open();
        var buffer = new byte[max + 1];
        var length = source.ReadAtLeast(buffer, buffer.Length, throwOnEndOfStream: false);
        return length > max ? null : buffer[..length];
    }

    private static Failure Broken(Exception error) =>
        new(ErrorKind.Invalid, $"The file is not a whole package file: {error.Message.TrimEnd('.')}. Build or send it again.");
}
