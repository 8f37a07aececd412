using Bandejo.Device;

namespace Bandejo.Agent;

/// <summary>A machine without a user, such as one that packages are tried on.</summary>
internal sealed class NobodyThere : IMachineUser
{
    public bool IsSignedIn => false;

    public IReadOnlyList<UserWord> Said() => [];

    public void Tell(string text)
    {
        // Nobody would see it.
    }

    public void Taken(string id)
    {
        // Nobody said anything.
    }
}
