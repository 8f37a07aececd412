using Bandejo.Device.Trials;

namespace Bandejo.Agent;

/// <summary>A whole machine as the ground of a trial: it is looked at before, and what is other afterwards was changed, less what any system changes.</summary>
/// <param name="root">The folder that is the machine.</param>
/// <param name="own">The agent's own folder, which is left out.</param>
internal sealed class MachineGround(string root, string own) : ITrialGround
{
    private readonly TrialNoise _noise = new(TrialInside.Noise());
    private readonly Dictionary<string, MachineEntry> _before = MachineLook.Entries(root, own);

    public IReadOnlyList<ChangedFile> Changes() =>
        [.. MachineLook.Entries(root, own).Where(pair => pair.Value.Kind != "folder" && _before.GetValueOrDefault(pair.Key) != pair.Value && !_noise.Is(pair.Key)).Select(pair => new ChangedFile(pair.Key, pair.Value.Size)).OrderBy(file => file.Path, StringComparer.Ordinal)];

    public IReadOnlyList<string> Waiting() => WaitingProcesses.Of(isMeant: WaitingProcesses.IsOfAStep);
}
