namespace Bandejo.Core.Fleet;

/// <summary>
/// A row of values in pages. <see cref="Still"/> gives what stands as it is now, for next to nothing: both share their pages until one is written, which is
/// then copied first. One thread at a time writes; what stands still may be read by any number, while it is written on.
/// </summary>
/// <param name="empty">A page of what nobody has written; its length, a power of two, is that of all pages.</param>
internal sealed class Pages<T>(T[] empty)
{
    private readonly int _bits = System.Numerics.BitOperations.Log2((uint)empty.Length);
    private readonly int _within = empty.Length - 1;
    private T[][] _pages = [];
    private int[] _writtenIn = [];
    private int _writing = 1;
    private bool _isTableShared;
    private bool _isStill;

    /// <summary>One more than the highest place for which there is room.</summary>
    public int Room => _pages.Length << _bits;

    public T this[int at]
    {
        get => (at >> _bits) < _pages.Length ? _pages[at >> _bits][at & _within] : empty[0];
        set => Own(at)[at & _within] = value;
    }

    /// <summary>A page to be read; of values that nobody has written where there is none.</summary>
    public T[] Page(int page) => page < _pages.Length ? _pages[page] : empty;

    /// <summary>What stands here now. It cannot be written.</summary>
    public Pages<T> Still()
    {
        if (_isStill)
        {
            return this;
        }

        _writing++;
        _isTableShared = true;
        return new Pages<T>(empty) { _pages = _pages, _isStill = true };
    }

    /// <summary>The page of a place, to be written.</summary>
    /// <exception cref="InvalidOperationException">It stands still.</exception>
    private T[] Own(int at)
    {
        if (_isStill)
        {
            throw new InvalidOperationException("What stands still is not written.");
        }

        var page = at >> _bits;
        if (page >= _pages.Length)
        {
            var before = _pages.Length;
            Array.Resize(ref _pages, Math.Max(page + 1, before * 2));
            Array.Fill(_pages, empty, before, _pages.Length - before);
            Array.Resize(ref _writtenIn, _pages.Length);
            _isTableShared = false;
        }
        else if (_isTableShared)
        {
            _pages = (T[][])_pages.Clone();
            _isTableShared = false;
        }

        if (_writtenIn[page] != _writing)
        {
            _pages[page] = (T[])_pages[page].Clone();
            _writtenIn[page] = _writing;
        }

        return _pages[page];
    }
}

/// <summary>Pages of what nobody has written.</summary>
internal static class EmptyPage
{
    /// <param name="bits">It holds two to the power of this.</param>
    /// <param name="value">In each place.</param>
    public static T[] Of<T>(int bits, T value)
    {
        var page = new T[1 << bits];
        Array.Fill(page, value);
        return page;
    }
}
