using System.Runtime.InteropServices;
using System.Text;
using Microsoft.Win32.SafeHandles;

namespace Bandejo.Cli;

/// <summary>
/// What the program reads from and writes to, without what the runtime does to a terminal: before the first word it switches the terminal's keys to another
/// mode, and leaves it so.
/// </summary>
internal static partial class Terminal
{
    private const int BrokenPipe = 32;
    private const int UsualWidth = 80;

    /// <summary>TIOCGWINSZ, as <c>ioctl_tty(2)</c> has it.</summary>
    private const nuint SizeOfWindow = 0x5413;

    /// <summary>Standard output, byte by byte as it is written.</summary>
    public static Stream Out { get; } = OperatingSystem.IsWindows() ? Console.OpenStandardOutput() : new Plain(1);

    /// <summary>Writes what is printed to it from now on.</summary>
    public static void Begin()
    {
        Console.SetOut(Writer(Out));
        Console.SetError(Writer(OperatingSystem.IsWindows() ? Console.OpenStandardError() : new Plain(2)));
    }

    /// <summary>How many characters a line of it has.</summary>
    public static int Width() => !OperatingSystem.IsLinux() ? Console.WindowWidth
        : Ioctl(1, SizeOfWindow, out var size) == 0 && size.Columns > 0 ? size.Columns
        : int.TryParse(Environment.GetEnvironmentVariable("COLUMNS"), out var columns) && columns > 0 ? columns
        : UsualWidth;

    /// <summary>Reads a line that somebody types; null at the end of the input.</summary>
    public static string? ReadLine()
    {
        if (OperatingSystem.IsWindows())
        {
            return Console.In.ReadLine();
        }

        using var keys = new FileStream(new SafeFileHandle(0, ownsHandle: false), FileAccess.Read, bufferSize: 0);
        var line = new List<byte>();
        for (var each = keys.ReadByte(); each != '\n'; each = keys.ReadByte())
        {
            if (each < 0)
            {
                return line.Count == 0 ? null : Encoding.UTF8.GetString([.. line]);
            }

            line.Add((byte)each);
        }

        return Encoding.UTF8.GetString([.. line]).TrimEnd('\r');
    }

    /// <summary>Takes back what reading single keys does to a terminal.</summary>
    public static void Restore()
    {
        if (!Console.IsOutputRedirected && Environment.GetEnvironmentVariable("TERM") is { Length: > 0 } and not "dumb")
        {
            Out.Write("\u001b[?1l\u001b>"u8);
        }
    }

    private static StreamWriter Writer(Stream stream) => new(stream, new UTF8Encoding(encoderShouldEmitUTF8Identifier: false)) { AutoFlush = true };

    [LibraryImport("libc", EntryPoint = "ioctl")]
    private static partial int Ioctl(int file, nuint request, out WindowSize size);

    [StructLayout(LayoutKind.Sequential)]
    private readonly struct WindowSize
    {
        public readonly ushort Rows;
        public readonly ushort Columns;
        private readonly ushort _width;
        private readonly ushort _height;
    }

    /// <summary>A stream of the process. Where whoever reads from it has gone, as <c>head</c> does, what is written more is nobody's.</summary>
    private sealed class Plain(int number) : Stream
    {
        private readonly FileStream _file = new(new SafeFileHandle(number, ownsHandle: false), FileAccess.Write, bufferSize: 0);

        public override bool CanRead => false;

        public override bool CanSeek => false;

        public override bool CanWrite => true;

        public override long Length => throw new NotSupportedException();

        public override long Position
        {
            get => throw new NotSupportedException();
            set => throw new NotSupportedException();
        }

        public override void Flush()
        {
        }

        public override int Read(byte[] buffer, int offset, int count) => throw new NotSupportedException();

        public override long Seek(long offset, SeekOrigin origin) => throw new NotSupportedException();

        public override void SetLength(long value) => throw new NotSupportedException();

        public override void Write(byte[] buffer, int offset, int count) => Write(buffer.AsSpan(offset, count));

        public override void Write(ReadOnlySpan<byte> buffer)
        {
            try
            {
                _file.Write(buffer);
            }
            catch (IOException error) when (error.HResult == BrokenPipe)
            {
                // Nobody reads it.
            }
        }
    }
}
