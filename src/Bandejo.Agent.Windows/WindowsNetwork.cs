using Bandejo.Device;

namespace Bandejo.Agent;

/// <summary>The network of a machine with Windows.</summary>
internal sealed class WindowsNetwork : IMachineNetwork
{
    /// <summary>Not known yet: Windows says it to whoever speaks to its network list.</summary>
    public bool? IsMetered => null;

    public void Wake(string address) => WakingPacket.Send(address);
}
