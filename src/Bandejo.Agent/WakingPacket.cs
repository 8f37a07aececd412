using System.Net;
using System.Net.Sockets;
using Bandejo.Device;

namespace Bandejo.Agent;

/// <summary>Sends the packet that wakes a machine to all in the same network.</summary>
internal static class WakingPacket
{
    /// <summary>Sends it.</summary>
    /// <param name="address">The address of the network card, as twelve hexadecimal digits in pairs.</param>
    /// <exception cref="IOException">It cannot be sent.</exception>
    public static void Send(string address)
    {
        try
        {
            using var socket = new UdpClient { EnableBroadcast = true };
            socket.Send(MagicPacket.For(address), new IPEndPoint(IPAddress.Broadcast, MagicPacket.Port));
        }
        catch (SocketException error)
        {
            throw new IOException(error.Message, error);
        }
    }
}
