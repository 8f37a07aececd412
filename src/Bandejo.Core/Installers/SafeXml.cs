using System.Xml;
using System.Xml.Linq;

namespace Bandejo.Core.Installers;

/// <summary>Reads XML out of files that nobody has vouched for: no document types, nothing fetched, nothing deeper or longer than makes sense.</summary>
internal static class SafeXml
{
    private const int MaxCharacters = 16 << 20;
    private const int MaxDepth = 64;
    private const int NodeBytes = 160;
    private const int MaxAttributes = 1000;

    /// <exception cref="BrokenFileException">It is not well-formed, or deeper or more than makes sense.</exception>
    /// <exception cref="SpentException">It would take more than it may.</exception>
    public static XElement Read(byte[] content, string name, ReadingBudget budget)
    {
        Attributes(content, name);
        try
        {
            var settings = new XmlReaderSettings { DtdProcessing = DtdProcessing.Prohibit, XmlResolver = null, MaxCharactersInDocument = MaxCharacters };
            using (var depth = XmlReader.Create(new MemoryStream(content), settings))
            {
                while (depth.Read())
                {
                    if (depth.Depth > MaxDepth)
                    {
                        throw new BrokenFileException($"'{name}' inside is nested deeper than makes sense");
                    }

                    // What a node takes in memory when it is kept, and each of its attributes.
                    budget.Entry(NodeBytes * (1 + depth.AttributeCount));
                }
            }

            // The text itself, in two bytes a character.
            budget.Hold(2L * content.Length);
            using var reader = XmlReader.Create(new MemoryStream(content), settings);
            return XElement.Load(reader);
        }
        catch (XmlException error)
        {
            throw new BrokenFileException($"'{name}' inside cannot be read: {Troubles.InWords(error)}");
        }
    }

    /// <summary>Counts the attributes of each element before the reader holds them against one another, which takes the square of their number.</summary>
    private static void Attributes(ReadOnlySpan<byte> content, string name)
    {
        var (isTag, attributes, quote) = (false, 0, (byte)0);
        foreach (var each in content)
        {
            if (quote != 0)
            {
                quote = each == quote ? (byte)0 : quote;
            }
            else if (!isTag)
            {
                (isTag, attributes) = (each == (byte)'<', 0);
            }
            else if (each is (byte)'"' or (byte)'\'')
            {
                quote = each;
            }
            else if (each == (byte)'>')
            {
                isTag = false;
            }
            else if (each == (byte)'=' && ++attributes > MaxAttributes)
            {
                throw new BrokenFileException($"an element in '{name}' inside has more than {MaxAttributes} attributes");
            }
        }
    }

    /// <summary>The first descendant of a name, whatever its namespace; null for none.</summary>
    public static XElement? First(this XElement element, string name) => element.DescendantsAndSelf().FirstOrDefault(each => each.Name.LocalName == name);

    public static IEnumerable<XElement> All(this XElement element, string name) => element.DescendantsAndSelf().Where(each => each.Name.LocalName == name);

    public static string Attr(this XElement? element, string name) => element?.Attributes().FirstOrDefault(each => each.Name.LocalName == name)?.Value ?? "";
}
