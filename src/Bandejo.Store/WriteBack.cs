using System.Runtime.InteropServices;
using Microsoft.Win32.SafeHandles;

namespace Bandejo.Store;

/// <summary>Has the kernel begin to write part of a file to the disk, so that little is left to wait for when it is flushed (sync_file_range(2)).</summary>
internal static partial class WriteBack
{
    private const uint Write = 2;

    /// <summary>Begins, and does not wait. Where the system has no such call the flush takes longer, and that is all.</summary>
    public static void Begin(SafeFileHandle file, long offset, long length)
    {
        if (OperatingSystem.IsLinux())
        {
            _ = SyncRange(file, offset, length, Write);
        }
    }

    [LibraryImport("libc", EntryPoint = "sync_file_range")]
    private static partial int SyncRange(SafeFileHandle file, long offset, long length, uint flags);
}
