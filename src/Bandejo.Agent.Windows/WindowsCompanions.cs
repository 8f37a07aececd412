using System.Security.Cryptography;
using Bandejo.Contract.Device;
using Bandejo.Device;

namespace Bandejo.Agent;

/// <summary>Puts companions in place on a machine with Windows: files so far. The others are refused in words.</summary>
internal sealed class WindowsCompanions(WindowsFiles files, FolderCache cache) : IMachineCompanions
{
    private const string File = "file";

    public bool Holds(string app, DocumentCompanion companion, string? sha256) =>
        companion.Kind == File && files.Sha256(companion.Subject) is { } there && there == sha256;

    public void Put(string app, DocumentCompanion companion, string? sha256)
    {
        Must(companion);
        var place = files.PlaceOf(companion.Subject);
        Directory.CreateDirectory(Path.GetDirectoryName(place)!);
        global::System.IO.File.Copy(cache.PathOf(sha256!), place + ".part", overwrite: true);
        global::System.IO.File.Move(place + ".part", place, overwrite: true);
    }

    public void Take(string app, DocumentCompanion companion)
    {
        Must(companion);
        files.Delete(companion.Subject);
    }

    private static void Must(DocumentCompanion companion)
    {
        if (companion.Kind != File)
        {
            throw new IOException($"the agent for Windows cannot put a companion of the kind '{companion.Kind}' in place yet");
        }
    }
}
