using System.Security.Cryptography;
using Bandejo.Device;

namespace Bandejo.Agent;

/// <summary>Files and settings below the machine's root.</summary>
internal sealed class LinuxFiles(string root) : IMachineFiles, IMachineSettings
{
    public bool Exists(string path) => File.Exists(At(path)) || Directory.Exists(At(path));

    public string? Read(string path, int max)
    {
        if (!File.Exists(At(path)))
        {
            return null;
        }

        using var reader = new StreamReader(At(path));
        var buffer = new char[max];
        return new string(buffer, 0, reader.ReadBlock(buffer));
    }

    public string? Sha256(string path)
    {
        if (!File.Exists(At(path)))
        {
            return null;
        }

        using var stream = File.OpenRead(At(path));
        return Convert.ToHexStringLower(SHA256.HashData(stream));
    }

    public void Delete(string path)
    {
        if (Directory.Exists(At(path)) && new DirectoryInfo(At(path)).LinkTarget is null)
        {
            Directory.Delete(At(path), recursive: true);
        }
        else if (Path.Exists(At(path)) || new FileInfo(At(path)).LinkTarget is not null)
        {
            File.Delete(At(path));
        }
    }

    string? IMachineSettings.Read(string path, string key)
    {
        if (!File.Exists(At(path)))
        {
            return null;
        }

        foreach (var line in File.ReadLines(At(path)).Take(10_000))
        {
            var at = line.IndexOf('=', StringComparison.Ordinal);
            if (at > 0 && line[0] != '#' && line[..at].Trim() == key)
            {
                return line[(at + 1)..].Trim();
            }
        }

        return null;
    }

    private string At(string path) => Path.Combine(root, path.TrimStart('/'));
}
