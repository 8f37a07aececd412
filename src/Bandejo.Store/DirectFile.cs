using System.Runtime.InteropServices;
using Microsoft.Win32.SafeHandles;

namespace Bandejo.Store;

/// <summary>
/// Writes what is large past the kernel's cache (O_DIRECT of open(2)): copying it there would cost as much of the processor as a third of its digest, and would
/// push out what others read. Whole blocks go that way; where a part is none, or the system or the file's disk knows no such way, it is written as usual.
/// </summary>
internal sealed partial class DirectFile : IDisposable
{
    /// <summary>What offsets, lengths and addresses of blocks are multiples of, in bytes; no disk asks for more.</summary>
    public const int Alignment = 4096;

    private const int WriteOnly = 1;

    private readonly SafeFileHandle _usual;
    private SafeFileHandle? _direct;

    /// <param name="usual">The file as it was opened; stays the caller's.</param>
    /// <param name="path">Where it is.</param>
    public DirectFile(SafeFileHandle usual, string path)
    {
        _usual = usual;
        if (Flag() is { } flag && Open(path, WriteOnly | flag) is >= 0 and var file)
        {
            _direct = new SafeFileHandle(file, ownsHandle: true);
        }
    }

    /// <summary>Room for a block whose address can go straight to the disk.</summary>
    public static Memory<byte> Room(int length)
    {
        var array = GC.AllocateUninitializedArray<byte>(length + Alignment, pinned: true);
        var over = (int)(Marshal.UnsafeAddrOfPinnedArrayElement(array, 0) % Alignment);
        return array.AsMemory((Alignment - over) % Alignment, length);
    }

    /// <summary>Writes a part; not two at a time.</summary>
    public async ValueTask Write(ReadOnlyMemory<byte> part, long offset)
    {
        if (_direct is { } direct && offset % Alignment == 0 && part.Length % Alignment == 0)
        {
            try
            {
                await RandomAccess.WriteAsync(direct, part, offset);
                return;
            }
            catch (IOException)
            {
                // A disk that asks for more than we give says so at the first block. One that is full says so again below.
                _direct = null;
                direct.Dispose();
            }
        }

        await RandomAccess.WriteAsync(_usual, part, offset);
    }

    public void Dispose() => _direct?.Dispose();

    /// <summary>The flag's value; null where the system has none.</summary>
    private static int? Flag() => OperatingSystem.IsLinux()
        ? RuntimeInformation.ProcessArchitecture switch { Architecture.X64 => 0x4000, Architecture.Arm64 => 0x10000, _ => null }
        : null;

    [LibraryImport("libc", EntryPoint = "open", StringMarshalling = StringMarshalling.Utf8)]
    private static partial int Open(string path, int flags);
}
