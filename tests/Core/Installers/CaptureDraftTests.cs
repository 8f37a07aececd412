using Bandejo.Core.Installers;
using Bandejo.Core.Packages;
using Xunit;

namespace Bandejo.Core.Tests.Installers;

public class CaptureDraftTests
{
    private static readonly Dictionary<string, string> Facts = new()
    {
        ["os.family"] = "debian", ["os.name"] = "Debian GNU/Linux", ["os.version"] = "13", ["architecture"] = "arm64",
    };

    private static readonly CapturedEntry[] Entries =
    [
        new("usr/bin/quill", "link", "", "/opt/quill/bin/quill", null), new("opt/quill/bin/quill", "file", "755", null, new string('a', 64)),
        new("opt/quill", "folder", "755", null, null),
        new("etc/quill/settings", "file", "600", null, new string('b', 64)), new("opt/quill/README", "file", "644", null, new string('c', 64)),
    ];

    [Fact]
    public void The_manifest_can_be_built_and_its_proof_is_a_program_not_a_setting()
    {
        var manifest = ManifestReader.Read(CaptureDraft.Manifest("Quill: a writer's", "1.0", "sh setup.run\nmore", Entries, 5_000_000, Facts)).Value;

        Assert.Equal(("quill-a-writer-s", "Quill: a writer's", "1.0"), (manifest.App, manifest.Name, manifest.Version.Text));
        var proof = Assert.Single(manifest.Variants[0].Present);
        Assert.Equal((PresenceKind.File, "opt/quill/bin/quill", new string('a', 64)), (proof.Kind, proof.Subject, proof.Expected));
        PayloadFile[] files = [.. new[] { "install.sh", "remove.sh", "captured.txt", "payload/opt/quill/bin/quill" }.Select(
            path => new PayloadFile(path, 1, ""))];
        Assert.DoesNotContain(ManifestCheck.Check(manifest, files), finding => !finding.IsWarning);
    }

    [Fact]
    public void The_draft_is_for_devices_like_the_one_it_was_captured_on()
    {
        var text = CaptureDraft.Manifest("Quill", "1.0", "sh", Entries, 1, Facts);

        Assert.Contains("fits: os.family is \"debian\" and architecture is \"arm64\"  # captured on Debian GNU/Linux 13;", text);
        Assert.Contains("guess", CaptureDraft.Manifest("Quill", "1.0", "sh", Entries, 1, null).Split('\n').First(line => line.Contains("fits:")));
    }

    [Theory]
    [InlineData("file", 5, "755", "root:root", null, null)]
    [InlineData("file", 5, "700", "root:root", null, "rights 700, not 755")]
    [InlineData("file", 5, "755", "quill:quill", null, "belongs to quill:quill, not root:root")]
    [InlineData("folder", 0, "755", "root:root", null, "is a folder, not a file")]
    [InlineData(null, 0, "", "", null, "is missing")]
    public void What_is_not_as_it_was_captured_is_told(string? kind, long size, string mode, string owner, string? target, string? says)
    {
        var now = kind is null ? null : new DiskEntry(kind, size, mode, owner, target);
        var differs = CaptureDraft.Differs(Entries[1], now, _ => new string('a', 64), new Accounts(null, null));

        Assert.Equal(says is null, differs is null);
        Assert.Contains(says ?? "", differs ?? "");
        Assert.Contains("another content", CaptureDraft.Differs(
            Entries[1], new DiskEntry("file", 5, "755", "root:root", null), _ => new string('d', 64), new Accounts(null, null)));
    }

    [Fact]
    public void Users_and_groups_that_came_are_told_by_their_names()
    {
        var before = new Accounts("root:x:0:0::/root:/bin/sh\n", "root:x:0:\n");
        var now = new Accounts("root:x:0:0::/root:/bin/sh\nquill:x:990:991::/var/lib/quill:/bin/false\n", "root:x:0:\nquills:x:991:\n");

        Assert.Equal(new MadeAccount("quill", "quills", "/var/lib/quill", "/bin/false"), Assert.Single(now.MadeSince(before)));
        Assert.Equal("quills", Assert.Single(now.GroupsMadeSince(before)));
        Assert.Equal(("quill:quills", "root:root", "77:quills"), (now.Owner(990, 991), before.Owner(0, 0), now.Owner(77, 991)));
        Assert.True(now.HasAllOf(before));
        Assert.False(before.HasAllOf(now));
    }

    [Fact]
    public void What_is_not_known_must_be_filled_in()
    {
        var failure = ManifestReader.Read(CaptureDraft.Manifest("Quill", "", "sh", [Entries[3]], 1, null)).Failure!;
        Assert.Contains(failure.Findings, finding => finding.Where == "version");
        Assert.Contains(failure.Findings, finding => finding.Where == "variants[0].present");
    }

    [Fact]
    public void Folders_stand_before_what_is_in_them_and_what_no_list_can_hold_is_refused()
    {
        var list = CaptureDraft.List([
            .. Entries, new("quill", "user", "", "/var/lib/quill:/bin/false", null, "quills"), new("quills", "group", "", null, null),
            new("var/log/quill", "folder", "750", null, null, "quill:quills")]);
        Assert.Equal(
            [
                "group\t-\t-\tquills\t", "user\t-\tquills\tquill\t/var/lib/quill:/bin/false", $"file\t600\t-\tetc/quill/settings\t{new string('b', 64)}",
                "folder\t755\t-\topt/quill\t",
                $"file\t644\t-\topt/quill/README\t{new string('c', 64)}", $"file\t755\t-\topt/quill/bin/quill\t{new string('a', 64)}",
                "link\t-\t-\tusr/bin/quill\t/opt/quill/bin/quill", "folder\t750\tquill:quills\tvar/log/quill\t", "",
            ], list.Split('\n'));
        Assert.Equal(Entries.OrderBy(entry => entry.Path, StringComparer.Ordinal), CaptureDraft.Read(list).Where(
            entry => entry.Kind is not ("user" or "group") && entry.Owner is null));
        Assert.Contains(
            "can be no name of a user",
            Assert.Throws<FormatException>(() => CaptureDraft.List([new CapturedEntry("$(reboot)", "user", "", null, null)])).Message);
        Assert.Contains(
            "can be no names of a user and a group",
            Assert.Throws<FormatException>(() => CaptureDraft.List([new CapturedEntry("a", "file", "644", null, null, "x/e;reboot:root")])).Message);
        Assert.Contains(
            "are no octal number", Assert.Throws<FormatException>(() => CaptureDraft.List([new CapturedEntry("a", "file", "u+s", null, null)])).Message);
        Assert.Contains("'a?b'", Assert.Throws<FormatException>(() => CaptureDraft.List([new CapturedEntry("a\tb", "file", "644", null, null)])).Message);
    }
}
