namespace Bandejo.Core.Installers;

/// <summary>Takes an installer out of the archive that brings it along, so that it can become a package of its own.</summary>
public static class NestedFiles
{
    private const long MostInner = 64L << 20;

    /// <summary>Whether what stands inside can be taken out here: it is inside, and in an archive that is not itself an installer.</summary>
    public static bool CanBeTaken(Inspection from, NestedInstaller nested) =>
        nested.Size > 0 && from.Kind is InstallerKind.Zip or InstallerKind.Tar or InstallerKind.AppBundle or InstallerKind.Disc
            && !nested.Path.Contains(".7z" + InsideLook.Within, StringComparison.Ordinal);

    /// <summary>Copies it to a target.</summary>
    /// <param name="file">The archive; can be sought in.</param>
    /// <param name="from">What was read out of the archive.</param>
    /// <param name="path">Where it stands inside.</param>
    /// <returns>Its size; a failure of kind <see cref="ErrorKind.Invalid"/> where the archive is damaged, does not hold it, or unpacks to another size than it
    /// says.</returns>
    public static Outcome<long> TakeOut(Stream file, Inspection from, string path, Stream target, CancellationToken cancellation = default)
    {
        if (from.Nested.FirstOrDefault(each => each.Path == path) is not { } nested || !CanBeTaken(from, nested))
        {
            return new Failure(ErrorKind.Invalid, $"{from.File} holds no installer '{path}' that could be taken out.");
        }

        try
        {
            // What stands inside may be as large as a package; how long it may take is the matter of whoever asks.
            var window = new Window(file, new ReadingBudget(TimeProvider.System, cancellation) { Time = TimeSpan.FromMinutes(30), Unpacked = long.MaxValue });
            var copied = From(window, nested.Path, nested.Size, target);
            return copied == nested.Size ? copied : new Failure(ErrorKind.Invalid, $"'{path}' in {from.File} unpacks to another size than its archive says.");
        }
        catch (Exception error) when (error is BrokenFileException or SpentException)
        {
            return new Failure(ErrorKind.Invalid, $"'{path}' cannot be taken out of {from.File}: {error.Message}.");
        }
    }

    private static long From(Window window, string path, long size, Stream target)
    {
        var at = path.IndexOf(InsideLook.Within, StringComparison.Ordinal);
        if (at >= 0)
        {
            // An archive in the archive; what is looked into is small enough to be held.
            using var inner = new MemoryStream();
            From(window, path[..at], MostInner, inner);
            return From(new Window(inner, window.Budget), path[(at + InsideLook.Within.Length)..], size, target);
        }

        return DiscReader.Is(window) ? FromDisc(window, path, size, target)
            : window.Has(0, "PK"u8) ? FromZip(window, path, size, target)
            : FromTar(window, path, size, target);
    }

    private static long FromDisc(Window window, string path, long size, Stream target)
    {
        var file = DiscReader.Files(window).FirstOrDefault(each => each.Path == path) ?? throw new BrokenFileException("it is not in its list");
        using var content = window.Part(file.At, file.Size).Open();
        return Copy(content, size, target);
    }

    private static long FromZip(Window window, string path, long size, Stream target)
    {
        var directory = new ZipDirectory(window);
        using var content = directory.Open(directory.Find(path) ?? throw new BrokenFileException("it is not in its directory"));
        return Copy(content, size, target);
    }

    private static long FromTar(Window window, string wanted, long size, Stream target)
    {
        using var archive = Unpacking.Open(window.Open(), Unpacking.How(window.Some(0, 8)), window.Budget);
        foreach (var (path, _, kind, _, content) in TarReading.Files(archive, window.Budget))
        {
            if (kind is '0' or '7' && (path.StartsWith("./", StringComparison.Ordinal) ? path[2..] : path) == wanted)
            {
                return Copy(content, size, target);
            }
        }

        throw new BrokenFileException("it is not in the archive");
    }

    /// <summary>Never more than one byte over what was said: an archive that lies about it cannot fill a disk.</summary>
    internal static long Copy(Stream content, long most, Stream target)
    {
        var buffer = new byte[128 * 1024];
        var copied = 0L;
        while (copied <= most && content.Read(buffer, 0, (int)Math.Min(buffer.Length, most + 1 - copied)) is > 0 and var read)
        {
            target.Write(buffer, 0, read);
            copied += read;
        }

        return copied;
    }
}
