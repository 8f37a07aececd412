using System.Text;

namespace Bandejo.Core.Installers;

/// <summary>
/// A capture as one file to be carried: a ZIP archive with <see cref="ListName"/>, which tells what was found, and the files below <c>payload</c>.
/// </summary>
public sealed class CaptureArchive
{
    /// <summary>What such a file's name ends with.</summary>
    public const string Ending = ".capture.zip";

    /// <summary>The file inside that tells what was found.</summary>
    public const string ListName = "captured.json";

    private readonly ZipDirectory _directory;
    private readonly Dictionary<string, ZipFile> _files;

    private CaptureArchive(ZipDirectory directory, Dictionary<string, ZipFile> files, string list)
    {
        _directory = directory;
        _files = files;
        List = list;
    }

    /// <summary>The text of <see cref="ListName"/>; what it says is not looked at here.</summary>
    public string List { get; }

    /// <summary>Opens one.</summary>
    /// <param name="file">Can be sought in, and stays open as long as it is used.</param>
    /// <returns>A failure of kind <see cref="ErrorKind.Invalid"/> where it is none.</returns>
    public static Outcome<CaptureArchive> Open(Stream file, ReadingBudget budget)
    {
        try
        {
            var directory = new ZipDirectory(new Window(file, budget));
            var files = directory.Files().DistinctBy(each => each.Path, StringComparer.Ordinal).ToDictionary(each => each.Path, StringComparer.Ordinal);
            return files.TryGetValue(ListName, out var list)
                ? new CaptureArchive(directory, files, Encoding.UTF8.GetString(directory.Read(list)))
                : new Failure(ErrorKind.Invalid, $"It has no {ListName}, so it is no capture.");
        }
        catch (Exception error) when (error is BrokenFileException or SpentException)
        {
            return new Failure(ErrorKind.Invalid, $"It is damaged, or no capture: {error.Message}.");
        }
    }

    /// <summary>Copies a captured file to a target; never more than was said.</summary>
    /// <param name="path">As captured, below the machine's root.</param>
    /// <param name="size">Its size, as the list says.</param>
    public Outcome<long> TakeOut(string path, long size, Stream target)
    {
        try
        {
            if (!_files.TryGetValue($"{CaptureDraft.PayloadName}/{path}", out var file))
            {
                return new Failure(ErrorKind.Invalid, $"'{path}' is in its list, and not among its files.");
            }

            using var content = _directory.Open(file);
            var copied = NestedFiles.Copy(content, size, target);
            return copied == size ? copied : new Failure(ErrorKind.Invalid, $"'{path}' unpacks to another size than its list says.");
        }
        catch (Exception error) when (error is BrokenFileException or SpentException)
        {
            return new Failure(ErrorKind.Invalid, $"'{path}' cannot be taken out of it: {error.Message}.");
        }
    }
}
