using System.Runtime.InteropServices;

namespace Bandejo.Core.Fleet;

/// <summary>
/// Gives each word that thousands of devices say alike (names of facts and programs, versions, sources) a number, which stays that word's for as long as
/// it is in the book. Words that no device says any more are let go by <see cref="KeepOnly"/> alone, before anybody remembers what a number meant.
/// One thread at a time writes; any may look up meanwhile what the numbers mean that it was handed.
/// </summary>
public sealed class WordBook
{
    private string?[] _words = [];
    private int _count;
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
            while (_count < number)
            {
                _free.Enqueue(_count);
                Add(null);
            }

            _numbers.Add(text, number);
            Add(text);
        }
    }

    /// <summary>How many words it holds.</summary>
    public int Count => _numbers.Count;

    /// <summary>The word of a number.</summary>
    /// <exception cref="FormatException">There is no such number.</exception>
    public string this[int number] =>
        _words is var words && (uint)number < (uint)words.Length && words[number] is { } word
            ? word
            : throw new FormatException($"Word {number} is not in the book.");

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
                number = _count;
                Add(word);
            }

            _new.Add(number);
        }

        return number;
    }

    /// <summary>Takes over a word that was given its number elsewhere.</summary>
    internal void Learn(int number, string word)
    {
        if (_numbers.TryAdd(word, number))
        {
            while (_count <= number)
            {
                Add(null);
            }

            _words[number] = word;
        }
    }

    /// <summary>
    /// Lets go all words but those of the sheets that are kept. Their numbers will mean other words: whoever remembers what a number meant must forget it.
    /// </summary>
    /// <exception cref="FormatException">A sheet is not one, or uses a word that the book does not have.</exception>
    public void KeepOnly(IEnumerable<FactSheet> sheets)
    {
        var said = new bool[_count];
        foreach (var sheet in sheets)
        {
            sheet.Mark(said);
        }

        for (var number = 0; number < _count; number++)
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

    /// <summary>
    /// What is to be kept of the book since this was last asked: first the numbers that mean nothing any more, then those that mean a new word.
    /// </summary>
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

    private void Add(string? word)
    {
        if (_count == _words.Length)
        {
            Array.Resize(ref _words, Math.Max(256, _count * 2));
        }

        _words[_count++] = word;
    }
}
