using System.Globalization;
using System.Text;

namespace Bandejo.Core.Installers;

/// <summary>The version data of a Windows program (VS_VERSIONINFO): a tree of blocks, each with its length, key and value.</summary>
internal sealed class VersionData
{
    private readonly Dictionary<string, string> _texts = new(StringComparer.Ordinal);

    public VersionData(byte[] data) => Block(data, 0, data.Length, 0);

    /// <summary>The numbers of file and product, such as <c>7.2.0.0</c>; empty where there are none.</summary>
    public string FileVersion { get; private set; } = "";

    public string ProductVersion { get; private set; } = "";

    /// <summary>A text, such as <c>ProductName</c>; empty where there is none.</summary>
    public string this[string name] => _texts.GetValueOrDefault(name, "");

    private void Block(byte[] data, int at, int end, int depth)
    {
        while (at + 6 <= end && depth < 6)
        {
            var (length, valueLength, isText) = (data[at] | (data[at + 1] << 8), data[at + 2] | (data[at + 3] << 8), data[at + 4] == 1);
            if (length < 6 || at + length > end)
            {
                return;
            }

            var keyEnd = at + 6;
            while (keyEnd + 1 < at + length && (data[keyEnd] | data[keyEnd + 1]) != 0)
            {
                keyEnd += 2;
            }

            var key = Encoding.Unicode.GetString(data, at + 6, keyEnd - at - 6);
            var value = Aligned(keyEnd + 2);
            if (key == "VS_VERSION_INFO" && valueLength >= 52 && value + 52 <= at + length && BitConverter.ToUInt32(data, value) == 0xFEEF04BD)
            {
                FileVersion = Numbers(data, value + 8);
                ProductVersion = Numbers(data, value + 16);
            }
            else if (isText && valueLength > 0 && value < at + length)
            {
                var bytes = Math.Min(valueLength * 2, at + length - value);
                var text = Encoding.Unicode.GetString(data, value, bytes - (bytes % 2));
                _texts.TryAdd(key, text.Split('\0')[0].Trim());
            }

            var children = key is "VS_VERSION_INFO" ? Aligned(value + valueLength) : value;
            if (!isText || valueLength == 0)
            {
                Block(data, children, at + length, depth + 1);
            }

            at = Aligned(at + length);
        }
    }

    private static int Aligned(int at) => (at + 3) & ~3;

    private static string Numbers(byte[] data, int at)
    {
        var (high, low) = (BitConverter.ToUInt32(data, at), BitConverter.ToUInt32(data, at + 4));
        return high == 0 && low == 0 ? "" : string.Create(CultureInfo.InvariantCulture, $"{high >> 16}.{high & 0xFFFF}.{low >> 16}.{low & 0xFFFF}");
    }
}
