using Bandejo.Core.Installers;
using Bandejo.Core.Packages;
using Xunit;

namespace Bandejo.Core.Tests.Installers;

public sealed class ManifestDraftTests
{
    [Theory]
    [InlineData("foldline.msi")]
    [InlineData("quillmark.msix")]
    [InlineData("inkwell-print_4.2.0_amd64.deb")]
    [InlineData("foldline-setup.exe")]
    [InlineData("Nightjar-2.0.0-x86_64.AppImage")]
    public void A_draft_of_what_tells_enough_is_a_manifest_that_can_be_built(string file)
    {
        var found = Inspect(file);
        var manifest = ManifestReader.Read(ManifestDraft.Write([found])).Value;

        Assert.Equal(found.Of(Facts.Version)!.Value, manifest.Version.Text);
        Assert.Equal([file, .. found.Beside], manifest.Variants[0].Files);
        Assert.Equal(found.CommandFor("install")!.Run, Settings.FillWords(manifest.Variants[0].Install.Run, new Dictionary<string, string>()));
        Assert.DoesNotContain(
            ManifestCheck.Check(manifest, [.. manifest.Variants[0].Files.Select(each => new PayloadFile(each, 1, ""))]),
            finding => !finding.IsWarning && finding.Where != "icon");
    }

    [Fact]
    public void An_installer_that_is_left_elsewhere_is_fetched_by_size_and_digest_and_a_database_can_be_repaired()
    {
        var sha256 = new string('c', 64);
        var text = ManifestDraft.Write(
            [Inspect("foldline.msi")], null, new Dictionary<string,
            LeftInstaller> { ["foldline.msi"] = new("foldline.msi", "https://files.example.org/a b.msi", 28160, sha256) });
        var manifest = ManifestReader.Read(text).Value;

        Assert.Equal([new FetchedFile("foldline.msi", "https://files.example.org/a b.msi", 28160, sha256)], manifest.Fetched);
        Assert.Contains("foldline.msi", manifest.Variants[0].Files);
        Assert.Equal("/fa", manifest.Variants[0].Repair!.Run[1]);
        Assert.Equal(PresenceKind.Product, manifest.Variants[0].Present[0].Kind);
    }

    [Theory]
    [InlineData("circdesk-3.9.1.zip", "install.run", "present")]
    [InlineData("plateglass-11.3.0.run", "present", "present")]
    public void A_draft_of_what_does_not_tell_enough_cannot_be_built_and_says_what_is_missing(string file, params string[] missing)
    {
        var failure = ManifestReader.Read(ManifestDraft.Write([Inspect(file)])).Failure!;

        Assert.All(missing, place => Assert.Contains(failure.Findings, finding => finding.Where!.Contains(place)));
    }

    [Fact]
    public void A_guess_says_that_it_is_one_and_what_the_file_declares_stands_without_a_word()
    {
        var draft = ManifestDraft.Write([Inspect("plateglass-11.3.0.run")]);
        Assert.Contains("version: 11.3.0  # guess: name of the file", draft);
        Assert.Contains("name: Plateglass Studio  # likely: label in the script", draft);
        Assert.Contains("name: Foldline\n", ManifestDraft.Write([Inspect("foldline.msi")]));
    }

    [Fact]
    public void Settings_are_listed_switched_off_and_secrets_without_their_values()
    {
        var draft = ManifestDraft.Write([Inspect("foldline.msi")]);

        var manifest = ManifestReader.Read(draft).Value;
        var mode = Assert.Single(manifest.Settings, setting => setting.Name == "foldline-mode");
        Assert.Equal((null, "FOLDLINE_MODE, which is desk by itself"), (mode.Default, mode.Says));
        Assert.Contains("FOLDLINE_MODE=@{foldline-mode}", manifest.Variants[0].Install.Run);
        Assert.Contains("It takes the secret LICENCEKEY", draft);
        Assert.DoesNotContain("licencekey", manifest.Settings.Select(setting => setting.Name));
        Assert.DoesNotContain("secret-of-the-maker", draft);
    }

    [Fact]
    public void The_same_software_for_several_architectures_is_one_package_with_a_variant_each()
    {
        var (wide, narrow) = (
            Inspector.Inspect(new MemoryStream(Samples.Program("Circdesk", "3.9.1", section: Samples.ChainSection)), "circdesk-x64.exe", HintCatalog.Own),
            Inspector.Inspect(
                new MemoryStream(Samples.Program("Circdesk", "3.9.1", section: Samples.ChainSection, machine: 0xAA64)), "circdesk-arm64.exe", HintCatalog.Own));
        var other = Inspect("foldline.msi");

        var packages = ManifestDraft.Packages([wide, other, narrow]);
        Assert.Equal([2, 1], packages.Select(package => package.Count));
        var manifest = ManifestReader.Read(ManifestDraft.Write(packages[0])).Value;
        Assert.Equal(["windows-x64", "windows-arm64"], manifest.Variants.Select(variant => variant.Name));
        Assert.Equal("os.family is \"windows\" and architecture is \"arm64\"", manifest.Variants[1].Fits.ToString());
        Assert.Equal("circdesk-3.9.1", ManifestDraft.FolderName(packages[0][0]));
    }

    [Fact]
    public void A_file_that_tells_no_version_belongs_to_the_only_one_that_others_of_its_software_tell()
    {
        Inspection Told(string file, string name, string? version) =>
            new()
            {
                File = file, Size = 1, Kind = InstallerKind.Zip,
                Told = [
                    new Told(Facts.Name, name, Certainty.Guess, "test"),
                    .. version is null ? [] : new[] { new Told(Facts.Version, version, Certainty.Guess, "test") }],
            };

        var packages = ManifestDraft.Packages([
            Told("quill-arm64.zip", "quill", null), Told("quill-1.0.zip", "quill", "1.0"), Told("ink-a.zip", "ink", null), Told("ink-b.zip", "ink", null),
            Told("nib-1.zip", "nib", "1"), Told("nib-2.zip", "nib", "2"), Told("nib.zip", "nib", null)]);

        Assert.Equal(["quill-1.0.zip quill-arm64.zip", "ink-a.zip ink-b.zip", "nib-1.zip", "nib-2.zip", "nib.zip"], packages.Select(package => string.Join(
            ' ', package.Select(each => each.File))));
    }

    [Fact]
    public void Software_of_another_name_is_other_software_unless_its_maker_ties_it_to_the_one_before()
    {
        Inspection Told(string name, string? tie = null) =>
            new()
            {
                File = name + ".msi", Size = 1,
                Told = [
                    new Told(Facts.Name, name, Certainty.Certain, "test"),
                    .. tie is null ? [] : new[] { new Told(Facts.UpgradeCode, tie, Certainty.Certain, "test") }],
            };

        Assert.Null(NextVersion.WhyOther(Told("Quill 9 x64"), Told("quill 9")));
        Assert.Null(NextVersion.WhyOther(Told("Quill", "{1}"), Told("Quill Studio", "{1}")));
        Assert.Equal("Ink.msi is 'Ink', and the version before is of 'Quill', other software", NextVersion.WhyOther(Told("Quill", "{1}"), Told("Ink", "{2}")));
    }

    [Fact]
    public void What_is_meant_for_fewer_devices_stands_first_so_that_each_is_reached()
    {
        var wide = Inspector.Inspect(
            new MemoryStream(Samples.Program("Circdesk", "3.9.1", section: Samples.ChainSection, machine: 0x14C)), "circdesk.exe", HintCatalog.Own);
        var narrow = Inspector.Inspect(
            new MemoryStream(Samples.Program("Circdesk", "3.9.1", section: Samples.ChainSection)), "circdesk-x64.exe", HintCatalog.Own);

        var manifest = ManifestReader.Read(ManifestDraft.Write(Assert.Single(ManifestDraft.Packages([wide, narrow])))).Value;

        Assert.Equal(["circdesk-x64.exe", "circdesk.exe"], manifest.Variants.Select(variant => Assert.Single(variant.Files)));
        Assert.DoesNotContain(
            ManifestCheck.Check(manifest, [new PayloadFile("circdesk.exe", 1, ""), new PayloadFile("circdesk-x64.exe", 1, "")]),
            finding => finding.Message.Contains("never chosen"));
    }

    [Theory]
    [InlineData("Setup: final # really, it's [new]")]
    [InlineData("- leading")]
    [InlineData("'quoted'")]
    [InlineData("yes")]
    [InlineData("1.0")]
    [InlineData("a: b\nversion: 9.9")]
    public void A_name_that_means_something_in_a_manifest_stays_a_name(string name)
    {
        var found = Inspector.Inspect(new MemoryStream(Samples.Program(name, "7.2.0", section: Samples.ChainSection)), "x.exe", HintCatalog.Own);
        var manifest = ManifestReader.Read(ManifestDraft.Write([found])).Value;

        Assert.Equal(found.Of(Facts.Name)!.Value, manifest.Name);
        Assert.Equal("7.2.0", manifest.Version.Text);
    }

    private static Inspection Inspect(string file) => Inspector.Inspect(new MemoryStream(Samples.All[file]), file, HintCatalog.Own);
}
