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

    /// <summary>Writes the changes of that kind; others are left out.</summary>
    public static byte[] Write(IEnumerable<StoreChange> changes)
    {
        using var form = new MemoryStream();
        using var writer = new BinaryWriter(form);
        foreach (var change in changes)
        {
            switch (change)
            {
                case PutTarget(var deployment, var target):
                    writer.Write((byte)'t');
                    writer.Write(deployment);
                    CompactForm.Write(writer, target);
                    break;
                case PutAttempt(var attempt):
                    writer.Write((byte)'a');
                    CompactForm.Write(writer, attempt);
                    break;
                case AddEvent(var added):
                    writer.Write((byte)'e');
                    CompactForm.Write(writer, added);
                    break;
                case PutHeard(var device, var at, var sequence):
                    writer.Write((byte)'h');
                    writer.Write(device);
                    writer.Write(at.ToUnixTimeMilliseconds());
                    writer.Write(sequence);
                    break;
            }
        }

        return form.ToArray();
    }

    /// <summary>Reads what was written.</summary>
    /// <exception cref="StoreException">It is not in the form.</exception>
    public static IReadOnlyList<StoreChange> Read(byte[] form)
    {
        using var reader = new BinaryReader(new MemoryStream(form));
        var changes = new List<StoreChange>();
        var texts = new TextPool();
        try
        {
            while (reader.BaseStream.Position < form.Length)
            {
                changes.Add(reader.ReadByte() switch
                {
                    (byte)'t' => new PutTarget(reader.ReadString(), CompactForm.ReadTarget(reader, texts)),
                    (byte)'a' => new PutAttempt(CompactForm.ReadAttempt(reader)),
                    (byte)'e' => new AddEvent(CompactForm.ReadEvent(reader)),
                    (byte)'h' => new PutHeard(reader.ReadString(), DateTimeOffset.FromUnixTimeMilliseconds(reader.ReadInt64()), reader.ReadInt64()),
                    var kind => throw new FormatException($"A kept change begins with {kind}, which is no kind of change."),
                });
            }
        }
        catch (Exception error) when (error is IOException or FormatException or DecoderFallbackException or ArgumentException)
        {
            throw new StoreException($"What was kept last cannot be read: {error.Message}", error);
        }

        return changes;
    }
}
