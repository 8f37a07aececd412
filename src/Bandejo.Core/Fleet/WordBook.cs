using System.Runtime.InteropServices;

namespace Bandejo.Core.Fleet;

/// <summary>
/// Gives each word that thousands of devices say alike (names of facts and programs, versions, sources) a number, once and for ever: it only grows.
/// Not safe for use from several threads at once.
/// </summary>
public sealed class WordBook
{
    private readonly List<string> _words = [];
    private readonly Dictionary<string, int> _numbers = new(StringComparer.Ordinal);

    public WordBook()
    {
    }

    /// <summary>The book as it was kept: the words in the order of their numbers, which begin at 0.</summary>
    public WordBook(IEnumerable<string> words)
    {
        foreach (var word in words)
        {
            _numbers.Add(word, _words.Count);
            _words.Add(word);
        }
    }

    /// <summary>How many words it holds; the next new one gets this number.</summary>
    public int Count => _words.Count;

    /// <summary>The word of a number.</summary>
    /// <exception cref="FormatException">There is no such number.</exception>
    public string this[int number] => (uint)number < (uint)_words.Count ? _words[number] : throw new FormatException($"Word {number} is not in the book, which ends before {_words.Count}.");

    /// <summary>Whether the book holds a word.</summary>
    public bool Holds(string word) => _numbers.ContainsKey(word);

    /// <summary>The number of a word; a new one where it was not in the book.</summary>
    public int Number(string word)
    {
        ref var number = ref CollectionsMarshal.GetValueRefOrAddDefault(_numbers, word, out var isThere);
        if (!isThere)
        {
            number = _words.Count;
            _words.Add(word);
        }

        return number;
    }
}
