namespace Bandejo.Device;

/// <summary>The packet that wakes a machine: six bytes of ones and sixteen times the address of its card (AMD publication 20213).</summary>
public static class MagicPacket
{
    /// <summary>The port that it is sent to; nobody listens there, the card looks at every packet (discard, RFC 863).</summary>
    public const int Port = 9;

    private const int Length = 6;
    private const int Repeats = 16;

    /// <summary>Whether a text is the address of a card: six pairs of hexadecimal digits with colons or hyphens between them, of one machine alone.</summary>
    public static bool IsAddress(string? text) =>
        text is { Length: 17 }
        && Enumerable.Range(0, 17).All(at => at % 3 == 2 ? text[at] == text[2] && text[at] is ':' or '-' : char.IsAsciiHexDigit(text[at]))
        && (Convert.FromHexString(text[..2])[0] & 1) == 0 && text.Any(sign => sign is not ('0' or ':' or '-'));

    /// <summary>The packet for an address.</summary>
    public static byte[] For(string address)
    {
        var card = address.Split(address[2]).Select(pair => Convert.FromHexString(pair)[0]).ToArray();
        return [.. Enumerable.Repeat((byte)0xff, Length), .. Enumerable.Repeat(card, Repeats).SelectMany(each => each)];
    }
}
