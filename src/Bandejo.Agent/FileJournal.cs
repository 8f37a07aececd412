using System.Text;
using System.Text.Json;
using Bandejo.Device;

namespace Bandejo.Agent;

/// <summary>The journal as a file of JSON lines, flushed to disk at each entry. A last line that a power cut left unfinished is passed over.</summary>
internal sealed class FileJournal(string file) : IDeviceJournal, IDisposable
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
                entries.Add(JsonSerializer.Deserialize(lines[i], JournalJson.Default.JournalEntry)!);
            }
            catch (JsonException) when (i == lines.Length - 1)
            {
                // Written when the power went: it was not acted on.
            }
        }

        return entries;
    }

    public void Append(JournalEntry entry)
    {
        _stream ??= new FileStream(file, FileMode.Append, FileAccess.Write, FileShare.Read);
        _stream.Write(Line(entry));
        _stream.Flush(flushToDisk: true);
    }

    public void Replace(JournalEntry entry)
    {
        _stream?.Dispose();
        _stream = null;
        var part = file + ".part";
        using (var stream = new FileStream(part, FileMode.Create, FileAccess.Write))
        {
            stream.Write(Line(entry));
            stream.Flush(flushToDisk: true);
        }

        File.Move(part, file, overwrite: true);
    }

    public void Dispose() => _stream?.Dispose();

    private static byte[] Line(JournalEntry entry) => Encoding.UTF8.GetBytes(JsonSerializer.Serialize(entry, JournalJson.Default.JournalEntry) + "\n");
}
