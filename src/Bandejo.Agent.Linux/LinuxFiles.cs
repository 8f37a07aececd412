using System.Security.Cryptography;
using Bandejo.Device;

namespace Bandejo.Agent;

/// <summary>Files and settings below the machine's root.</summary>
internal sealed class LinuxFiles(string root) : IMachineFiles, IMachineSettings
{
    /// <summary>How much of a settings file is read, in characters.</summary>
    private const int MostSettings = 4 * 1024 * 1024;

    private readonly RootFolder _root = new(root);

    public bool Exists(string path) => _root.Exists(path);

    public string? Read(string path, int max)
    {
        using var stream = _root.OpenRead(path);
        if (stream is null)
        {
            return null;
        }

        using var reader = new StreamReader(stream);
        var buffer = new char[max];
        return new string(buffer, 0, reader.ReadBlock(buffer));
    }

    public string? Sha256(string path)
    {
        using var stream = _root.OpenRead(path);
        return stream is null ? null : Convert.ToHexStringLower(SHA256.HashData(stream));
    }

    public void Delete(string path) => _root.Delete(path);

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
