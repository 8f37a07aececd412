using Bandejo.Device.Trials;

namespace Bandejo.Agent;

/// <summary>A whole machine as the ground of a trial: it is looked at before, and what is other afterwards was changed, less what any system changes.</summary>
internal sealed class MachineGround : ITrialGround
{
    /// <summary>Folders that are no files on a disk, or that pass by themselves.</summary>
    private static readonly string[] Passing = ["proc", "sys", "dev", "run", "tmp"];

    private readonly string _root;
    private readonly string _own;
    private readonly TrialNoise _noise;
    private readonly Dictionary<string, (long, DateTime)> _before;

    /// <summary>Looks at the machine.</summary>
    /// <param name="root">The folder that is the machine.</param>
    /// <param name="own">The agent's own folder, which is left out.</param>
    public MachineGround(string root, string own)
    {
        (_root, _own, _noise) = (root, own, new TrialNoise(TrialInside.Noise()));
        _before = Look();
    }

    public IReadOnlyList<ChangedFile> Changes() =>
        [.. Look().Where(pair => !_before.TryGetValue(pair.Key, out var known) || known != pair.Value).Where(pair => !_noise.Is(pair.Key)).Select(pair => new ChangedFile(pair.Key, pair.Value.Size)).OrderBy(file => file.Path, StringComparer.Ordinal)];

    public IReadOnlyList<string> Waiting() => WaitingProcesses.Of(isMeant: WaitingProcesses.IsOfAStep);

    private Dictionary<string, (long Size, DateTime Written)> Look()
    {
        var found = new Dictionary<string, (long, DateTime)>(StringComparer.Ordinal);
        var options = new EnumerationOptions { AttributesToSkip = FileAttributes.None, IgnoreInaccessible = true };
        var folders = new Stack<string>([.. Directory.EnumerateDirectories(_root, "*", options).Where(folder => !Passing.Contains(Path.GetFileName(folder)))]);
        while (folders.TryPop(out var folder))
        {
            if (folder == _own)
            {
                continue;
            }

            foreach (var entry in new DirectoryInfo(folder).EnumerateFileSystemInfos("*", options))
            {
                if (entry is DirectoryInfo && entry.LinkTarget is null)
                {
                    folders.Push(entry.FullName);
                }
                else
                {
                    found[entry.FullName[(_root == "/" ? 0 : _root.Length)..]] = entry is FileInfo file && entry.LinkTarget is null ? (file.Length, file.LastWriteTimeUtc) : (0, default);
                }
            }
        }

        return found;
    }
}
