using System.Buffers.Binary;
using System.Text;

namespace Bandejo.Core.Tests.Installers;

/// <summary>RPM packages and cabinets, made up byte by byte.</summary>
internal static class RpmSamples
{
    /// <summary>A package with a header of the usual tags, and nothing packed behind it.</summary>
    /// <param name="change">Changes the tags before they are written.</param>
    public static byte[] Rpm(Action<SortedDictionary<int, object>>? change = null)
    {
        var tags = new SortedDictionary<int, object>
        {
            [1000] = "inkwell-print", [1001] = "4.3.0", [1002] = "1.el9", [1004] = "Prints what is written", [1009] = 2_048_000, [1011] = "Bellwether Works",
            [1021] = "linux", [1022] = "x86_64",
            [1024] = "systemctl daemon-reload", [1028] = new[] { 2000, 100 },
            [1049] = new[] { "/bin/sh", "libc.so.6()(64bit)", "marlin-runtime", "rpmlib(CompressedFileNames)" }, [1116] = new[] { 0, 1 },
            [1117] = new[] { "inkwell", "inkwell.conf" },
            [1118] = new[] { "/usr/bin/", "/etc/" },
        };
        change?.Invoke(tags);
        var lead = new byte[96];
        ((ReadOnlySpan<byte>)[0xED, 0xAB, 0xEE, 0xDB, 3, 0, 0, 0]).CopyTo(lead);
        byte[] signed = [.. Header(tags), .. new byte[64]];
        var signatures = Header(new SortedDictionary<int, object> { [1000] = signed.Length });
        return [.. lead, .. signatures, .. new byte[(8 - (signatures.Length % 8)) % 8], .. signed];
    }

    public static byte[] Cabinet(params (string Name, int Size)[] files)
    {
        var head = new byte[36];
        "MSCF"u8.CopyTo(head);
        BinaryPrimitives.WriteInt32LittleEndian(head.AsSpan(16), 36);
        BinaryPrimitives.WriteUInt16LittleEndian(head.AsSpan(28), (ushort)files.Length);
        return [.. head, .. files.SelectMany(file => (byte[])[.. BitConverter.GetBytes(file.Size), .. new byte[12], .. Encoding.ASCII.GetBytes(file.Name), 0])];
    }

    private static byte[] Header(SortedDictionary<int, object> tags)
    {
        var (index, data) = (new List<byte>(), new List<byte>());
        foreach (var (tag, value) in tags)
        {
            var (type, count, bytes) = value switch
            {
                string text => (6, 1, (byte[])[.. Encoding.UTF8.GetBytes(text), 0]),
                string[] texts => (8, texts.Length, [.. texts.SelectMany(text => (byte[])[.. Encoding.UTF8.GetBytes(text), 0])]),
                int number => (4, 1, Big(number)),
                int[] numbers => (4, numbers.Length, [.. numbers.SelectMany(Big)]),
                _ => throw new ArgumentException("No form for it.", nameof(tags)),
            };
            index.AddRange([.. Big(tag), .. Big(type), .. Big(data.Count), .. Big(count)]);
            data.AddRange(bytes);
        }

        return [0x8E, 0xAD, 0xE8, 1, 0, 0, 0, 0, .. Big(tags.Count), .. Big(data.Count), .. index, .. data];
    }

    private static byte[] Big(int number)
    {
        var bytes = new byte[4];
        BinaryPrimitives.WriteInt32BigEndian(bytes, number);
        return bytes;
    }
}
