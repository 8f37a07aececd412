using Google.Protobuf;
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

    /// <summary>Writes which targets are in another state than before.</summary>
    /// <param name="moved">The states of devices, by their numbers.</param>
    public static void Put(KeptCounts counts, SortedDictionary<uint, byte> moved)
    {
        counts.Devices.Clear();
        var last = 0u;
        foreach (var device in moved.Keys)
        {
            counts.Devices.Add(device - last);
            last = device;
        }

        counts.Changed = ByteString.CopyFrom([.. moved.Values]);
    }

    /// <summary>Takes over which targets came into another state.</summary>
    /// <param name="states">Grows where there are more devices.</param>
    /// <exception cref="FormatException">It is not in the form.</exception>
    public static void Take(KeptCounts counts, ref byte[] states)
    {
        var device = 0L;
        if (counts.Devices.Count != counts.Changed.Length)
        {
            throw new FormatException($"Of {counts.Devices.Count} targets {counts.Changed.Length} states are kept.");
        }

        for (var at = 0; at < counts.Devices.Count; at++)
        {
            device += counts.Devices[at];
            if (device >= Most)
            {
                throw new FormatException($"A kept target cannot be: of device {device}.");
            }

            if (device >= states.Length)
            {
                Array.Resize(ref states, (int)Math.Max(device + 1, states.Length * 2L));
            }

            states[device] = counts.Changed[at];
        }
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
