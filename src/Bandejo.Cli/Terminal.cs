using System.Runtime.InteropServices;
using System.Text;

namespace Bandejo.Cli;

/// <summary>
/// What the program reads from and writes to, without what the runtime does to a terminal: before the first word it switches the terminal's keys to another
/// mode, and leaves it so.
/// </summary>
internal static partial class Terminal
{
    // errno(3)
    private const int Interrupted = 4;
    private const int TryAgain = 11;
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

        var line = new List<byte>();
        for (var each = ReadByte(); each != '\n'; each = ReadByte())
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

    /// <summary>One byte of standard input; -1 at its end. Read where those before us stopped, also of a file that others read too.</summary>
    private static int ReadByte()
    {
        while (true)
        {
            var read = Read(0, out var each, 1);
            if (read >= 0)
            {
                return read == 0 ? -1 : each;
            }

            if (Marshal.GetLastPInvokeError() != Interrupted)
            {
                throw new IOException("Standard input cannot be read.");
            }
        }
    }

    private static StreamWriter Writer(Stream stream) => new(stream, new UTF8Encoding(encoderShouldEmitUTF8Identifier: false)) { AutoFlush = true };

    [LibraryImport("libc", EntryPoint = "read", SetLastError = true)]
    private static partial nint Read(int file, out byte each, nuint count);

    [LibraryImport("libc", EntryPoint = "write", SetLastError = true)]
    private static partial nint Write(int file, in byte first, nuint count);

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

    /// <summary>
    /// A stream of the process, written behind what others have written to it meanwhile (write(2)), a file too. Where whoever reads from it has gone, as
    /// <c>head</c> does, what is written more is nobody's.
    /// </summary>
    private sealed class Plain(int number) : Stream
    {
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
            while (buffer.Length > 0)
            {
                var written = Terminal.Write(number, in buffer[0], (nuint)buffer.Length);
                if (written > 0)
                {
                    buffer = buffer[(int)written..];
                    continue;
                }

                switch (Marshal.GetLastPInvokeError())
                {
                    case Interrupted:
                        break;
                    case TryAgain:
                        Thread.Yield();
                        break;
                    case BrokenPipe:
                        // Nobody reads it.
                        return;
                    case var error:
                        throw new IOException($"What is printed cannot be written: {Marshal.GetPInvokeErrorMessage(error)}.");
                }
            }
        }
    }
}
