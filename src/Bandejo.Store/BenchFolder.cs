using Bandejo.Core;
using Bandejo.Core.Packages;

namespace Bandejo.Store;

/// <summary>Packages in the making: a folder for each, with its files and one text that says what is known of it.</summary>
/// <param name="data">The folder in which the service keeps everything.</param>
public sealed class BenchFolder(string data)
{
    private const string About = "draft.json";

    private readonly string _root = Directory.CreateDirectory(Path.Combine(data, "bench")).FullName;

    /// <summary>Makes an empty one and returns its identity: 16 letters and digits.</summary>
    public string Make()
    {
        var id = Guid.NewGuid().ToString("N")[..16];
        Directory.CreateDirectory(FilesOf(id));
        return id;
    }

    /// <summary>The identities of all.</summary>
    public IReadOnlyList<string> All() => [.. Directory.EnumerateDirectories(_root).Select(folder => Path.GetFileName(folder))];

    /// <summary>When somebody last went on with one, by the machine's clock.</summary>
    public DateTime WrittenAt(string id) =>
        File.Exists(Path.Combine(_root, id, About))
            ? File.GetLastWriteTimeUtc(Path.Combine(_root, id, About))
            : Directory.GetLastWriteTimeUtc(Path.Combine(_root, id));

    /// <summary>What is kept of one; null where there is none.</summary>
    public string? Read(string id) => IsOne(id) && File.Exists(Path.Combine(_root, id, About)) ? File.ReadAllText(Path.Combine(_root, id, About)) : null;

    /// <summary>Keeps what is known of one; durable when this returns, and never half of it.</summary>
    public void Write(string id, string text)
    {
        var part = Path.Combine(_root, id, About + ".part");
        using (var stream = new FileStream(part, FileMode.Create, FileAccess.Write))
        {
            stream.Write(System.Text.Encoding.UTF8.GetBytes(text));
            stream.Flush(flushToDisk: true);
        }

        File.Move(part, Path.Combine(_root, id, About), overwrite: true);
    }

    /// <summary>Where the files of one lie.</summary>
    public string FilesOf(string id) => Path.Combine(_root, id, "files");

    /// <summary>Opens a file for reading.</summary>
    /// <exception cref="IOException">It is not there.</exception>
    public FileStream Open(string id, string path) => new(PathOf(id, path), FileMode.Open, FileAccess.Read, FileShare.Read);

    /// <summary>Writes a small file whole.</summary>
    public void Put(string id, string path, byte[] content)
    {
        Directory.CreateDirectory(Path.GetDirectoryName(PathOf(id, path))!);
        File.WriteAllBytes(PathOf(id, path), content);
    }

    /// <summary>Makes a file, or empties it.</summary>
    public FileStream Create(string id, string path)
    {
        Directory.CreateDirectory(Path.GetDirectoryName(PathOf(id, path))!);
        return new FileStream(PathOf(id, path), FileMode.Create, FileAccess.ReadWrite, FileShare.None);
    }

    /// <summary>Copies a file of this machine.</summary>
    public void Copy(string id, string path, string source)
    {
        Directory.CreateDirectory(Path.GetDirectoryName(PathOf(id, path))!);
        File.Copy(source, PathOf(id, path), overwrite: true);
    }

    /// <summary>
    /// Appends to a file at an offset, which must not be behind where it stands. What stands after the offset was sent before, and its answer was lost: it is
    /// taken again. Returns where the file stands afterwards.
    /// </summary>
    /// <param name="limit">The whole size, in bytes; more is refused.</param>
    public async Task<Outcome<long>> Append(string id, string path, long offset, long limit, Stream body, CancellationToken cancellation)
    {
        var file = PathOf(id, path);
        Directory.CreateDirectory(Path.GetDirectoryName(file)!);
        FileStream stream;
        try
        {
            stream = new FileStream(file, FileMode.OpenOrCreate, FileAccess.Write, FileShare.None);
        }
        catch (IOException)
        {
            return new Failure(ErrorKind.Conflict, $"'{path}' is being sent by another request, or is the name of a folder.");
        }

        await using (stream)
        {
            if (offset < stream.Length)
            {
                stream.SetLength(offset);
            }

            return await Uploads.Append(stream, offset, limit, body, digest: null, cancellation);
        }
    }

    public void RemoveFile(string id, string path) => File.Delete(PathOf(id, path));

    public void Remove(string id) => Directory.Delete(Path.Combine(_root, id), recursive: true);

    private static bool IsOne(string id) => id.Length == 16 && id.All(char.IsAsciiLetterOrDigit);

    private string PathOf(string id, string path) =>
        IsOne(id) && SafePath.Problem(path) is null
            ? Path.Combine(FilesOf(id), path)
            : throw new ArgumentException("This names no file of a draft.", nameof(path));
}
