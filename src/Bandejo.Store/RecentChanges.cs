using System.Text;

namespace Bandejo.Store;

/// <summary>
/// The changes that come by the thousand, in the form in which they are written before they go into their tables: one after the other, each beginning
/// with a letter for its kind (<c>t</c> target, <c>a</c> attempt, <c>e</c> event, <c>h</c> heard), in <see cref="CompactForm"/>.
/// </summary>
internal static class RecentChanges
{
    /// <summary>Whether a change may wait for its table.</summary>
    public static bool Takes(StoreChange change) => change is PutTarget or PutAttempt or AddEvent or PutHeard;

    /// <summary>Writes a change of that kind.</summary>
    public static void Write(RecentForm form, StoreChange change)
    {
        switch (change)
        {
            case PutTarget(var deployment, var target):
                form.Begin('t', change);
                form.Writer.Write(deployment);
                CompactForm.Write(form.Writer, target);
                break;
            case PutAttempt(var attempt):
                form.Begin('a', change);
                CompactForm.Write(form.Writer, attempt);
                break;
            case AddEvent(var added):
                form.Begin('e', change);
                CompactForm.Write(form.Writer, added);
                break;
            case PutHeard(var device, var at, var sequence):
                form.Begin('h', change);
                form.Writer.Write(device);
                form.Writer.Write(at.ToUnixTimeMilliseconds());
                form.Writer.Write(sequence);
                break;
            default:
                throw new InvalidOperationException($"{change.GetType().Name} does not wait for its table.");
        }
    }

    /// <summary>Reads what was written.</summary>
    /// <param name="form">What was written.</param>
    /// <param name="marks">Takes the marks of its events and attempts; null where nobody looks for them.</param>
    /// <exception cref="StoreException">It is not in the form.</exception>
    public static IReadOnlyList<StoreChange> Read(byte[] form, List<RecentMark>? marks = null)
    {
        using var reader = new BinaryReader(new MemoryStream(form));
        var changes = new List<StoreChange>();
        var texts = new TextPool();
        try
        {
            for (var at = 0; at < form.Length; at = (int)reader.BaseStream.Position)
            {
                StoreChange change = reader.ReadByte() switch
                {
                    (byte)'t' => new PutTarget(reader.ReadString(), CompactForm.ReadTarget(reader, texts)),
                    (byte)'a' => new PutAttempt(CompactForm.ReadAttempt(reader)),
                    (byte)'e' => new AddEvent(CompactForm.ReadEvent(reader)),
                    (byte)'h' => new PutHeard(reader.ReadString(), DateTimeOffset.FromUnixTimeMilliseconds(reader.ReadInt64()), reader.ReadInt64()),
                    var kind => throw new FormatException($"A kept change begins with {kind}, which is no kind of change."),
                };
                changes.Add(change);
                if (RecentMark.Of(change, at + 1) is { } mark)
                {
                    marks?.Add(mark);
                }
            }
        }
        catch (Exception error) when (error is IOException or FormatException or DecoderFallbackException or ArgumentException)
        {
            throw new StoreException($"What was kept last cannot be read: {error.Message}", error);
        }

        return changes;
    }
}
