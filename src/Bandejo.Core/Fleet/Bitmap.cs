using System.Numerics;

namespace Bandejo.Core.Fleet;

/// <summary>
/// A set of row numbers, one bit each. Grows by itself; rows past the end are not in it. <see cref="Still"/> gives what stands as it is now: both share their
/// words until one of them is written.
/// </summary>
public sealed class Bitmap
{
    private ulong[] _words;
    private bool _isShared;

    public Bitmap(int rows = 0) => _words = new ulong[(rows + 63) / 64];

    private Bitmap(ulong[] words) => _words = words;

    internal ulong[] Words => _words;

    /// <summary>A set for so many rows whose words all stand to be written; what is in them before is not said.</summary>
    internal static Bitmap Unwritten(int rows) => new(GC.AllocateUninitializedArray<ulong>((rows + 63) / 64));

    public bool this[int row]
    {
        get => (row >> 6) < _words.Length && (_words[row >> 6] & (1UL << (row & 63))) != 0;
        set
        {
            if ((row >> 6) >= _words.Length)
            {
                if (!value)
                {
                    return;
                }

                Array.Resize(ref _words, Math.Max((row >> 6) + 1, _words.Length * 2));
                _isShared = false;
            }
            else if (_isShared)
            {
                if (this[row] == value)
                {
                    return;
                }

                Own();
            }

            if (value)
            {
                _words[row >> 6] |= 1UL << (row & 63);
            }
            else
            {
                _words[row >> 6] &= ~(1UL << (row & 63));
            }
        }
    }

    /// <summary>How many rows are in the set.</summary>
    public int Count()
    {
        var count = 0;
        foreach (var word in _words)
        {
            count += BitOperations.PopCount(word);
        }

        return count;
    }

    /// <summary>How many rows are in both.</summary>
    public int CountWith(Bitmap other)
    {
        var count = 0;
        for (var i = 0; i < Math.Min(_words.Length, other._words.Length); i++)
        {
            count += BitOperations.PopCount(_words[i] & other._words[i]);
        }

        return count;
    }

    public bool IsEmpty() => Array.TrueForAll(_words, word => word == 0);

    /// <summary>Another set with the same rows, to be changed at will.</summary>
    public Bitmap Copy() => new((ulong[])_words.Clone());

    /// <summary>What stands here now, whatever becomes of this one. Shared by many readers it must not be changed.</summary>
    public Bitmap Still()
    {
        _isShared = true;
        return new Bitmap(_words) { _isShared = true };
    }

    /// <summary>Whether both hold the same rows.</summary>
    public bool HoldsSame(Bitmap other) => Covers(_words, other._words) && Covers(other._words, _words);

    /// <summary>Keeps only the rows that are in both: this set itself is another then.</summary>
    public Bitmap And(Bitmap other)
    {
        Own();
        var both = Math.Min(_words.Length, other._words.Length);
        var at = 0;
        for (; at <= both - Vector<ulong>.Count; at += Vector<ulong>.Count)
        {
            (new Vector<ulong>(_words, at) & new Vector<ulong>(other._words, at)).CopyTo(_words, at);
        }

        for (; at < both; at++)
        {
            _words[at] &= other._words[at];
        }

        Array.Clear(_words, both, _words.Length - both);
        return this;
    }

    /// <summary>Adds the rows of the other.</summary>
    public Bitmap Or(Bitmap other)
    {
        Own();
        if (other._words.Length > _words.Length)
        {
            Array.Resize(ref _words, other._words.Length);
        }

        for (var i = 0; i < other._words.Length; i++)
        {
            _words[i] |= other._words[i];
        }

        return this;
    }

    /// <summary>Takes the rows of the other away.</summary>
    public Bitmap Except(Bitmap other)
    {
        Own();
        for (var i = 0; i < Math.Min(_words.Length, other._words.Length); i++)
        {
            _words[i] &= ~other._words[i];
        }

        return this;
    }

    /// <summary>Adds a row.</summary>
    public Bitmap With(int row)
    {
        this[row] = true;
        return this;
    }

    /// <summary>The rows, ascending.</summary>
    public IEnumerable<int> Rows()
    {
        for (var i = 0; i < _words.Length; i++)
        {
            for (var word = _words[i]; word != 0; word &= word - 1)
            {
                yield return (i << 6) + BitOperations.TrailingZeroCount(word);
            }
        }
    }

    private static bool Covers(ulong[] some, ulong[] all)
    {
        for (var i = 0; i < some.Length; i++)
        {
            if ((some[i] & ~(i < all.Length ? all[i] : 0)) != 0)
            {
                return false;
            }
        }

        return true;
    }

    private void Own()
    {
        if (_isShared)
        {
            _words = (ulong[])_words.Clone();
            _isShared = false;
        }
    }
}
