using System.Xml;
using System.Xml.Linq;

namespace Bandejo.Core.Installers;

/// <summary>Reads XML out of files that nobody has vouched for: no document types, nothing fetched, nothing deeper or longer than makes sense.</summary>
internal static class SafeXml
{
    private const int MaxCharacters = 16 << 20;
    private const int MaxDepth = 64;

    /// <exception cref="BrokenFileException">It is not well-formed.</exception>
    public static XElement Read(byte[] content, string name)
    {
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
                }
            }

            using var reader = XmlReader.Create(new MemoryStream(content), settings);
            return XElement.Load(reader);
        }
        catch (XmlException error)
        {
            throw new BrokenFileException($"'{name}' inside is not XML that can be read ({error.Message})");
        }
    }

    /// <summary>The first descendant of a name, whatever its namespace; null for none.</summary>
    public static XElement? First(this XElement element, string name) => element.DescendantsAndSelf().FirstOrDefault(each => each.Name.LocalName == name);

    public static IEnumerable<XElement> All(this XElement element, string name) => element.DescendantsAndSelf().Where(each => each.Name.LocalName == name);

    public static string Attr(this XElement? element, string name) => element?.Attributes().FirstOrDefault(each => each.Name.LocalName == name)?.Value ?? "";
}
