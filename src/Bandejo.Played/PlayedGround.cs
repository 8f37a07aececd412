using Bandejo.Device.Trials;

namespace Bandejo.Played;

/// <summary>A played machine as the ground of a trial: its files before and now.</summary>
public sealed class PlayedGround(PlayedMachine machine) : ITrialGround
{
    private readonly HashSet<string> _before = [.. machine.Paths()];

    public IReadOnlyList<ChangedFile> Changes() =>
        [.. machine.Paths().Where(path => !_before.Contains(path)).Order(StringComparer.Ordinal).Select(path => new ChangedFile("/" + path, 0))];

    public string Name => "The device";

    public string? Now(string path) => null;

    public IReadOnlyList<string> Waiting() => [];
}
