using Bandejo.Core.Installers;
using Bandejo.Core.Packages;
using Xunit;

namespace Bandejo.Core.Tests.Installers;

public sealed class OtherKindsTests
{
    [Fact]
    public void An_rpm_package_tells_all_that_its_header_says()
    {
        var found = Inspect("inkwell-print-4.3.0-1.x86_64.rpm", Samples.All["inkwell-print-4.3.0-1.x86_64.rpm"]);

        Assert.Empty(found.Findings);
        Assert.Equal(
            ("inkwell-print", "4.3.0-1.el9", "Bellwether Works", "x64", "linux", "2000 KiB"),
            (Of(Facts.Name), Of(Facts.Version), Of(Facts.Publisher), Of(Facts.Architecture), Of(Facts.System), Of(Facts.InstalledSize)));
        Assert.All(found.Told.Where(told => told.What is Facts.Name or Facts.Version), told => Assert.Equal(Certainty.Certain, told.Certainty));
        Assert.Equal(["usr/bin/inkwell", "etc/inkwell.conf"], found.Contents!.First.Select(file => file.Path));
        Assert.Equal(["marlin-runtime"], found.Nested.Select(nested => nested.Path));
        Assert.Equal(["runs a script of its own after it was installed"], found.Conditions);
        var manifest = ManifestReader.Read(ManifestDraft.Write([found])).Value;
        Assert.Equal("os.family in (\"fedora\", \"rhel\", \"suse\", \"opensuse\") and architecture is \"x64\"", manifest.Variants[0].Fits.ToString());
        Assert.Equal(["sh", "-c", "exec rpm --root \"$BANDEJO_ROOT\" --erase \"$0\"", "inkwell-print"], manifest.Variants[0].Remove!.Run);
        var proof = Assert.Single(manifest.Variants[0].Present);
        Assert.Equal("4.3.0-1.el9", proof.VersionIn("4.3.0-1.el9"));

        string? Of(string what) => found.Of(what)?.Value;
    }

    [Fact]
    public void An_epoch_is_said_and_a_package_of_sources_too()
    {
        var epoch = Inspect("a.rpm", RpmSamples.Rpm(tags => tags[1003] = 2));
        Assert.Contains(epoch.Findings, finding => finding.IsWarning && finding.Message.Contains("the epoch 2"));
        Assert.Equal("4.3.0-1.el9", epoch.Of(Facts.Version)!.Value);

        var source = RpmSamples.Rpm();
        source[7] = 1;
        Assert.Contains(Inspect("a.src.rpm", source).Findings, finding => finding.Message.Contains("a package of sources"));
    }

    [Theory]
    [InlineData(96 + 8, "entries")]
    [InlineData(96 + 12, "entries")]
    public void A_header_that_says_what_cannot_be_is_damaged(int at, string says)
    {
        var file = RpmSamples.Rpm();
        file[at] = 0x7F;
        var found = Inspect("a.rpm", file);
        Assert.Equal(InstallerKind.Rpm, found.Kind);
        Assert.Contains(found.Findings, finding => !finding.IsWarning && finding.Message.Contains(says));
    }

    [Fact]
    public void A_cabinet_is_listed_and_setups_in_it_are_named()
    {
        var found = Inspect("drivers-2.1.cab", Samples.All["drivers-2.1.cab"]);
        Assert.Equal((InstallerKind.Cabinet, 2L, 70_012L), (found.Kind, found.Contents!.Files, found.Contents.Size));
        Assert.Equal(["setup/driver-setup.exe"], found.Nested.Select(nested => nested.Path));
        Assert.Contains(Inspect("a.cab", [.. Samples.All["drivers-2.1.cab"][..60]]).Findings, finding => !finding.IsWarning);
    }

    [Theory]
    [InlineData("install.wim", 0, "4D5357494D000000", "image of a Windows system (WIM)", null)]
    [InlineData("clean.ps1", 0, "", "PowerShell script", "powershell")]
    [InlineData("clean.cmd", 0, "", "batch file", "cmd")]
    [InlineData("clean.sh", 0, "", "shell script", "sh")]
    [InlineData("notes.txt", 0, "", "unknown file", null)]
    public void What_is_no_installer_is_named_as_what_it_is(string file, int at, string mark, string kind, string? runs)
    {
        byte[] content = [.. Enumerable.Repeat((byte)'x', at), .. Convert.FromHexString(mark), .. "echo done\n"u8];
        var found = Inspect(file, content);
        Assert.Equal((kind, runs), (found.KindInWords, found.CommandFor("install")?.Run[0]));
    }

    [Theory]
    [InlineData("tools-3.1_x64.7z", "tools", "3.1", "x64")]
    [InlineData("plain.7z", "plain", null, null)]
    public void An_archive_of_the_7z_kind_is_listed(string file, string name, string? version, string? architecture)
    {
        var found = Inspect(file, Samples.All[file]);

        Assert.Empty(found.Findings);
        Assert.Equal((InstallerKind.SevenZip, name, version, architecture), (
            found.Kind, found.Of(Facts.Name)?.Value, found.Of(Facts.Version)?.Value, found.Of(Facts.Architecture)?.Value));
        Assert.Equal(
            [("drivers/empty.inf", 0L), ("drivers/marlin-driver.msi", 21L), ("readme.txt", 1L)],
            found.Contents!.First.Select(each => (each.Path, each.Size)).Order());
        Assert.Equal(["drivers/marlin-driver.msi"], found.Nested.Select(nested => nested.Path));
    }

    [Theory]
    [InlineData(20, "FFFFFFFFFFFFFF7F", "which makes no sense")]
    [InlineData(12, "FFFFFFFFFFFFFF7F", "lies outside of it")]
    [InlineData(20, "0000000000000000", "has no list of files")]
    public void A_7z_whose_list_cannot_be_is_damaged(int at, string bytes, string says)
    {
        var file = Samples.All["plain.7z"].ToArray();
        Convert.FromHexString(bytes).CopyTo(file, at);
        Assert.Contains(Inspect("plain.7z", file).Findings, finding => !finding.IsWarning && finding.Message.Contains(says));
    }

    [Fact]
    public void What_the_name_of_a_file_says_and_the_file_does_not_is_a_guess_and_a_contradiction_is_said()
    {
        var setup = Inspect("Foldline-7.2.0-arm64-setup.exe", Samples.Program(
            "Foldline", "1.0.0", overlay: Convert.FromHexString("EFBEADDE4E756C6C736F6674496E7374"), machine: 0x14C));

        Assert.Equal(("arm64", Certainty.Likely), (setup.Of(Facts.Architecture)!.Value, setup.Of(Facts.Architecture)!.Certainty));
        Assert.Contains(setup.Findings, finding => finding.IsWarning && finding.Message.Contains("Its name says version 7.2.0, and the file itself 1.0.0"));
        Assert.Null(Inspect("foldline_x86_and_x64.zip", Samples.Zip(("a", "b"))).Of(Facts.Architecture));
        Assert.DoesNotContain(
            Inspect("inkwell-print_4.2.0_amd64.deb", Samples.All["inkwell-print_4.2.0_amd64.deb"]).Findings,
            finding => finding.Message.Contains("Its name says"));
    }

    [Fact]
    public void A_macos_disk_image_is_known_by_its_end()
    {
        var image = new byte[2000];
        "koly"u8.CopyTo(image.AsSpan(2000 - 512));
        Assert.Equal(("macOS disk image", "macos"), (
            Inspect("Foldline-7.2.0.dmg", image).KindInWords, Inspect("Foldline-7.2.0.dmg", image).Of(Facts.System)!.Value));
    }

    private static Inspection Inspect(string name, byte[] content) => Inspector.Inspect(new MemoryStream(content), name, HintCatalog.Own);
}
