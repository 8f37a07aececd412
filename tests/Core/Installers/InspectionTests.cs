using System.Buffers.Binary;
using Bandejo.Core.Installers;
using Xunit;

namespace Bandejo.Core.Tests.Installers;

public sealed class InspectionTests
{
    [Fact]
    public void A_database_tells_all_that_its_tables_say()
    {
        var found = Inspect("foldline.msi");

        Assert.Equal(InstallerKind.WindowsInstaller, found.Kind);
        Assert.Equal("Foldline", Certain(found, Facts.Name));
        Assert.Equal("7.2.0", Certain(found, Facts.Version));
        Assert.Equal("Bellwether Works", Certain(found, Facts.Publisher));
        Assert.Equal("de", Certain(found, Facts.Language));
        Assert.Equal("x64", Certain(found, Facts.Architecture));
        Assert.Equal("{5D0A6F2E-0B1D-4C60-9E0B-0F8B6C1F7A20}", Certain(found, Facts.ProductCode));
        Assert.Equal("{9B0C2E11-6A34-4E0F-8B53-1C2D3E4F5A60}", Certain(found, Facts.UpgradeCode));
        Assert.Equal("asks for a restart at the end", Certain(found, Facts.Restart));
        Assert.Equal(["msiexec", "/i", "foldline.msi", "/qn", "/norestart"], found.CommandFor("install")!.Run);
        Assert.Equal(["msiexec", "/x", "{5D0A6F2E-0B1D-4C60-9E0B-0F8B6C1F7A20}", "/qn", "/norestart"], found.CommandFor("remove")!.Run);
        Assert.Equal(
            [("Viewer", "Übersicht", true), ("Samples", "Samples", false)],
            found.Features.Select(each => (each.Name, each.Title, each.IsDefault)).OrderByDescending(each => each.IsDefault));
        Assert.Equal(["VersionNT64: Foldline needs a 64-bit Windows."], found.Conditions);
        Assert.Equal((300, 300 * 301 / 2 * 1000L), (found.Contents!.Files, found.Contents.Size));
        Assert.Contains("foldline-1.dll", found.Contents.First.Select(file => file.Path));
        Assert.Equal(["files.cab"], found.Beside);
        Assert.Contains(found.Findings, finding => finding.IsWarning && finding.Message.Contains("files.cab"));
        Assert.Equal(("product", "{5D0A6F2E-0B1D-4C60-9E0B-0F8B6C1F7A20}"), (found.Proofs[0].Key, found.Proofs[0].Subject));
    }

    [Fact]
    public void Public_properties_become_settings_and_what_steers_the_installer_or_is_secret_is_kept_apart()
    {
        var settings = Inspect("foldline.msi").Settings;

        Assert.Equal(["FOLDLINE_GONE", "FOLDLINE_MODE", "FOLDLINE_SERVER", "LICENCEKEY"], settings.Select(setting => setting.Name));
        Assert.Equal(("desk", "FOLDLINE_MODE={value}", false), (settings[1].Default, settings[1].Switch, settings[1].IsSecret));
        Assert.Equal(("", true), (settings[3].Default, settings[3].IsSecret));
    }

    [Fact]
    public void A_transform_beside_a_database_says_what_it_changes()
    {
        using var database = new MemoryStream(Samples.Database);
        var found = Inspector.Inspect(database, "foldline.msi", HintCatalog.Own, [("kiosk.mst", new MemoryStream(Samples.Transform()))]);

        Assert.Equal(
            [
                "kiosk.mst: property FOLDLINE_MODE changed to 'kiosk'", "kiosk.mst: property FOLDLINE_SHELF added to 'yes'",
                "kiosk.mst: property FOLDLINE_GONE removed"],
            found.Conditions.Where(condition => condition.StartsWith("kiosk", StringComparison.Ordinal)));
        Assert.Contains("TRANSFORMS=kiosk.mst", found.CommandFor("install")!.Run);
    }

    [Theory]
    [InlineData("quillmark.msix", InstallerKind.AppPackage, "Quillmark", "9.5.0.0", "x64", "Tarn & Heath Software")]
    [InlineData("quillmark.msixbundle", InstallerKind.AppBundle, "TarnHeath.Quillmark", "9.5.0.0", "arm64, x64", "Tarn & Heath Software")]
    [InlineData("inkwell-print_4.2.0_amd64.deb", InstallerKind.Debian, "inkwell-print", "4.2.0-1", "x64", "Bellwether Works")]
    [InlineData("carrel-link.pkg", InstallerKind.MacInstaller, "Carrel Link", "2.1.0", "x64,arm64", null)]
    [InlineData("Nightjar-2.0.0-x86_64.AppImage", InstallerKind.AppImage, "Nightjar", "2.0.0", "x64", null)]
    [InlineData("plateglass-11.3.0.run", InstallerKind.ShellArchive, "Plateglass Studio", "11.3.0", null, null)]
    [InlineData("circdesk-3.9.1.zip", InstallerKind.Zip, "circdesk", "3.9.1", null, null)]
    [InlineData("circdesk-3.9.1.tar.gz", InstallerKind.Tar, "circdesk", "3.9.1", null, null)]
    [InlineData("circdesk-3.9.2.tar.xz", InstallerKind.Tar, "circdesk", "3.9.2", null, null)]
    [InlineData("circdesk-3.9.2.tar.bz2", InstallerKind.Tar, "circdesk", "3.9.2", null, null)]
    [InlineData("circdesk-3.9.2.tar.zst", InstallerKind.Tar, "circdesk", "3.9.2", null, null)]
    [InlineData("foldline-setup.exe", InstallerKind.WindowsSetup, "Foldline", "7.2.0", "x64", "Tarn & Heath Software")]
    public void Each_kind_is_recognised_by_what_is_in_it(string file, InstallerKind kind, string name, string version, string? architecture, string? publisher)
    {
        var found = Inspect(file);

        Assert.DoesNotContain(found.Findings, finding => !finding.IsWarning);
        Assert.Equal((kind, name, version, architecture, publisher), (
            found.Kind, found.Of(Facts.Name)?.Value, found.Of(Facts.Version)?.Value, found.Of(Facts.Architecture)?.Value, found.Of(Facts.Publisher)?.Value));
    }

    [Fact]
    public void A_mark_behind_a_program_gives_its_silent_switches_and_a_sites_own_hints_come_first()
    {
        var found = Inspect("foldline-setup.exe");
        Assert.Equal(["foldline-setup.exe", "/S"], found.CommandFor("install")!.Run);
        Assert.Equal(Certainty.Likely, found.CommandFor("install")!.Certainty);

        // Where its remove program stands nobody can know from the file: it is told, and drafted as nothing.
        Assert.Null(found.CommandFor("remove"));
        Assert.Contains(found.Open, open => open.Verb == "remove" && open.Try.Contains(@"C:\Program Files\Foldline\uninstall.exe"));
        Assert.DoesNotContain("NAME", ManifestDraft.Write([found]));

        var own = HintCatalog.Own.With("- name: the county's own wrapper\n  look: any\n  bytes: EF BE AD DE\n  install: [--hush]\n", "county.yaml").Value;
        var again = Inspector.Inspect(new MemoryStream(Samples.All["foldline-setup.exe"]), "foldline-setup.exe", own);
        Assert.Equal(["foldline-setup.exe", "--hush"], again.CommandFor("install")!.Run);
        Assert.Equal("hint 'the county's own wrapper' of county.yaml", again.CommandFor("install")!.Source);
    }

    [Theory]
    [InlineData(0x1, "any")]
    [InlineData(0x3, "x86")]
    [InlineData(0x20003, "any")]
    [InlineData(0x2, "x86")]
    public void A_program_of_dotnet_runs_anywhere_unless_it_is_bound_to_32_bits(int flags, string architecture)
    {
        var program = Samples.Program("Foldline", "7.2.0", machine: 0x14C, more: (10, 1, 1033, new byte[300]));
        var header = program.Length - 72;
        Assert.Equal(new byte[72], program[header..]);
        BinaryPrimitives.WriteInt32LittleEndian(program.AsSpan(88 + 112 + (14 * 8)), 0x1000 + header - 512);
        BinaryPrimitives.WriteInt32LittleEndian(program.AsSpan(88 + 112 + (14 * 8) + 4), 72);
        BinaryPrimitives.WriteInt32LittleEndian(program.AsSpan(header + 16), flags);

        Assert.Equal(architecture, Inspector.Inspect(new MemoryStream(program), "foldline.exe", HintCatalog.Own).Of(Facts.Architecture)!.Value);
    }

    [Theory]
    [InlineData("CN=&quot;Tarn, Heath &amp; Co. Software&quot;, O=&quot;Tarn, Heath&quot;, C=NL", "Tarn, Heath & Co. Software")]
    [InlineData("O=Tarn, CN=Tarn &amp; Heath", "Tarn & Heath")]
    [InlineData("O=Tarn, L=CN=x", null)]
    [InlineData("whatever", null)]
    public void A_distinguished_name_is_read_by_its_rules(string publisher, string? signer)
    {
        var package = Samples.Zip(("AppxManifest.xml", $"<Package><Identity Name=\"a.b\" Publisher=\"{publisher}\" Version=\"1.0\"/></Package>"));
        Assert.Equal(signer, Inspector.Inspect(new MemoryStream(package), "a.msix", HintCatalog.Own).Of(Facts.Signer)?.Value);
    }

    [Fact]
    public void The_largest_icon_is_taken_as_a_png_also_where_it_stands_in_several_languages()
    {
        // A group of two pictures, 4 and 2 points wide; each point red, opaque, as bitmaps keep it: blue, green, red, alpha, and the height doubled for a mask.
        byte[] Bitmap(byte width) =>
            [
                40, 0, 0, 0, width, 0, 0, 0, (byte)(width * 2), 0, 0, 0, 1, 0, 32, 0, .. new byte[24],
                .. Enumerable.Repeat<byte[]>([0, 0, 255, 255], width * width).SelectMany(point => point)];
        byte[] group = [0, 0, 1, 0, 2, 0, 2, 2, 0, 0, 1, 0, 32, 0, 0, 0, 0, 0, 1, 0, 4, 4, 0, 0, 1, 0, 32, 0, 0, 0, 0, 0, 2, 0];
        var program = Samples.Program("Foldline", "7.2.0", more: [(14, 1, 1033, group), (3, 1, 1033, Bitmap(2)), (3, 2, 1033, Bitmap(4)), (
            3, 2, 1031, Bitmap(4))]);

        var found = Inspector.Inspect(new MemoryStream(program), "foldline.exe", HintCatalog.Own);

        Assert.DoesNotContain(found.Findings, finding => !finding.IsWarning);
        Assert.Equal(4, found.Icon!.Width);
        Assert.Equal(["89504E470D0A1A0A0000000D49484452", "0000000400000004080600000"], [
            Convert.ToHexString(found.Icon.Png, 0, 16), Convert.ToHexString(found.Icon.Png, 16, 13)[..25]]);
        using var points = new System.IO.Compression.ZLibStream(
            new MemoryStream(found.Icon.Png, 41, found.Icon.Png.Length - 41), System.IO.Compression.CompressionMode.Decompress);
        var lines = new byte[4 * 17];
        points.ReadExactly(lines);
        Assert.Equal([0, 255, 0, 0, 255], lines[..5]);
    }

    [Fact]
    public void A_section_names_a_chain_of_installers()
    {
        var found = Inspector.Inspect(new MemoryStream(Samples.Program("Circdesk", "3.9.1", section: Samples.ChainSection)), "circdesk.exe", HintCatalog.Own);

        Assert.Equal(["circdesk.exe", "/quiet", "/norestart"], found.CommandFor("install")!.Run);
        Assert.Equal(["circdesk.exe", "/uninstall", "/quiet", "/norestart"], found.CommandFor("remove")!.Run);
    }

    [Fact]
    public void A_program_without_a_mark_says_that_it_may_be_none_and_what_to_try()
    {
        var found = Inspector.Inspect(new MemoryStream(Samples.Program("Foldline", "7.2.0")), "foldline.exe", HintCatalog.Own);

        Assert.Equal(InstallerKind.WindowsProgram, found.Kind);
        Assert.Null(found.CommandFor("install"));
        Assert.Contains(found.Open, open => open.What == "Whether it installs anything" && open.Try.Length > 0);
        Assert.Contains(found.Told, told => told is { What: Facts.Signer, Value: "nobody: it is not signed" });
    }

    [Theory]
    [InlineData("circdesk-3.9.1.zip", "circdesk/setup/marlin-runtime-setup.exe")]
    [InlineData("quillmark.msix", "Marlin.Runtime (>= 2.4.0.0)")]
    [InlineData("inkwell-print_4.2.0_amd64.deb", "marlin-runtime (>= 2.4)")]
    public void What_it_carries_or_asks_for_is_named_to_become_a_package_of_its_own(string file, string needed) =>
        Assert.Contains(needed, Inspect(file).Nested.Select(nested => nested.Path));

    [Fact]
    public void The_catalogue_names_setups_and_no_products_and_its_own_mistakes_have_places()
    {
        Assert.All(HintCatalog.Own.Hints, hint => Assert.True(hint.Marks.Count > 0 && hint.Name.Length > 10));

        var wrong = HintCatalog.Own.With(
            "- name: short\n  bytes: 4D\n- name: odd\n  sytem: windows\n  bytes: 4D 5A 90 00\n- name: letters\n  bytes: XY\n", "mine.yaml").Failure!;
        Assert.Equal(
            [
                "A hint needs 'bytes' with at least four bytes", "'sytem' is no key of a hint", "'XY' is not a row of bytes",
                "A hint needs 'bytes' with at least four bytes"],
            wrong.Findings.Select(finding => finding.Message.Split("; ")[0]).Zip([46, 27, 26, 46])
                .Select(pair => pair.First[..Math.Min(pair.First.Length, pair.Second)].TrimEnd(';')));
        Assert.Equal([1, 4, 6, 6], wrong.Findings.Select(finding => finding.Line));
    }

    private static Inspection Inspect(string file) => Inspector.Inspect(new MemoryStream(Samples.All[file]), file, HintCatalog.Own);

    private static string? Certain(Inspection found, string what) => found.Of(what) is { Certainty: Certainty.Certain } told ? told.Value : null;
}
