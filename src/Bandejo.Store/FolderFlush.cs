using System.Runtime.InteropServices;

namespace Bandejo.Store;

/// <summary>Makes a rename durable: on Linux a new name survives a power cut only when its folder was flushed, which .NET has no call for.</summary>
internal static partial class FolderFlush
{
    /// <summary>Flushes the folder's entries to disk. Does nothing on other systems, where a rename is journalled.</summary>
    public static void Flush(string folder)
    {
        if (!OperatingSystem.IsLinux())
        {
            return;
        }

        var handle = Open(folder, 0);
        if (handle < 0)
        {
            throw new IOException($"The folder {folder} cannot be opened for flushing (error {Marshal.GetLastPInvokeError()}).");
        }

        var result = Fsync(handle);
        _ = Close(handle);
        if (result != 0)
        {
            throw new IOException($"The folder {folder} cannot be flushed.");
        }
    }

    [LibraryImport("libc", EntryPoint = "open", SetLastError = true, StringMarshalling = StringMarshalling.Utf8)]
    private static partial int Open(string path, int flags);

    [LibraryImport("libc", EntryPoint = "fsync", SetLastError = true)]
    private static partial int Fsync(int handle);

    [LibraryImport("libc", EntryPoint = "close")]
    private static partial int Close(int handle);
}
