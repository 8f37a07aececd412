using System.Runtime.InteropServices;

namespace Bandejo.Core.Fleet;

/// <summary>
/// Gives each word that thousands of devices say alike (names of facts and programs, versions, sources) a number, which stays that word's for as long as
/// it is in the book. Words that no device says any more are let go by <see cref="KeepOnly"/> alone, before anybody remembers what a number meant.
/// Not safe for use from several threads at once.
/// </summary>
public sealed class WordBook
{
    private readonly List<string?> _words = [];
    private readonly Dictionary<string, int> _numbers = new(StringComparer.Ordinal);
    private readonly Queue<int> _free = [];
    private List<int> _new = [];
    private List<int> _gone = [];

    public WordBook()
    {
    }

    /// <summary>The book as it was kept: each word with its number, in the order of the numbers, which may leave some out.</summary>
    public WordBook(IEnumerable<(int Number, string Text)> kept)
    {
        foreach (var (number, text) in kept)
        {
            while (_words.Count < number)
            {
                _free.Enqueue(_words.Count);
                _words.Add(null);
            }

            _numbers.Add(text, number);
            _words.Add(text);
        }
    }

    /// <summary>How many words it holds.</summary>
    public int Count => _numbers.Count;

    /// <summary>The word of a number.</summary>
    /// <exception cref="FormatException">There is no such number.</exception>
    public string this[int number] => (uint)number < (uint)_words.Count && _words[number] is { } word ? word : throw new FormatException($"Word {number} is not in the book.");

    /// <summary>Whether the book holds a word.</summary>
    public bool Holds(string word) => _numbers.ContainsKey(word);

    /// <summary>The number of a word; a new one where it was not in the book.</summary>
    public int Number(string word)
    {
        ref var number = ref CollectionsMarshal.GetValueRefOrAddDefault(_numbers, word, out var isThere);
        if (!isThere)
        {
            if (_free.TryDequeue(out number))
            {
                _words[number] = word;
            }
            else
            {
                number = _words.Count;
                _words.Add(word);
            }

            _new.Add(number);
        }

        return number;
    }

    /// <summary>Lets go all words but those of the sheets that are kept. Their numbers will mean other words: whoever remembers what a number meant must forget it.</summary>
    /// <exception cref="FormatException">A sheet is not one, or uses a word that the book does not have.</exception>
    public void KeepOnly(IEnumerable<FactSheet> sheets)
    {
        var said = new bool[_words.Count];
        foreach (var sheet in sheets)
        {
            sheet.Mark(said);
        }

        for (var number = 0; number < _words.Count; number++)
        {
            if (_words[number] is { } word && !said[number])
            {
                _numbers.Remove(word);
                _words[number] = null;
                _free.Enqueue(number);
                _gone.Add(number);
            }
        }
    }

    /// <summary>What is to be kept of the book since this was last asked: first the numbers that mean nothing any more, then those that mean a new word.</summary>
    public (IReadOnlyList<int> Gone, IReadOnlyList<(int Number, string Text)> New) TakeChanges()
    {
        if (_gone.Count == 0 && _new.Count == 0)
        {
            return ([], []);
        }

        var changes = (_gone, _new.ConvertAll(number => (number, this[number])));
        (_gone, _new) = ([], []);
        return changes;
    }
}
