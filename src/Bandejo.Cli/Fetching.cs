using System.Security.Cryptography;
using Bandejo.Contract.Api;
using Bandejo.Core;

namespace Bandejo.Cli;

/// <summary>
/// Fetches files that a manifest leaves at an address or on a share, into <c>.fetched</c> of the package folder. What comes and is not what the manifest says
/// is thrown away.
/// </summary>
internal static class Fetching
{
    /// <summary>The folder, below a package folder, that holds what was fetched, by digest.</summary>
    public const string Folder = ".fetched";

    /// <summary>Where a file is once it was fetched.</summary>
    public static string PlaceOf(PackageFolder folder, string sha256) => Path.Combine(folder.Path, Folder, sha256);

    /// <summary>Brings a file, unless it was brought before.</summary>
    /// <exception cref="WrongUseException">It cannot be had from there, or is another file.</exception>
    public static async Task Bring(PackageFolder folder, FetchInfo wanted, Action<long> advance, CancellationToken cancellation)
    {
        var place = PlaceOf(folder, wanted.Sha256);
        if (File.Exists(place))
        {
            advance(wanted.Size);
            return;
        }

        Directory.CreateDirectory(Path.GetDirectoryName(place)!);
        var part = place + ".part";
        try
        {
            await using (var target = new FileStream(part, FileMode.Create, FileAccess.Write))
            {
                await Copy(wanted, target, advance, cancellation);
            }

            File.Move(part, place, overwrite: true);
        }
        catch (Exception error) when (error is HttpRequestException or IOException or UnauthorizedAccessException)
        {
            throw new WrongUseException($"'{wanted.Path}' cannot be fetched from {wanted.From}: {Troubles.InWords(error)}.");
        }
        finally
        {
            File.Delete(part);
        }
    }

    private static async Task Copy(FetchInfo wanted, FileStream target, Action<long> advance, CancellationToken cancellation)
    {
        using var http = new HttpClient { Timeout = TimeSpan.FromSeconds(100) };
        await using var source = wanted.From.StartsWith("http", StringComparison.OrdinalIgnoreCase)
            ? await http.GetStreamAsync(new Uri(wanted.From), cancellation)
            : File.OpenRead(wanted.From);
        using var hash = IncrementalHash.CreateHash(HashAlgorithmName.SHA256);
        var buffer = new byte[256 * 1024];
        long total = 0;
        for (int read; (read = await source.ReadAsync(buffer, cancellation)) > 0; advance(read))
        {
            total += read;
            if (total > wanted.Size)
            {
                throw new WrongUseException(
                    $"'{wanted.Path}' at {wanted.From} has more than the {wanted.Size} bytes that the manifest says; it is another file now.");
            }

            hash.AppendData(buffer, 0, read);
            await target.WriteAsync(buffer.AsMemory(0, read), cancellation);
        }

        var sha256 = Convert.ToHexStringLower(hash.GetHashAndReset());
        if (total != wanted.Size || sha256 != wanted.Sha256)
        {
            throw new WrongUseException(
                $"'{wanted.Path}' at {wanted.From} is not the file that the manifest says: it has {total} bytes and the digest {sha256}. Look at what is "
                    + $"there now before you change the manifest.");
        }
    }
}
