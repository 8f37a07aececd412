using Bandejo.Device.Trials;

namespace Bandejo.Agent;

/// <summary>The ground of a trial on Windows, which cannot be looked over yet: a trial there ends with these words.</summary>
internal sealed class NoGround : ITrialGround
{
    public string Name => "The device";

    public IReadOnlyList<ChangedFile> Changes() =>
        throw new IOException("A trial on Windows is not possible yet: what a package changes there cannot be told.");

    public string? Now(string path) => null;

    public IReadOnlyList<string> Waiting() => [];
}
