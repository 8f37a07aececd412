using System.Buffers.Binary;

namespace Bandejo.Core.Installers;

/// <summary>
/// The summary information of a compound file ([MS-OLEPS]): title, subject, author, and for an installer database its architecture and languages.
/// </summary>
internal sealed class SummaryInformation
{
    public const string StreamName = "\u0005SummaryInformation";

    private readonly Dictionary<int, object> _values = [];

    public SummaryInformation(byte[] stream)
    {
        if (stream.Length < 48)
        {
            return;
        }

        var section = BinaryPrimitives.ReadInt32LittleEndian(stream.AsSpan(44));
        if (section < 0 || section > stream.Length - 8)
        {
            return;
        }

        var count = Math.Min(BinaryPrimitives.ReadInt32LittleEndian(stream.AsSpan(section + 4)), 64);
        var page = 0;
        for (var i = 0; i < count && section + 16 + (i * 8) <= stream.Length; i++)
        {
            var id = BinaryPrimitives.ReadInt32LittleEndian(stream.AsSpan(section + 8 + (i * 8)));
            var at = section + (long)BinaryPrimitives.ReadInt32LittleEndian(stream.AsSpan(section + 12 + (i * 8)));
            if (at < 0 || at > stream.Length - 8)
            {
                continue;
            }

            var value = stream.AsSpan((int)at);
            switch (BinaryPrimitives.ReadInt32LittleEndian(value))
            {
                case 2:
                    _values[id] = (int)BinaryPrimitives.ReadInt16LittleEndian(value[4..]);
                    page = id == 1 ? BinaryPrimitives.ReadUInt16LittleEndian(value[4..]) : page;
                    break;
                case 3:
                    _values[id] = BinaryPrimitives.ReadInt32LittleEndian(value[4..]);
                    break;
                case 30 when BinaryPrimitives.ReadInt32LittleEndian(value[4..]) is >= 0 and var length && length <= value.Length - 8:
                    _values[id] = DatabaseTables.EncodingOf(page).GetString(value.Slice(8, length)).TrimEnd('\0');
                    break;
            }
        }
    }

    public string Title => Text(2);

    public string Subject => Text(3);

    public string Author => Text(4);

    /// <summary>Architecture and languages, such as <c>x64;1033</c>.</summary>
    public string Template => Text(7);

    /// <summary>For a database its package code, for a transform the product codes before and after.</summary>
    public string Revision => Text(9);

    /// <summary>For a database: bits, of which 8 says that no rights of an administrator are needed.</summary>
    public int Words => _values.GetValueOrDefault(15) as int? ?? 0;

    private string Text(int id) => _values.GetValueOrDefault(id) as string ?? "";
}
