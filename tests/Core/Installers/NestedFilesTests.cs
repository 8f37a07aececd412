using System.Buffers.Binary;
using System.Text;
using Bandejo.Core.Installers;
using Xunit;

namespace Bandejo.Core.Tests.Installers;

/// <summary>Installers inside archives are taken out as they are, or not at all.</summary>
public sealed class NestedFilesTests
{
    private const string Inside = "needed/runtime_2.4.1_amd64.deb";

    private static readonly string Content = new('r', 5000);

    public static TheoryData<string> Archives => ["circdesk-3.9.2.zip", "circdesk-3.9.2.tar", "circdesk-3.9.2.tar.gz"];

    [Theory]
    [MemberData(nameof(Archives))]
    public void What_an_archive_brings_along_comes_out_byte_by_byte(string name)
    {
        var archive = Archive(name);
        using var target = new MemoryStream();

        var taken = NestedFiles.TakeOut(new MemoryStream(archive), Inspect(name, archive), Inside, target);

        Assert.Equal(Content.Length, taken.Value);
        Assert.Equal(Content, Encoding.ASCII.GetString(target.ToArray()));
    }

    [Theory]
    [MemberData(nameof(Archives))]
    public void What_is_not_an_installer_inside_is_not_taken(string name)
    {
        var archive = Archive(name);
        var taken = NestedFiles.TakeOut(new MemoryStream(archive), Inspect(name, archive), "circdesk/VERSION", new MemoryStream());
        Assert.Contains("holds no installer", taken.Failure!.Message, StringComparison.Ordinal);
    }

    [Theory]
    [MemberData(nameof(Archives))]
    public void An_archive_that_was_cut_since_it_was_looked_at_gives_a_failure_in_words(string name)
    {
        var archive = Archive(name);
        var inspection = Inspect(name, archive);
        foreach (var length in Enumerable.Range(1, 40).Select(part => archive.Length * part / 41))
        {
            using var target = new MemoryStream();
            var taken = NestedFiles.TakeOut(new MemoryStream(archive[..length]), inspection, Inside, target);
            Assert.True(taken.Ok ? target.Length == Content.Length : taken.Failure!.Message.Contains(Inside, StringComparison.Ordinal), $"cut to {length}");
        }
    }

    [Fact]
    public void An_archive_that_lies_about_a_size_cannot_write_more_than_it_said()
    {
        var archive = Archive("circdesk-3.9.2.zip");
        var at = archive.AsSpan().LastIndexOf("PK\x01\x02"u8);
        Assert.Equal(Content.Length, BinaryPrimitives.ReadInt32LittleEndian(archive.AsSpan(at + 24)));
        BinaryPrimitives.WriteInt32LittleEndian(archive.AsSpan(at + 24), 100);
        using var target = new MemoryStream();

        var taken = NestedFiles.TakeOut(new MemoryStream(archive), Inspect("circdesk-3.9.2.zip", archive), Inside, target);

        Assert.Contains("another size than its archive says", taken.Failure!.Message, StringComparison.Ordinal);
        Assert.True(target.Length <= 101);
    }

    [Fact]
    public void The_draft_names_what_was_taken_out_by_its_own_name_and_version()
    {
        var archive = Archive("circdesk-3.9.2.zip");
        var inspection = Inspect("circdesk-3.9.2.zip", archive);
        var inner = Inspect("runtime_2.4.1_amd64.deb", Samples.Debian("gzip"));

        var alone = ManifestDraft.Write([inspection]);
        var beside = ManifestDraft.Write([inspection], drafted: new Dictionary<string, Inspection> { [Inside] = inner });

        Assert.Contains(
            "needs:\n  # - { app: runtime, at-least: '2.4.1' }  # it brings needed/runtime_2.4.1_amd64.deb (a Debian package) along\n", alone,
            StringComparison.Ordinal);
        Assert.Contains(
            $"needs:\n  # - {{ app: {inner.Of(Facts.Name)!.Value.ToLowerInvariant().Replace(' ', '-')}, at-least: '{inner.Of(Facts.Version)!.Value}' }}  # "
                + $"it brings {Inside} (a Debian package) along, which is drafted as a package of its own\n",
            beside, StringComparison.Ordinal);
    }

    [Fact]
    public void An_archive_in_an_archive_is_looked_into_and_what_it_brings_comes_out()
    {
        var archive = Samples.ZipOf(("outer/inner.zip", Archive("circdesk-3.9.2.zip")), ("outer/inner.tar.gz", Archive("circdesk-3.9.2.tar.gz")), (
            "outer/tools.7z", Samples.Kept("tools-3.1_x64.7z")));
        var inspection = Inspect("circdesk_x64.zip", archive);

        Assert.Equal(["outer/inner.zip!/" + Inside, "outer/inner.tar.gz!/" + Inside, "outer/tools.7z!/drivers/marlin-driver.msi"], inspection.Nested.Select(
            nested => nested.Path));
        foreach (var nested in inspection.Nested.Take(2))
        {
            using var target = new MemoryStream();
            Assert.Equal(Content.Length, NestedFiles.TakeOut(new MemoryStream(archive), inspection, nested.Path, target).Value);
            Assert.Equal(Content, Encoding.ASCII.GetString(target.ToArray()));
        }

        Assert.False(NestedFiles.CanBeTaken(inspection, inspection.Nested[2]), "Of a 7z only its list is read.");
    }

    [Fact]
    public void What_a_disc_brings_along_comes_out()
    {
        var disc = Samples.All["inkwell-disc-2.0.iso"];
        var inspection = Inspect("inkwell-disc-2.0.iso", disc);
        using var target = new MemoryStream();

        Assert.Equal((InstallerKind.Disc, 3L), (inspection.Kind, inspection.Contents!.Files));
        Assert.True(NestedFiles.TakeOut(new MemoryStream(disc), inspection, "drivers/marlin-driver.msi", target).Ok);
        Assert.Equal("not really a database", Encoding.ASCII.GetString(target.ToArray()));
    }

    [Fact]
    public void A_program_in_an_archive_is_judged_by_its_bytes()
    {
        var archive = Samples.ZipOf(("a/foldline.exe", Samples.All["foldline-setup.exe"]), ("a/runtime.exe", Samples.Program("Marlin Runtime", "2.4")), (
            "a/setup.exe", "MZ and no more"u8.ToArray()));
        var found = Inspect("a.zip", archive).Nested;

        Assert.Equal(["a/foldline.exe", "a/setup.exe"], found.Select(nested => nested.Path));
        Assert.StartsWith("a Windows setup: ", found[0].What);
    }

    private static byte[] Archive(string name) => (name[^1], name[^2]) switch
    {
        ('p', _) => Samples.Zip(("circdesk/VERSION", "3.9.2"), (Inside, Content)),
        ('r', _) => Samples.Tar(("circdesk/VERSION", "3.9.2"), (Inside, Content)),
        _ => Samples.Packed(Samples.Tar(("circdesk/VERSION", "3.9.2"), (Inside, Content))),
    };

    private static Inspection Inspect(string name, byte[] bytes) => Inspector.Inspect(new MemoryStream(bytes), name, HintCatalog.Own);
}
