using Bandejo.Core.Packages;
using Bandejo.Device;
using Bandejo.Device.Trials;

namespace Bandejo.Agent;

/// <summary>The sandbox as the ground of a trial: the layers hold what was written, and what lies beneath them is what was there before.</summary>
/// <param name="root">The folder with the system that lies beneath, as whoever called names it; null for this machine.</param>
internal sealed class SandboxGround(string? root) : ITrialGround
{
    /// <summary>Folders that are empty when the sandbox begins.</summary>
    private static readonly string[] Plain = ["/opt", "/srv", "/home", "/root", "/tmp", "/mnt", "/media"];

    /// <summary>The files that people stand in (passwd(5), group(5)).</summary>
    private static readonly string[] Lists = ["/etc/passwd", "/etc/group"];

    private readonly TrialPeople _people = new("/home");

    private static readonly EnumerationOptions Everything = new() { AttributesToSkip = FileAttributes.None, IgnoreInaccessible = true };

    public string Name => root is null ? "This machine, whose system lies beneath the sandbox," : $"The system in {root}";

    public IReadOnlyList<ChangedFile> Changes()
    {
        var found = new List<ChangedFile>();
        foreach (var layer in CleanRoot.Layered)
        {
            Layer($"{CleanRoot.Inside}/changes/{layer}", $"/{layer}", found);
        }

        foreach (var folder in Plain.Where(Directory.Exists))
        {
            Plainly(new DirectoryInfo(folder), found);
        }

        return [.. found.OrderBy(file => file.Path, StringComparer.Ordinal)];
    }

    public DiskEntry? Find(string path, Accounts accounts) => new RootFolder("/").Look(path, accounts);

    public string? Now(string path) => Text(path);

    public (IReadOnlyList<MachinePerson> People, string WhyNone) MakePeople()
    {
        var people = _people.Make();
        foreach (var file in Lists)
        {
            File.AppendAllLines(file, people.Select(
                person => file == Lists[0] ? $"{person.Name}:x:{person.Number}:{person.Number}::{person.Home}:/bin/sh" : $"{person.Name}:x:{person.Number}:"));
        }

        return (people, "the account that runs this trial can be nobody else in its sandbox; run it as root, or give the account numbers in /etc/subuid");
    }

    public IReadOnlyList<string> WrittenBy(MachinePerson person) => TrialPeople.WrittenBy(person);

    public void RemovePeople()
    {
        foreach (var file in Lists)
        {
            File.WriteAllLines(file, File.ReadAllLines(file).Where(line => !TrialPeople.IsLine(line)));
        }

        _people.Remove();
    }

    public IReadOnlyList<string> Waiting() => WaitingProcesses.Of(isMeant: _ => true);

    private static string? Text(string path) => File.Exists(path) ? File.ReadAllText(path) : null;

    /// <summary>What a folder of a layer has that is other than beneath it, and what is beneath and to be seen no more.</summary>
    /// <param name="path">The folder as the software sees it.</param>
    private static void Layer(string layer, string path, List<ChangedFile> found)
    {
        if (!Directory.Exists(layer))
        {
            return;
        }

        var beneath = new DirectoryInfo(CleanRoot.Beneath + path);
        foreach (var entry in new DirectoryInfo(layer).EnumerateFileSystemInfos("*", Everything))
        {
            var seen = $"{path}/{entry.Name}";
            var here = Entry(seen);
            if (here is null)
            {
                // The layer's own mark that it is gone; told below, with what lay there.
                continue;
            }

            var before = Entry(CleanRoot.Beneath + seen);
            if (here is DirectoryInfo { LinkTarget: null })
            {
                if (before is DirectoryInfo { LinkTarget: null })
                {
                    Layer(entry.FullName, seen, found);
                }
                else
                {
                    Plainly(new DirectoryInfo(seen), found, isNew: true);
                }
            }
            else if (before is null || (before is DirectoryInfo && before.LinkTarget is null))
            {
                found.Add(new ChangedFile(seen, Size(here)));
            }
            else if (!IsSame(before, here))
            {
                found.Add(new ChangedFile(seen, Size(here), ChangeKind.Changed));
            }
        }

        if (beneath is { Exists: true, LinkTarget: null })
        {
            found.AddRange(beneath.EnumerateFileSystemInfos("*", Everything).Where(was => Entry($"{path}/{was.Name}") is null).Select(was => new ChangedFile(
                $"{path}/{was.Name}{(was is DirectoryInfo { LinkTarget: null } ? "/" : "")}", 0, ChangeKind.Gone)));
        }
    }

    /// <summary>All that is in a folder of which nothing was there before; the folder itself only where it is new and empty.</summary>
    private static void Plainly(DirectoryInfo folder, List<ChangedFile> found, bool isNew = false)
    {
        var isEmpty = true;
        foreach (var entry in folder.EnumerateFileSystemInfos("*", Everything))
        {
            isEmpty = false;
            if (entry is DirectoryInfo { LinkTarget: null } inner)
            {
                Plainly(inner, found, isNew: true);
            }
            else
            {
                found.Add(new ChangedFile(entry.FullName, Size(entry)));
            }
        }

        if (isEmpty && isNew)
        {
            found.Add(new ChangedFile(folder.FullName + "/", 0));
        }
    }

    /// <summary>What stands at a path, links as links; null where there is nothing.</summary>
    private static FileSystemInfo? Entry(string path)
    {
        var file = new FileInfo(path);
        return file.LinkTarget is not null ? file : Directory.Exists(path) ? new DirectoryInfo(path) : file.Exists ? file : null;
    }

    /// <summary>Whether a file was only written again, or touched. What has no length is not opened: it may be a pipe in which nobody ever writes.</summary>
    private static bool IsSame(FileSystemInfo before, FileSystemInfo now)
    {
        if (before.LinkTarget is not null || now.LinkTarget is not null)
        {
            return before.LinkTarget == now.LinkTarget;
        }

        if (before is not FileInfo was || now is not FileInfo @is || was.Length != @is.Length || was.UnixFileMode != @is.UnixFileMode)
        {
            return false;
        }

        if (was.Length == 0)
        {
            return true;
        }

        try
        {
            using var left = was.OpenRead();
            using var right = @is.OpenRead();
            var (mine, yours) = (new byte[64 * 1024], new byte[64 * 1024]);
            for (int read; (read = left.ReadAtLeast(mine, mine.Length, throwOnEndOfStream: false)) > 0;)
            {
                if (right.ReadAtLeast(yours.AsSpan(0, read), read, throwOnEndOfStream: false) != read
                    || !mine.AsSpan(0, read).SequenceEqual(yours.AsSpan(0, read)))
                {
                    return false;
                }
            }

            return true;
        }
        catch (Exception error) when (error is IOException or UnauthorizedAccessException)
        {
            return false;
        }
    }

    private static long Size(FileSystemInfo entry) => entry is FileInfo { LinkTarget: null } file ? file.Length : 0;
}
