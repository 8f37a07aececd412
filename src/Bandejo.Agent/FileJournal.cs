using System.Text;
using System.Text.Json;
using Bandejo.Device;

namespace Bandejo.Agent;

/// <summary>The journal as a file of JSON lines, flushed to disk at each entry. A last line that a power cut left unfinished is passed over.</summary>
/// <param name="tell">Hears of any other line that cannot be read and is passed over.</param>
internal sealed class FileJournal(string file, Action<string> tell) : IDeviceJournal, IDisposable
{
    private FileStream? _stream;

    public IReadOnlyList<JournalEntry> Load()
    {
        var entries = new List<JournalEntry>();
        if (!File.Exists(file))
        {
            return entries;
        }

        var lines = File.ReadAllLines(file);
        for (var i = 0; i < lines.Length; i++)
        {
            try
            {
                if (JsonSerializer.Deserialize(lines[i], JournalJson.Default.JournalEntry) is { } entry)
                {
                    entries.Add(entry);
                }
            }
            catch (Exception error) when (error is JsonException or NotSupportedException)
            {
                // The last may have been written when the power went: it was not acted on.
                if (i < lines.Length - 1)
                {
                    tell($"Line {i + 1} of the journal cannot be read and is passed over.");
                }
            }
        }

        return entries;
    }

    public void Append(JournalEntry entry)
    {
        _stream ??= Home.Open(file, FileMode.Append);
        _stream.Write(Line(entry));
        _stream.Flush(flushToDisk: true);
    }

    public void Replace(JournalEntry entry)
    {
        _stream?.Dispose();
        _stream = null;
        var part = file + ".part";
        using (var stream = Home.Open(part, FileMode.Create))
        {
            stream.Write(Line(entry));
            stream.Flush(flushToDisk: true);
        }

        File.Move(part, file, overwrite: true);
    }

    public void Dispose() => _stream?.Dispose();

    private static byte[] Line(JournalEntry entry) => Encoding.UTF8.GetBytes(JsonSerializer.Serialize(entry, JournalJson.Default.JournalEntry) + "\n");
}
