using System.Text;

namespace Bandejo.Core.Fleet;

/// <summary>
/// A short text for each row, kept end to end as well, so that looking through all of them is one pass over memory. Written by one thread at a time;
/// <see cref="Still"/> gives what others read meanwhile.
/// </summary>
public sealed class RowTexts
{
    /// <summary>Stands between two texts; no word that is looked for has it.</summary>
    private const byte Between = (byte)'\n';

    private static readonly string[] NoTexts = EmptyPage.Of(8, "");

    private readonly Pages<string> _texts;

    // Made by whoever first looks, and shared by all who look at the same texts.
    private Lazy<(byte[] All, int[] Ends)>? _endToEnd;
    private int _rows;

    public RowTexts() => _texts = new(NoTexts);

    private RowTexts(Pages<string> texts, int rows) => (_texts, _rows) = (texts, rows);

    /// <summary>Gives a row its text; empty where it has none any more. Small and capital letters are one.</summary>
    public void Set(int row, string text)
    {
        var small = text.ToLowerInvariant();
        if (_texts[row] != small)
        {
            _texts[row] = small;
            _endToEnd = null;
            _rows = Math.Max(_rows, row + 1);
        }
    }

    /// <summary>The texts as they are now, whatever becomes of these.</summary>
    public RowTexts Still()
    {
        var still = new RowTexts(_texts.Still(), _rows);
        still._endToEnd = _endToEnd ??= new(still.PutEndToEnd);
        return still;
    }

    /// <summary>The rows whose text has every one of these words somewhere in it. No words: none are asked for, so every row with a text.</summary>
    /// <param name="words">Words separated by white space.</param>
    public Bitmap Containing(string words)
    {
        var found = new Bitmap(_rows);
        for (var row = 0; row < _rows; row++)
        {
            found[row] = _texts[row].Length > 0;
        }

        var (all, ends) = _endToEnd?.Value ?? PutEndToEnd();
        return words.ToLowerInvariant().Split((char[]?)null, StringSplitOptions.RemoveEmptyEntries)
            .Aggregate(found, (rows, word) => rows.And(With(all, ends, Encoding.UTF8.GetBytes(word))));
    }

    private static Bitmap With(byte[] all, int[] ends, ReadOnlySpan<byte> word)
    {
        var rows = new Bitmap(ends.Length);
        var (row, at) = (0, 0);
        while (all.AsSpan(at).IndexOf(word) is >= 0 and var hit)
        {
            at += hit;
            while (ends[row] <= at)
            {
                row++;
            }

            rows[row] = true;
            at = ends[row];
        }

        return rows;
    }

    private (byte[] All, int[] Ends) PutEndToEnd()
    {
        var size = 0;
        for (var row = 0; row < _rows; row++)
        {
            size += Encoding.UTF8.GetByteCount(_texts[row]) + 1;
        }

        var (all, ends, end) = (new byte[size], new int[_rows], 0);
        for (var row = 0; row < _rows; row++)
        {
            end += Encoding.UTF8.GetBytes(_texts[row], all.AsSpan(end));
            all[end++] = Between;
            ends[row] = end;
        }

        return (all, ends);
    }
}
