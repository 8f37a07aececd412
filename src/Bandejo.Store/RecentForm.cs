namespace Bandejo.Store;

/// <summary>Where an event or an attempt begins among changes that were written, and what it may be looked for by.</summary>
/// <param name="Offset">Behind the letter of its kind, in bytes from the beginning.</param>
/// <param name="Number">The number of an event; 0 for an attempt.</param>
/// <param name="Name">Of an event its topic, of an attempt its identity, as a <see cref="RecentForm.KeyOf"/>.</param>
internal readonly record struct RecentMark(int Offset, long Number, int Name, int Device, int Deployment);

/// <summary>Changes as <see cref="RecentChanges"/> writes them, in a buffer that is used again.</summary>
internal sealed class RecentForm
{
    private readonly MemoryStream _form = new();
    private readonly List<RecentMark> _marks = [];

    public RecentForm() => Writer = new BinaryWriter(_form);

    public BinaryWriter Writer { get; }

    /// <summary>How many changes were written.</summary>
    public int Count { get; private set; }

    public IReadOnlyList<RecentMark> Marks => _marks;

    /// <summary>What was written; good until the next <see cref="Clear"/>.</summary>
    public ReadOnlyMemory<byte> Written => _form.GetBuffer().AsMemory(0, (int)_form.Length);

    /// <summary>A key that tells most texts apart within this process; whoever finds one must compare the text itself.</summary>
    public static int KeyOf(string? text) => text is null ? 0 : string.GetHashCode(text, StringComparison.Ordinal);

    public void Clear()
    {
        _form.SetLength(0);
        _marks.Clear();
        Count = 0;
    }

    /// <summary>Begins a change of a kind.</summary>
    public void Begin(char kind)
    {
        Writer.Write((byte)kind);
        Count++;
    }

    /// <summary>Remembers that the record that follows begins here.</summary>
    public void Mark(long number, string name, string? device, string? deployment) => _marks.Add(new RecentMark((int)_form.Length, number, KeyOf(name), KeyOf(device), KeyOf(deployment)));
}
