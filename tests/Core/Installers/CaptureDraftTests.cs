using Bandejo.Core.Installers;
using Bandejo.Core.Packages;
using Xunit;

namespace Bandejo.Core.Tests.Installers;

public class CaptureDraftTests
{
    private static readonly CapturedEntry[] Entries =
    [
        new("usr/bin/quill", "link", "", "/opt/quill/bin/quill", null), new("opt/quill/bin/quill", "file", "755", null, new string('a', 64)), new("opt/quill", "folder", "755", null, null),
        new("etc/quill/settings", "file", "600", null, new string('b', 64)), new("opt/quill/README", "file", "644", null, new string('c', 64)),
    ];

    [Fact]
    public void The_manifest_can_be_built_and_its_proof_is_a_program_not_a_setting()
    {
        var manifest = ManifestReader.Read(CaptureDraft.Manifest("Quill: a writer's", "1.0", "sh setup.run\nmore", Entries, 5_000_000)).Value;

        Assert.Equal(("quill-a-writer-s", "Quill: a writer's", "1.0"), (manifest.App, manifest.Name, manifest.Version.Text));
        var proof = Assert.Single(manifest.Variants[0].Present);
        Assert.Equal((PresenceKind.File, "opt/quill/bin/quill", new string('a', 64)), (proof.Kind, proof.Subject, proof.Expected));
        PayloadFile[] files = [.. new[] { "install.sh", "remove.sh", "captured.txt", "payload/opt/quill/bin/quill" }.Select(path => new PayloadFile(path, 1, ""))];
        Assert.DoesNotContain(ManifestCheck.Check(manifest, files), finding => !finding.IsWarning);
    }

    [Fact]
    public void What_is_not_known_must_be_filled_in()
    {
        var failure = ManifestReader.Read(CaptureDraft.Manifest("Quill", "", "sh", [Entries[3]], 1)).Failure!;
        Assert.Contains(failure.Findings, finding => finding.Where == "version");
        Assert.Contains(failure.Findings, finding => finding.Where == "variants[0].present");
    }

    [Fact]
    public void Folders_stand_before_what_is_in_them_and_what_no_list_can_hold_is_refused()
    {
        Assert.Equal("file\t600\tetc/quill/settings\t\nfolder\t755\topt/quill\t\nfile\t644\topt/quill/README\t\nfile\t755\topt/quill/bin/quill\t\nlink\t-\tusr/bin/quill\t/opt/quill/bin/quill\n", CaptureDraft.List(Entries));
        Assert.Contains("'a\tb'", Assert.Throws<FormatException>(() => CaptureDraft.List([new CapturedEntry("a\tb", "file", "644", null, null)])).Message);
    }
}
