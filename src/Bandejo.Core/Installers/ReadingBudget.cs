namespace Bandejo.Core.Installers;

/// <summary>
/// What reading one file may cost at most: time, what is unpacked, what is taken into memory, and how many things inside are looked at. Handed to every
/// reader and asked in its innermost loops, so that no file, however it was made, keeps a reader busy for longer or makes it larger than this.
/// </summary>
/// <param name="time">The clock that the time is taken by.</param>
/// <param name="cancellation">Ends the reading at the next question.</param>
public sealed class ReadingBudget(TimeProvider time, CancellationToken cancellation = default)
{
    /// <summary>How many small steps are made between two looks at the clock.</summary>
    private const int StepsBetweenLooks = 1024;

    private readonly long _began = time.GetTimestamp();
    private long _unpacked;
    private long _held;
    private long _entries;
    private int _steps;

    /// <summary>The longest time. Default 10 seconds.</summary>
    public TimeSpan Time { get; init; } = TimeSpan.FromSeconds(10);

    /// <summary>The most bytes that are unpacked. Default 256 MiB.</summary>
    public long Unpacked { get; init; } = 256L << 20;

    /// <summary>The most bytes that are taken into memory, one after the other. Default 256 MiB.</summary>
    public long Memory { get; init; } = 256L << 20;

    /// <summary>The most files, rows, nodes and the like that are looked at. Default two million.</summary>
    public long Entries { get; init; } = 2_000_000;

    /// <summary>A step that costs next to nothing was made.</summary>
    /// <exception cref="SpentException">The time is over.</exception>
    /// <exception cref="OperationCanceledException">It was told to stop.</exception>
    internal void Step()
    {
        if (++_steps >= StepsBetweenLooks)
        {
            Look();
        }
    }

    /// <summary>So many bytes came out of what was packed.</summary>
    /// <inheritdoc cref="Step" path="/exception"/>
    internal void Unpack(long bytes)
    {
        if ((_unpacked += bytes) > Unpacked)
        {
            throw new SpentException($"more than {Unpacked >> 20} MiB had been unpacked");
        }

        Look();
    }

    /// <summary>So many bytes were, or are about to be, taken into memory.</summary>
    /// <inheritdoc cref="Step" path="/exception"/>
    internal void Hold(long bytes)
    {
        if ((_held += bytes) > Memory)
        {
            throw new SpentException($"it had asked for more than {Memory >> 20} MiB of memory");
        }

        Step();
    }

    /// <summary>One more thing inside was come to.</summary>
    /// <param name="bytes">What it takes in memory.</param>
    /// <inheritdoc cref="Step" path="/exception"/>
    internal void Entry(int bytes = 0)
    {
        if (++_entries > Entries)
        {
            throw new SpentException($"more than {Entries:N0} things inside had been looked at");
        }

        Hold(bytes);
    }

    private void Look()
    {
        _steps = 0;
        cancellation.ThrowIfCancellationRequested();
        if (time.GetElapsedTime(_began) > Time)
        {
            throw new SpentException(string.Create(System.Globalization.CultureInfo.InvariantCulture, $"it had taken {Time.TotalSeconds:0.#} seconds"));
        }
    }
}

/// <summary>A file would cost more to read than it may. What was read before is kept.</summary>
internal sealed class SpentException(string why) : Exception(why);
