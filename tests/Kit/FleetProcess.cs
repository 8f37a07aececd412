using System.Diagnostics;

namespace Bandejo.Kit;

/// <summary>A real fleet with a folder of its own.</summary>
public sealed class FleetProcess(string service, string script, string codes, string? clock = null) : IAsyncDisposable
{
    private Process? _process;

    public string Folder { get; } = Directory.CreateTempSubdirectory("bandejo-fleet").FullName;

    /// <summary>What its devices really did.</summary>
    public string Record => Path.Combine(Folder, "data", "record.jsonl");

    /// <summary>Starts it, on the record it has, and returns when it plays.</summary>
    public async Task Start()
    {
        var (scriptFile, codesFile) = (Path.Combine(Folder, "fleet.yaml"), Path.Combine(Folder, "codes"));
        await File.WriteAllTextAsync(scriptFile, script);
        await File.WriteAllTextAsync(codesFile, codes);
        _process = Programs.Start(Programs.Fleet, [
            "play", scriptFile, "--service", service, "--data", Path.Combine(Folder, "data"), "--codes", codesFile,
            .. clock is null ? Array.Empty<string>() : ["--demo-clock", clock]]);
        var line = await _process.StandardOutput.ReadLineAsync();
        if (line?.Contains("devices play for") != true)
        {
            throw new InvalidOperationException($"The fleet did not start: {line}{await _process.StandardError.ReadToEndAsync()}");
        }
    }

    /// <summary>True where it has ended by itself, with what it said.</summary>
    public async Task<string?> Ended() => _process is { HasExited: true } ? await _process.StandardError.ReadToEndAsync() : null;

    /// <summary>Ends it as a power cut of all its devices would.</summary>
    public async Task Kill()
    {
        _process!.Kill();
        await _process.WaitForExitAsync();
    }

    public async ValueTask DisposeAsync()
    {
        if (_process is { HasExited: false })
        {
            await Kill();
        }

        Directory.Delete(Folder, recursive: true);
    }
}
