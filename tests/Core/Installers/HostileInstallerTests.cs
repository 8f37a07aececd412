using System.Buffers.Binary;
using System.IO.Compression;
using Bandejo.Core.Installers;
using Xunit;

namespace Bandejo.Core.Tests.Installers;

/// <summary>Files that are cut short, damaged or made to harm: a finding each time, never an exception, a hang or memory without end.</summary>
public sealed class HostileInstallerTests
{
    public static TheoryData<string> Kinds => [.. Samples.All.Keys];

    [Theory]
    [MemberData(nameof(Kinds))]
    public void A_file_cut_short_anywhere_is_found_to_be(string file)
    {
        // What is appended to a program says nowhere how long it is: of these it only counts that less is said, and nothing else.
        var isOpen = file.EndsWith(".exe", StringComparison.Ordinal) || file.EndsWith(".AppImage", StringComparison.Ordinal)
            || file.EndsWith(".run", StringComparison.Ordinal);
        var whole = Samples.All[file];
        var (told, held) = (Inspect(file, whole).Told.Select(each => each.Value).ToHashSet(), Inspect(file, whole).Contents);
        foreach (var length in Enumerable.Range(0, 60).Concat(Enumerable.Range(1, 60).Select(part => whole.Length * part / 61)).Where(
            length => length < whole.Length))
        {
            var found = Inspect(file, whole[..length]);

            // A tar archive that lost nothing but its padding has all that it held.
            var hasAll = found.Kind == InstallerKind.Tar && (found.Contents?.Files, found.Contents?.Size) == (held?.Files, held?.Size);
            Assert.True(
                isOpen || hasAll || found.Kind == InstallerKind.Unknown || found.Findings.Any(finding => !finding.IsWarning),
                $"{file} cut to {length} bytes seems whole.");
            Assert.True(
                found.Told.All(each => each.What == Facts.InstalledSize || told.Contains(each.Value)),
                $"{file} cut to {length} bytes says what the whole does not.");
        }
    }

    [Theory]
    [MemberData(nameof(Kinds))]
    public void Bytes_changed_at_random_never_get_further_than_a_finding(string file)
    {
        for (var seed = 0; seed < 600; seed++)
        {
            var random = new Random(seed);
            var bytes = Samples.All[file].ToArray();
            for (var changes = random.Next(1, 12); changes > 0; changes--)
            {
                // Heads and tables stand at the beginning and at the end; that is where a change does most.
                var at = random.Next(3) switch
                {
                    0 => random.Next(Math.Min(1024, bytes.Length)), 1 => bytes.Length - 1 - random.Next(Math.Min(512, bytes.Length)),
                    _ => random.Next(bytes.Length),
                };
                bytes[at] = random.Next(4) switch { 0 => 0xFF, 1 => 0, 2 => 0x80, _ => (byte)random.Next(256) };
            }

            Sane(Inspect(file, bytes), $"{file}, seed {seed}");
        }
    }

    [Theory]
    [MemberData(nameof(Corpus))]
    public void What_once_went_wrong_does_not_go_wrong_again(string file)
    {
        using var stream = File.OpenRead(Path.Combine(Folder, file));
        Sane(Inspector.Inspect(stream, file, HintCatalog.Own), file);
    }

    [Fact]
    public void Names_that_climb_out_and_links_that_lead_out_are_findings()
    {
        Assert.Contains(Wrong("a.zip", Samples.Zip(("../../etc/cron.d/x", "x"))), message => message.Contains("climbs out"));
        Assert.Contains(Wrong("a.zip", Samples.Zip(("/etc/passwd", "x"))), message => message.Contains("climbs out"));
        Assert.Contains(Wrong("a.tar", Samples.Tar(("ok", "x"), ("a/../../x", "x"))), message => message.Contains("climbs out"));
        Assert.Contains(Warned("a.tar", Samples.Tar(("bin/tool", "-> ../../../etc/shadow"))), message => message.Contains("a link to '../../../etc/shadow'"));
        Assert.Empty(Warned("a.tar", Samples.Tar(("lib/tool.so", "-> ../share/tool.so"))));
    }

    [Fact]
    public void A_bomb_is_named_and_not_unpacked()
    {
        // One entry that says it unpacks to 400 GiB, and a manifest of 100 MB of blanks that packs to little.
        var zip = Samples.Zip(("big", new string(' ', 200_000)));
        var directory = zip.AsSpan().LastIndexOf("PK\x01\x02"u8);
        BinaryPrimitives.WriteUInt32LittleEndian(zip.AsSpan(directory + 24), uint.MaxValue - 1);
        Assert.Contains(Wrong("a.zip", zip), message => message.Contains("bomb"));

        Assert.Contains(Wrong("a.msix", Samples.Zip(("AppxManifest.xml", new string(' ', 100_000_000)))), message => message.Contains(
            "unpacks to more than 16 MiB"));
        Assert.Contains(Wrong("a.pkg", Samples.MacPackage(new string(' ', 70_000_000))), message => message.Contains("70,000,000 bytes"));

        using var packed = new MemoryStream();
        using (var gzip = new GZipStream(packed, CompressionLevel.Optimal, leaveOpen: true))
        {
            gzip.Write(Samples.Tar(("nothing", "x"))[..^1024]);
            for (var i = 0; i < 300; i++)
            {
                gzip.Write(Samples.Tar(($"f{i}", new string('0', 1_000_000)))[..^1024]);
            }
        }

        var found = Inspector.Inspect(new MemoryStream(packed.ToArray()), "a.tar.gz", HintCatalog.Own);
        Assert.False(found.Contents!.IsWhole);
    }

    [Fact]
    public void Chains_that_run_in_a_circle_end()
    {
        var circle = Samples.Transform();
        var fat = circle.Length - 512;
        for (var sector = 0; sector < 5; sector++)
        {
            BinaryPrimitives.WriteUInt32LittleEndian(circle.AsSpan(fat + (sector * 4)), (uint)(sector ^ 1));
        }

        Assert.Contains(Wrong("a.msi", circle), message => message.Contains("circle") || message.Contains("damaged"));
    }

    [Theory]
    [InlineData("<!DOCTYPE x [<!ENTITY a \"b\">]><xar>&a;</xar>")]
    [InlineData("<!DOCTYPE x SYSTEM \"file:///etc/passwd\"><xar />")]
    public void Documents_that_define_or_fetch_something_are_not_read(string contents) =>
        Assert.Contains(Wrong("a.pkg", Samples.MacPackage(contents)), message => message.Contains("it defines or fetches something"));

    [Fact]
    public void What_is_nested_too_deep_is_not_read() =>
        Assert.Contains(
            Wrong("a.pkg", Samples.MacPackage(string.Concat(Enumerable.Repeat("<file>", 20_000)) + string.Concat(Enumerable.Repeat("</file>", 20_000)))),
            message => message.Contains("nested deeper"));

    [Theory]
    [InlineData("", "The file is empty.")]
    [InlineData("hello", null)]
    public void What_is_no_installer_says_so(string text, string? wrong)
    {
        var found = Inspector.Inspect(new MemoryStream(System.Text.Encoding.ASCII.GetBytes(text)), "notes.txt", HintCatalog.Own);

        Assert.Equal(InstallerKind.Unknown, found.Kind);
        Assert.Equal(wrong, found.Findings.FirstOrDefault()?.Message);
        Assert.True(wrong is not null || found.Open[0].What == "What it is");
    }

    public static TheoryData<string> Corpus => [.. Directory.GetFiles(Folder).Select(file => Path.GetFileName(file))];

    private static string Folder => Path.Combine(AppContext.BaseDirectory, "Cases", "installers");

    private static Inspection Inspect(string file, byte[] content) => Inspector.Inspect(new MemoryStream(content), file, HintCatalog.Own);

    private static IEnumerable<string> Wrong(string file, byte[] content) =>
        Inspect(file, content).Findings.Where(finding => !finding.IsWarning).Select(finding => finding.Message);

    private static IEnumerable<string> Warned(string file, byte[] content) =>
        Inspect(file, content).Findings.Where(finding => finding.IsWarning).Select(finding => finding.Message);

    private static void Sane(Inspection found, string what)
    {
        Assert.All(found.Told, told => Assert.True(told.Value.Length is > 0 and <= 501 && !told.Value.Any(char.IsControl), $"{what}: {told}"));
        Assert.True(found.Nested.Count <= 200 && (found.Contents?.First.Count ?? 0) <= InstallerContents.MaxListed, what);
        ManifestDraft.Write([found]);
    }
}
