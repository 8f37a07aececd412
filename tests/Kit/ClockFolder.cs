namespace Bandejo.Kit;

/// <summary>A folder with a demo clock in it, which shows the morning of 2 March 2026.</summary>
public sealed class ClockFolder : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("bandejo-clock").FullName;

    /// <param name="speed">Demo seconds to a real one; 0 stands still.</param>
    public ClockFolder(int speed = 0) =>
        global::System.IO.File.WriteAllText(File, $$"""{"at":"2026-03-02T08:00:00Z","since":"{{TimeProvider.System.GetUtcNow():O}}","speed":{{speed}}}""");

    /// <summary>The clock's file.</summary>
    public string File => Path.Combine(_folder, "clock.json");

    public void Dispose() => Directory.Delete(_folder, recursive: true);
}
