namespace Bandejo.Store.Databases;

/// <summary>
/// What lets one process alone write into a database that is a file: a lock that the system takes back when its process ends, however it does.
/// </summary>
internal sealed class FileClaim : Claim
{
    private readonly FileStream _held;

    private FileClaim(FileStream held) => _held = held;

    // What the system says where somebody else holds the lock: EWOULDBLOCK on Linux, a sharing violation elsewhere.
    private const int WouldBlock = 11;
    private const int SharingViolation = unchecked((int)0x80070020);

    /// <summary>Takes the lock; null where somebody else has it.</summary>
    /// <exception cref="IOException">There is no such place.</exception>
    public static FileClaim? Try(string file)
    {
        try
        {
            return new FileClaim(new FileStream(file + ".writer", FileMode.OpenOrCreate, FileAccess.ReadWrite, FileShare.None));
        }
        catch (IOException error) when (error.HResult is WouldBlock or SharingViolation)
        {
            return null;
        }
    }

    public override bool Holds() => true;

    public override void Dispose() => _held.Dispose();
}
