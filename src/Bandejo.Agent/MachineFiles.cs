using System.Security.Cryptography;
using Bandejo.Device;

namespace Bandejo.Agent;

/// <summary>Files of a machine, wherever the operating system finds them.</summary>
internal abstract class MachineFiles : IMachineFiles
{
    public abstract bool Exists(string path);

    public abstract void Delete(string path);

    public string? Read(string path, int max)
    {
        using var stream = OpenRead(path);
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
        using var stream = OpenRead(path);
        return stream is null ? null : Convert.ToHexStringLower(SHA256.HashData(stream));
    }

    /// <summary>Opens a file; null where there is none.</summary>
    /// <exception cref="IOException">It is there and cannot be read.</exception>
    protected abstract Stream? OpenRead(string path);
}
