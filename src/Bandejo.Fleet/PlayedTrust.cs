using Bandejo.Contract.Device;
using Bandejo.Device;

namespace Bandejo.Fleet;

/// <summary>A played device is on the service's own machine, or the fleet was told whom to believe; it pins nobody.</summary>
internal sealed class PlayedTrust : IServiceTrust
{
    public string? Tag => null;

    public void Take(TrustInfo trust)
    {
        // Nobody is pinned.
    }
}
