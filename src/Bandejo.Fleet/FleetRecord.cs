using System.Text.Json;
using System.Text.Json.Serialization;
using Bandejo.Device;

namespace Bandejo.Fleet;

/// <summary>One line of the record: something that a device really did, or that happened to it.</summary>
/// <param name="At">When, on the fleet's clock.</param>
/// <param name="Device">The name the script gives it.</param>
/// <param name="What"><c>made</c>, <c>joined</c>, <c>journal</c>, <c>step-began</c>, <c>step-ended</c>, <c>changed</c>, <c>started</c>, <c>content</c>,
/// <c>heard</c> or <c>died</c>.</param>
internal sealed record RecordLine(DateTimeOffset At, string Device, string What)
{
    /// <summary>For <c>made</c>: its private key, PKCS #8 in base64.</summary>
    public string? Key { get; init; }

    /// <summary>For <c>joined</c>: who it is.</summary>
    public DeviceIdentity? Identity { get; init; }

    /// <summary>For <c>journal</c>: what its agent wrote down.</summary>
    public JournalEntry? Entry { get; init; }

    public string? Attempt { get; init; }

    /// <summary>Which step of the attempt.</summary>
    public string? Step { get; init; }

    public string? Deployment { get; init; }

    public string? App { get; init; }

    public string? Version { get; init; }

    /// <summary>
    /// For <c>step-began</c> and the beginning of an attempt: when the service last answered a check-in of this device; null where it has not since the fleet
    /// was started.
    /// </summary>
    public DateTimeOffset? HeardAt { get; init; }

    /// <summary>For <c>step-ended</c>: the exit code; null where it was ended.</summary>
    public int? Code { get; init; }

    /// <summary>Files that are there now, with their content.</summary>
    public IReadOnlyDictionary<string, string>? Put { get; init; }

    /// <summary>Files that are gone.</summary>
    public IReadOnlyList<string>? Gone { get; init; }

    /// <summary>Files that come into place with the next restart.</summary>
    public IReadOnlyDictionary<string, string>? Later { get; init; }

    /// <summary>A digest, an identity of a word, or the like.</summary>
    public string? Name { get; init; }

    /// <summary>For <c>died</c>: until when it stays off.</summary>
    public DateTimeOffset? Until { get; init; }
}

/// <summary>
/// What the fleet really did, one line of JSON each, written before anybody is told of it. A fleet that is started again goes on from its record; a test
/// compares it with what the service believes.
/// </summary>
internal sealed class FleetRecord : IDisposable
{
    private readonly Lock _lock = new();
    private readonly FileStream _file;

    private FleetRecord(FileStream file) => _file = file;

    /// <summary>Opens the record for this process alone. What was cut off in the middle of its last line was told to nobody and is dropped.</summary>
    /// <exception cref="IOException">Another fleet has it.</exception>
    public static (FleetRecord Record, IReadOnlyList<RecordLine> Lines) Open(string file)
    {
        Directory.CreateDirectory(Path.GetDirectoryName(Path.GetFullPath(file))!);
        var stream = new FileStream(file, FileMode.OpenOrCreate, FileAccess.ReadWrite, FileShare.Read, bufferSize: 0);
        var lines = new List<RecordLine>();
        long good = 0;
        using (var reader = new BufferedStream(new FileStream(file, FileMode.Open, FileAccess.Read, FileShare.ReadWrite)))
        {
            foreach (var (line, end) in Lines(reader))
            {
                try
                {
                    lines.Add(JsonSerializer.Deserialize(line, RecordJson.Default.RecordLine)!);
                    good = end;
                }
                catch (JsonException error)
                {
                    throw new IOException($"{file} is not a fleet's record at byte {good}: {error.Message}");
                }
            }
        }

        stream.SetLength(good);
        stream.Position = good;
        return (new FleetRecord(stream), lines);
    }

    public void Write(RecordLine line)
    {
        var bytes = JsonSerializer.SerializeToUtf8Bytes(line, RecordJson.Default.RecordLine);
        Array.Resize(ref bytes, bytes.Length + 1);
        bytes[^1] = (byte)'\n';
        lock (_lock)
        {
            _file.Write(bytes);
        }
    }

    public void Dispose() => _file.Dispose();

    private static IEnumerable<(byte[] Line, long End)> Lines(Stream stream)
    {
        using var line = new MemoryStream();
        long at = 0;
        for (var next = stream.ReadByte(); next >= 0; next = stream.ReadByte())
        {
            at++;
            if (next != '\n')
            {
                line.WriteByte((byte)next);
                continue;
            }

            yield return (line.ToArray(), at);
            line.SetLength(0);
        }
    }
}

/// <summary>JSON for the record.</summary>
[JsonSourceGenerationOptions(PropertyNamingPolicy = JsonKnownNamingPolicy.CamelCase, DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull)]
[JsonSerializable(typeof(RecordLine))]
internal sealed partial class RecordJson : JsonSerializerContext;
