using Bandejo.Device;

namespace Bandejo.Agent;

/// <summary>Files and settings below the machine's root.</summary>
internal sealed class LinuxFiles(string root) : MachineFiles, IMachineSettings
{
    /// <summary>How much of a settings file is read, in characters.</summary>
    private const int MostSettings = 4 * 1024 * 1024;

    private readonly RootFolder _root = new(root);

    public override bool Exists(string path) => _root.Exists(path);

    public override void Delete(string path) => _root.Delete(path);

    protected override Stream? OpenRead(string path) => _root.OpenRead(path);

    string? IMachineSettings.Read(string path, string key)
    {
        foreach (var line in Read(path, MostSettings)?.Split('\n') ?? [])
        {
            var at = line.IndexOf('=', StringComparison.Ordinal);
            if (at > 0 && line[0] != '#' && line[..at].Trim() == key)
            {
                return line[(at + 1)..].Trim();
            }
        }

        return null;
    }
}
