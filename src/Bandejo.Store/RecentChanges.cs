using Bandejo.Core.World;
namespace Bandejo.Store;

/// <summary>
/// The changes that come by the thousand, in the form in which they are written before they go into their tables: one after the other, each beginning
/// with a letter for its kind (<c>t</c> target, <c>a</c> attempt, <c>e</c> event, <c>h</c> heard), in <see cref="CompactForm"/>.
/// </summary>
internal static class RecentChanges
{
    /// <summary>Whether a change may wait for its table.</summary>
    public static bool Takes(Change change) => change is PutTarget or PutAttempt or AddEvent or PutHeard;

    /// <summary>Writes a change of that kind.</summary>
    public static void Write(RecentForm form, Change change)
    {
        switch (change)
        {
            case PutTarget(var deployment, var target):
                form.Begin('t', change);
                form.Writer.Text(deployment);
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
                form.Writer.Text(device);
                form.Writer.Fixed(at.ToUnixTimeMilliseconds());
                form.Writer.Fixed(sequence);
                break;
            default:
                throw new InvalidOperationException($"{change.GetType().Name} does not wait for its table.");
        }
    }

    /// <summary>Reads what was written.</summary>
    /// <exception cref="StoreException">It is not in the form.</exception>
    public static IReadOnlyList<Change> Read(byte[] form, TextPool texts) => Read(form, texts, null);

    /// <summary>Reads what was written but for its events, of which the marks must do.</summary>
    /// <param name="marks">Takes the marks of its events and attempts.</param>
    /// <exception cref="StoreException">It is not in the form.</exception>
    public static IReadOnlyList<Change> ReadState(byte[] form, TextPool texts, List<RecentMark> marks) => Read(form, texts, marks);

    private static List<Change> Read(byte[] form, TextPool texts, List<RecentMark>? marks)
    {
        var reader = new FormReader(form);
        var changes = new List<Change>();
        try
        {
            while (!reader.IsAtEnd)
            {
                var kind = reader.Byte();
                var at = reader.Position;
                if (kind == 'e' && marks is not null)
                {
                    marks.Add(CompactForm.ReadMark(ref reader, at));
                    continue;
                }

                Change change = kind switch
                {
                    (byte)'t' => new PutTarget(reader.Text(texts), CompactForm.ReadTarget(ref reader, texts)),
                    (byte)'a' => new PutAttempt(CompactForm.ReadAttempt(ref reader, texts)),
                    (byte)'e' => new AddEvent(CompactForm.ReadEvent(ref reader, texts)),
                    (byte)'h' => new PutHeard(reader.Text(texts), DateTimeOffset.FromUnixTimeMilliseconds(reader.LongFixed()), reader.LongFixed()),
                    _ => throw new FormatException($"A kept change begins with {kind}, which is no kind of change."),
                };
                changes.Add(change);
                if (marks is not null && RecentMark.Of(change, at) is { } mark)
                {
                    marks.Add(mark);
                }
            }
        }
        catch (Exception error) when (error is IOException or FormatException or ArgumentException)
        {
            throw new StoreException($"What was kept last cannot be read: {error.Message}", error);
        }

        return changes;
    }
}
