namespace Bandejo.Agent;

/// <summary>Something on a machine's disk.</summary>
/// <param name="Kind">file, link or folder.</param>
/// <param name="Written">When a file was last written, in ticks of UTC; 0 for others.</param>
/// <param name="Target">Where a link leads.</param>
internal sealed record MachineEntry(string Kind, long Size, long Written, string? Target);

/// <summary>Looks at all that lies on a machine's disk, without reading it.</summary>
internal static class MachineLook
{
    /// <summary>Folders that are no files on a disk, or that pass by themselves.</summary>
    private static readonly string[] Passing = ["proc", "sys", "dev", "run", "tmp", "lost+found"];

    private static readonly EnumerationOptions Everything = new() { AttributesToSkip = FileAttributes.None, IgnoreInaccessible = true };

    /// <summary>All entries by their paths, which begin with <c>/</c> at the machine's root.</summary>
    /// <param name="root">The folder that is the machine.</param>
    /// <param name="but">Folders that are left out, as this process names them.</param>
    public static Dictionary<string, MachineEntry> Entries(string root, params string[] but)
    {
        var found = new Dictionary<string, MachineEntry>(StringComparer.Ordinal);
        var folders = new Stack<string>([root]);
        while (folders.TryPop(out var folder))
        {
            foreach (var entry in new DirectoryInfo(folder).EnumerateFileSystemInfos("*", Everything))
            {
                if (but.Contains(entry.FullName) || (folder == root && Passing.Contains(entry.Name)))
                {
                    continue;
                }

                var path = entry.FullName[(root == "/" ? 0 : root.Length)..];
                if (entry.LinkTarget is { } target)
                {
                    found[path] = new MachineEntry("link", 0, 0, target);
                }
                else if (entry is FileInfo file)
                {
                    found[path] = new MachineEntry("file", file.Length, file.LastWriteTimeUtc.Ticks, null);
                }
                else
                {
                    found[path] = new MachineEntry("folder", 0, 0, null);
                    folders.Push(entry.FullName);
                }
            }
        }

        return found;
    }
}
