using System.Text.Json;
using System.Text.Json.Serialization;

namespace Bandejo.Clock;

/// <summary>How a demo clock runs: it showed <paramref name="At"/> at the real moment <paramref name="Since"/>.</summary>
/// <param name="At">The moment it showed then.</param>
/// <param name="Since">The real moment.</param>
/// <param name="Speed">Demo seconds to a real second, 0 to 100,000; 0 stands still.</param>
/// <param name="Goal">Where it is being led step by step; null where it runs by itself. While it is led it moves only by steps.</param>
public sealed record ClockReading(DateTimeOffset At, DateTimeOffset Since, double Speed, DateTimeOffset? Goal = null)
{
    public const double MaxSpeed = 100_000;

    /// <summary>What it shows at a real moment.</summary>
    public DateTimeOffset Now(DateTimeOffset real) => Goal is not null || Speed == 0 || real < Since ? At : At + ((real - Since) * Speed);
}

/// <summary>
/// The file that a demo clock is kept in: one line of JSON that every process on the machine follows. Changes are made under a lock beside it and put in
/// its place whole.
/// </summary>
public static class ClockFile
{
    /// <summary>What the file says.</summary>
    /// <exception cref="IOException">There is no such file, or it is not a clock.</exception>
    public static ClockReading Read(string file)
    {
        try
        {
            var reading = JsonSerializer.Deserialize(File.ReadAllBytes(file), ClockJson.Default.ClockReading);
            return reading is { Speed: >= 0 and <= ClockReading.MaxSpeed } ? reading : throw new JsonException();
        }
        catch (JsonException)
        {
            throw new IOException(
                $"{file} is not a clock. It is one line such as {{\"at\":\"2026-03-02T08:00:00Z\",\"since\":\"2026-03-02T08:00:00Z\",\"speed\":60}}.");
        }
    }

    /// <summary>Makes the file where there is none.</summary>
    public static void Make(string file, ClockReading reading)
    {
        if (!File.Exists(file))
        {
            Directory.CreateDirectory(Path.GetDirectoryName(Path.GetFullPath(file))!);
            Write(file, reading);
        }
    }

    /// <summary>Changes how the clock runs; nobody else changes it meanwhile.</summary>
    /// <param name="file">The file.</param>
    /// <param name="change">The new reading from the present one and the real moment.</param>
    /// <returns>What it says now.</returns>
    public static ClockReading Change(string file, Func<ClockReading, DateTimeOffset, ClockReading> change)
    {
        using var owned = Lock(file + ".lock");
        var before = Read(file);
        var after = change(before, TimeProvider.System.GetUtcNow());
        if (after != before)
        {
            Write(file, after);
        }

        return after;
    }

    /// <summary>Takes the lead of the clock: whoever has it moves a clock that is being led. Null where somebody else has it.</summary>
    public static FileStream? TakeLead(string file)
    {
        try
        {
            return new FileStream(file + ".lead", FileMode.OpenOrCreate, FileAccess.ReadWrite, FileShare.None);
        }
        catch (IOException)
        {
            return null;
        }
    }

    /// <summary>Whether somebody leads the clock.</summary>
    public static bool IsLed(string file)
    {
        using var lead = TakeLead(file);
        return lead is null;
    }

    private static FileStream Lock(string file)
    {
        for (var spin = new SpinWait(); ;)
        {
            try
            {
                return new FileStream(file, FileMode.OpenOrCreate, FileAccess.ReadWrite, FileShare.None);
            }
            catch (IOException) when (spin.Count < 100_000)
            {
                // Whoever holds it writes one line; that takes no longer than a few turns.
                spin.SpinOnce();
            }
        }
    }

    private static void Write(string file, ClockReading reading)
    {
        var part = file + ".new";
        File.WriteAllBytes(part, JsonSerializer.SerializeToUtf8Bytes(reading, ClockJson.Default.ClockReading));
        File.Move(part, file, overwrite: true);
    }
}

/// <summary>JSON for the file.</summary>
[JsonSourceGenerationOptions(PropertyNamingPolicy = JsonKnownNamingPolicy.CamelCase, DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull)]
[JsonSerializable(typeof(ClockReading))]
internal sealed partial class ClockJson : JsonSerializerContext;
