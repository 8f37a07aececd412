using Bandejo.Device.Trials;

namespace Bandejo.Fleet;

/// <summary>A played disk as the ground of a trial: its files before and now.</summary>
internal sealed class PlayedGround(PlayedDisk disk) : ITrialGround
{
    private readonly HashSet<string> _before = [.. disk.Paths()];

    public IReadOnlyList<ChangedFile> Changes() =>
        [.. disk.Paths().Where(path => !_before.Contains(path)).Order(StringComparer.Ordinal).Select(path => new ChangedFile("/" + path, 0))];

    public string Name => "The device";

    public string? Now(string path) => null;

    public IReadOnlyList<string> Waiting() => [];
}
