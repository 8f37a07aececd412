using System.Text;

namespace Bandejo.Core.Fleet;

/// <summary>A short text for each row, kept end to end as well, so that looking through all of them is one pass over memory.</summary>
public sealed class RowTexts
{
    /// <summary>Stands between two texts; no word that is looked for has it.</summary>
    private const byte Between = (byte)'\n';

    private readonly List<string> _texts = [];
    private byte[] _all = [];
    private int[] _ends = [];
    private bool _isStale;

    /// <summary>Gives a row its text; empty where it has none any more. Small and capital letters are one.</summary>
    public void Set(int row, string text)
    {
        while (_texts.Count <= row)
        {
            _texts.Add("");
        }

        var small = text.ToLowerInvariant();
        if (_texts[row] != small)
        {
            _texts[row] = small;
            _isStale = true;
        }
    }

    /// <summary>The rows whose text has every one of these words somewhere in it. No words: none are asked for, so every row with a text.</summary>
    /// <param name="words">Words separated by white space.</param>
    public Bitmap Containing(string words)
    {
        Renew();
        var found = new Bitmap(_texts.Count);
        for (var row = 0; row < _texts.Count; row++)
        {
            found[row] = _texts[row].Length > 0;
        }

        return words.ToLowerInvariant().Split((char[]?)null, StringSplitOptions.RemoveEmptyEntries).Aggregate(found, (rows, word) => rows.And(With(Encoding.UTF8.GetBytes(word))));
    }

    private Bitmap With(ReadOnlySpan<byte> word)
    {
        var rows = new Bitmap(_texts.Count);
        var (row, at) = (0, 0);
        while (_all.AsSpan(at).IndexOf(word) is >= 0 and var hit)
        {
            at += hit;
            while (_ends[row] <= at)
            {
                row++;
            }

            rows[row] = true;
            at = _ends[row];
        }

        return rows;
    }

    private void Renew()
    {
        if (!_isStale)
        {
            return;
        }

        _all = new byte[_texts.Sum(text => Encoding.UTF8.GetByteCount(text) + 1)];
        _ends = new int[_texts.Count];
        var end = 0;
        for (var row = 0; row < _texts.Count; row++)
        {
            end += Encoding.UTF8.GetBytes(_texts[row], _all.AsSpan(end));
            _all[end++] = Between;
            _ends[row] = end;
        }

        _isStale = false;
    }
}
