using System.Text;

namespace Bandejo.Store;

/// <summary>Holds each of many equal texts once.</summary>
internal sealed class TextPool
{
    private const int Short = 256;

    private readonly Dictionary<string, string> _texts;
    private readonly Dictionary<string, string>.AlternateLookup<ReadOnlySpan<char>> _byCharacters;

    public TextPool()
    {
        _texts = new(StringComparer.Ordinal);
        _byCharacters = _texts.GetAlternateLookup<ReadOnlySpan<char>>();
    }

    public string Of(string text) => _texts.TryGetValue(text, out var known) ? known : _texts[text] = text;

    /// <summary>A text that is given in UTF-8.</summary>
    public string Of(ReadOnlySpan<byte> utf8)
    {
        // Texts of a byte a character are no longer than their bytes.
        if (utf8.Length <= Short)
        {
            Span<char> characters = stackalloc char[utf8.Length];
            var text = characters[..Encoding.UTF8.GetChars(utf8, characters)];
            return _byCharacters.TryGetValue(text, out var known) ? known : Of(text.ToString());
        }

        return Of(Encoding.UTF8.GetString(utf8));
    }
}
