using Bandejo.Core.Packages;
using Bandejo.Device;
using Bandejo.Device.Trials;

namespace Bandejo.Agent;

/// <summary>A whole machine as the ground of a trial: it is looked at before, and what is other afterwards was changed, less what any system changes.</summary>
/// <param name="root">The folder that is the machine.</param>
/// <param name="own">The agent's own folder, which is left out.</param>
internal sealed class MachineGround(string root, string own) : ITrialGround
{
    private readonly TrialNoise _noise = new(TrialInside.Noise());
    private readonly Dictionary<string, MachineEntry> _before = MachineLook.Entries(root, own);

    private readonly TrialPeople _people = new(above: null);

    private readonly Dictionary<string, string?> _texts = Leftovers.Read.ToDictionary(path => path, path => Text(root, path), StringComparer.Ordinal);

    public IReadOnlyList<ChangedFile> Changes()
    {
        var now = MachineLook.Entries(root, own);
        var others = now.Where(pair => pair.Value.Kind != "folder" && _before.GetValueOrDefault(pair.Key) != pair.Value)
            .Select(pair => new ChangedFile(pair.Key, pair.Value.Size, _before.ContainsKey(pair.Key) ? ChangeKind.Changed : ChangeKind.New));

        // Of a folder that went with all that was in it, the folder is told.
        var gone = _before.Where(pair => !now.ContainsKey(pair.Key) && (Path.GetDirectoryName(pair.Key) is null or "/" || now.ContainsKey(
            Path.GetDirectoryName(pair.Key)!)))
            .Select(pair => new ChangedFile(pair.Key + (pair.Value.Kind == "folder" ? "/" : ""), 0, ChangeKind.Gone));
        return [
            .. others.Concat(gone)
                .Where(file => !_noise.Is(file.Path.TrimEnd('/')) && !(_texts.ContainsKey(file.Path) && _texts[file.Path] == Now(file.Path)))
                .OrderBy(file => file.Path, StringComparer.Ordinal)];
    }

    public string Name => "The device";

    public DiskEntry? Find(string path, Accounts accounts) => new RootFolder(root).Look(path, accounts);

    public string? Now(string path) => Text(root, path);

    public IReadOnlyList<string> Waiting() => WaitingProcesses.Of(isMeant: WaitingProcesses.IsOfAStep);

    /// <summary>Nobody is put into the machine's own lists: they act under numbers, with folders of their own below the one for passing files.</summary>
    public (IReadOnlyList<MachinePerson> People, string WhyNone) MakePeople() =>
        root == "/" ? (_people.Make(), "the agent has not the rights to act as others") : ([], $"{root} is a folder, and no machine that has people");

    public IReadOnlyList<string> WrittenBy(MachinePerson person) => TrialPeople.WrittenBy(person);

    public void RemovePeople() => _people.Remove();

    private static string? Text(string root, string path) => File.Exists(root.TrimEnd('/') + path) ? File.ReadAllText(root.TrimEnd('/') + path) : null;
}
