using System.Text;
using Bandejo.Core.World;

namespace Bandejo.Store;

/// <summary>Where an event or an attempt begins among changes that were written, and what it may be looked for by.</summary>
/// <param name="Offset">Behind the letter of its kind, in bytes from the beginning.</param>
/// <param name="Number">The number of an event; 0 for an attempt.</param>
/// <param name="Name">Of an event its topic, of an attempt its identity, as a <see cref="KeyOf(string)"/>.</param>
internal readonly record struct RecentMark(int Offset, long Number, int Name, int Device, int Deployment)
{
    /// <summary>The mark of a change; null for one that nobody looks for.</summary>
    public static RecentMark? Of(Change change, int offset) => change switch
    {
        PutAttempt(var attempt) => new RecentMark(offset, 0, KeyOf(attempt.Id), KeyOf(attempt.Device), KeyOf(attempt.Deployment)),
        AddEvent(var added) => new RecentMark(offset, added.Number, KeyOf(added.Topic), KeyOf(added.Device), KeyOf(added.Deployment)),
        _ => null,
    };

    /// <summary>The key where there is no text.</summary>
    public const int NoKey = 0;

    private const int Short = 256;

    /// <summary>A key that tells most texts apart within this process; whoever finds one must compare the text itself.</summary>
    public static int KeyOf(string? text) => text is null ? NoKey : string.GetHashCode(text, StringComparison.Ordinal);

    /// <summary>The same of a text in UTF-8.</summary>
    public static int KeyOf(ReadOnlySpan<byte> utf8)
    {
        if (utf8.Length > Short)
        {
            return KeyOf(Encoding.UTF8.GetString(utf8));
        }

        Span<char> characters = stackalloc char[utf8.Length];
        return string.GetHashCode(characters[..Encoding.UTF8.GetChars(utf8, characters)], StringComparison.Ordinal);
    }
}

/// <summary>Changes as <see cref="RecentChanges"/> writes them, in a buffer that is used again.</summary>
internal sealed class RecentForm
{
    private readonly List<RecentMark> _marks = [];

    public FormWriter Writer { get; } = new();

    /// <summary>How many changes were written.</summary>
    public int Count { get; private set; }

    public IReadOnlyList<RecentMark> Marks => _marks;

    /// <summary>What was written; good until the next <see cref="Clear"/>.</summary>
    public ReadOnlyMemory<byte> Written => Writer.Written;

    public void Clear()
    {
        Writer.Clear();
        _marks.Clear();
        Count = 0;
    }

    /// <summary>Begins a change of a kind; where it is one that is looked for, its record begins here.</summary>
    public void Begin(char kind, Change change)
    {
        Writer.Byte((byte)kind);
        Count++;
        if (RecentMark.Of(change, Writer.Length) is { } mark)
        {
            _marks.Add(mark);
        }
    }
}
