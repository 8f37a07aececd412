using System.Buffers.Binary;
using System.Globalization;
using System.IO.Compression;
using System.Text;
using Bandejo.Core.Installers;
using Xunit;

namespace Bandejo.Core.Tests.Installers;

/// <summary>Small files made to keep a reader busy or to fill the memory: each ends within its budget, says so, and what was read before stands.</summary>
public sealed class ExhaustingFileTests
{
    /// <summary>All that a reader may come to ask of memory for one file, freed things included, in bytes.</summary>
    private const long MostAllocated = 700L << 20;

    private static readonly Dictionary<string, Func<byte[]>> Files = new()
    {
        // Hundreds of megabytes out of next to nothing, by the slowest of all unpackers.
        ["long.tar.bz2"] = () => Kept("long.tar.bz2"),

        // Windows far larger than what is in them.
        ["wide.tar.xz"] = () => Kept("wide.tar.xz"),
        ["wide.tar.zst"] = () => Kept("wide.tar.zst"),

        // Heads that announce names, one after the other, and never a file.
        ["names.tar.gz"] = () => Gzip(stream =>
        {
            var head = Head("pax", 60_000, 'x');
            var name = new byte[60_416];
            Encoding.ASCII.GetBytes("59990 path=").CopyTo(name, 0);
            for (var i = 0; i < 6000; i++)
            {
                stream.Write(head);
                stream.Write(name);
            }
        }),
        ["empty-files.tar.gz"] = () => Gzip(stream =>
        {
            var many = Enumerable.Repeat(Head("f", 0, '0'), 2000).SelectMany(head => head).ToArray();
            for (var i = 0; i < 1500; i++)
            {
                stream.Write(many);
            }
        }),

        // Folders in folders, each with a long name and with many files.
        ["nested.pkg"] = () =>
            Samples.MacPackage(
                "<xar><toc>" + string.Concat(Enumerable.Repeat($"<file><name>{new string('n', 200)}</name>", 15))
                    + string.Concat(Enumerable.Repeat("<file><name>f</name></file>", 400_000)) + string.Concat(Enumerable.Repeat("</file>", 15))
                    + "</toc></xar>"),
        ["long-names.pkg"] = () =>
            Samples.MacPackage(
                "<xar><toc>" + string.Concat(Enumerable.Repeat($"<file><name>{new string('n', 400_000)}</name>", 40))
                    + string.Concat(Enumerable.Repeat("</file>", 40)) + "</toc></xar>"),
        ["soup.pkg"] = () => Samples.MacPackage("<xar><toc>" + string.Concat(Enumerable.Repeat("<a/>", 7_000_000)) + "</toc></xar>"),
        ["attributes.msix"] = () =>
            Samples.Zip((
                "AppxManifest.xml",
                "<Package " + string.Concat(Enumerable.Range(0, 1_000_000).Select(i => string.Create(CultureInfo.InvariantCulture, $"a{i}=\"\" "))) + "/>")),
        ["soup.msix"] = () => Samples.Zip(("AppxManifest.xml", "<Package>" + string.Concat(Enumerable.Repeat("<a/>", 4_000_000)) + "</Package>")),
        ["parts.pkg"] = () =>
        {
            var part = "<PackageInfo>" + new string(' ', 15_000_000) + "</PackageInfo>";
            using var packed = new MemoryStream();
            using (var zlib = new ZLibStream(packed, CompressionLevel.Optimal, leaveOpen: true))
            {
                zlib.Write(Encoding.ASCII.GetBytes(part));
            }

            var file = string.Create(
                CultureInfo.InvariantCulture,
                $"<file><name>PackageInfo</name><data><offset>0</offset><length>{packed.Length}</length><encoding "
                    + $"style=\"application/x-gzip\"/></data></file>");
            var whole = Samples.MacPackage("<xar><toc>" + string.Concat(Enumerable.Repeat(file, 200)) + "</toc></xar>");
            return [.. whole.AsSpan(0, 28 + (int)BinaryPrimitives.ReadUInt64BigEndian(whole.AsSpan(8))), .. packed.ToArray()];
        },

        // Directories of resources that lead to one another.
        ["resources.exe"] = () => Resources(),
    };

    /// <summary>Files that are refused for something else before their time is over.</summary>
    private static readonly string[] Otherwise = ["wide.tar.zst", "attributes.msix"];

    public static TheoryData<string> Names => [.. Files.Keys];

    [Theory]
    [MemberData(nameof(Names))]
    public void It_ends_when_its_time_is_over(string name)
    {
        var file = Files[name]();
        var clock = new SteppingClock();
        var found = Inspector.Inspect(new MemoryStream(file), name, HintCatalog.Own, null, new ReadingBudget(clock));
        Assert.True(clock.Looks < 400, $"{clock.Looks} looks at a clock that had run out after 100.");
        Assert.True(
            Otherwise.Contains(name) || found.Findings.Any(finding => finding.Message.Contains("it had taken 10 seconds", StringComparison.Ordinal)),
            "It never asked what time it is.");
    }

    [Theory]
    [MemberData(nameof(Names))]
    public void It_never_fills_the_memory(string name)
    {
        var file = Files[name]();
        var before = GC.GetAllocatedBytesForCurrentThread();
        var found = Inspector.Inspect(new MemoryStream(file), name, HintCatalog.Own, null, new ReadingBudget(new StandingClock()));
        var taken = GC.GetAllocatedBytesForCurrentThread() - before;
        Assert.InRange(taken, 0, MostAllocated);
        Assert.NotEqual(InstallerKind.Unknown, found.Kind);
    }

    [Theory]
    [InlineData("soup.pkg", "asked for more than 256 MiB of memory")]
    [InlineData("attributes.msix", "has more than 1000 attributes")]
    [InlineData("parts.pkg", "more than 256 MiB")]
    [InlineData("names.tar.gz", "256 MiB")]
    public void What_stopped_it_is_said(string name, string why) =>
        Assert.Contains(
            Inspector.Inspect(new MemoryStream(Files[name]()), name, HintCatalog.Own, null, new ReadingBudget(new StandingClock())).Findings,
            finding => finding.Message.Contains(why, StringComparison.Ordinal));

    [Fact]
    public void It_can_be_told_to_stop()
    {
        using var stop = new CancellationTokenSource();
        var clock = new SteppingClock { At = looks => { if (looks == 5) { stop.Cancel(); } } };
        Assert.ThrowsAny<OperationCanceledException>(() => Inspector.Inspect(
            new MemoryStream(Kept("long.tar.bz2")), "long.tar.bz2", HintCatalog.Own, null, new ReadingBudget(clock, stop.Token) { Time = TimeSpan.MaxValue }));
        Assert.InRange(clock.Looks, 5, 7);
    }

    private static byte[] Kept(string name) => File.ReadAllBytes(Path.Combine(AppContext.BaseDirectory, "Cases", "exhausting", name));

    private static byte[] Gzip(Action<Stream> write)
    {
        using var packed = new MemoryStream();
        using (var gzip = new GZipStream(packed, CompressionLevel.Fastest, leaveOpen: true))
        {
            write(gzip);
        }

        return packed.ToArray();
    }

    private static byte[] Head(string name, int size, char kind)
    {
        var head = new byte[512];
        Encoding.ASCII.GetBytes(name).CopyTo(head, 0);
        Encoding.ASCII.GetBytes(Convert.ToString(size, 8).PadLeft(11, '0')).CopyTo(head, 124);
        Encoding.ASCII.GetBytes("        ").CopyTo(head, 148);
        head[156] = (byte)kind;
        Encoding.ASCII.GetBytes("ustar\000").CopyTo(head, 257);
        Encoding.ASCII.GetBytes(Convert.ToString(head.Sum(each => each), 8).PadLeft(6, '0') + "\0 ").CopyTo(head, 148);
        return head;
    }

    private static byte[] Resources()
    {
        var program = Samples.Program("Loop", "1.0");
        // The root and every directory below it are one: 4,096 entries of each sought kind, all leading back to it.
        var file = new byte[program.Length + 40_000];
        program.CopyTo(file, 0);
        var at = 512;
        for (var type = 0; type < 4096 && at + 16 + (type * 8) + 8 < file.Length; type++)
        {
            BinaryPrimitives.WriteUInt32LittleEndian(file.AsSpan(at + 16 + (type * 8)), type % 3 == 0 ? 16u : type % 3 == 1 ? 3u : 14u);
            BinaryPrimitives.WriteUInt32LittleEndian(file.AsSpan(at + 20 + (type * 8)), 0x80000000);
        }

        BinaryPrimitives.WriteUInt16LittleEndian(file.AsSpan(at + 12), 4096);
        BinaryPrimitives.WriteUInt16LittleEndian(file.AsSpan(at + 14), 0);
        return file;
    }

    /// <summary>A clock that goes on by a tenth of a second whenever it is looked at.</summary>
    private sealed class SteppingClock : TimeProvider
    {
        public int Looks { get; private set; }

        public Action<int>? At { get; init; }

        public override long TimestampFrequency => 10;

        public override long GetTimestamp()
        {
            At?.Invoke(Looks);
            return Looks++;
        }
    }

    private sealed class StandingClock : TimeProvider
    {
        public override long GetTimestamp() => 0;
    }
}
