using ZstdSharp;

namespace Bandejo.Store.Forms;

/// <summary>
/// In which state each target of a book is: in the order of the numbers of devices a byte for each, 0 for none, else the number of the state and one.
/// Compressed by Zstandard (RFC 8878), for nearly all say the same as their neighbours.
/// </summary>
internal static class StatesForm
{
    /// <summary>Of how many devices at most one is read: far above any fleet, far below what would be a danger.</summary>
    private const int Most = 1 << 26;

    public static byte[] Write(ReadOnlySpan<byte> states)
    {
        using var compressor = new Compressor(1);
        return compressor.Wrap(states).ToArray();
    }

    /// <exception cref="FormatException">It is not in the form.</exception>
    public static byte[] Read(ReadOnlySpan<byte> form)
    {
        try
        {
            using var decompressor = new Decompressor();
            return decompressor.Unwrap(form, Most).ToArray();
        }
        catch (ZstdException error)
        {
            throw new FormatException($"Kept states are damaged: {error.Message}", error);
        }
    }
}
