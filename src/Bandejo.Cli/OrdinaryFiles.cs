namespace Bandejo.Cli;

/// <summary>Tells files from what looks like one and could be read for ever: a pipe, a socket, a device.</summary>
internal static class OrdinaryFiles
{
    /// <summary>Whether something can be read to its end. What has a length is never opened for it.</summary>
    public static bool Is(FileInfo file)
    {
        if (file.Length > 0 || OperatingSystem.IsWindows())
        {
            return true;
        }

        try
        {
            // Whoever could write into a pipe need not wait for another to do so (fifo(7)); it has no place to go to.
            using var stream = new FileStream(file.FullName, FileMode.Open, FileAccess.ReadWrite, FileShare.ReadWrite);
            return stream.CanSeek;
        }
        catch (UnauthorizedAccessException)
        {
            return true;
        }
        catch (IOException)
        {
            return false;
        }
    }
}
