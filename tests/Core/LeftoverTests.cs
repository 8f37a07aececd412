using Bandejo.Core.Packages;
using Xunit;

namespace Bandejo.Core.Tests;

public sealed class LeftoverTests
{
    private static readonly Dictionary<string, string> Before = new()
    {
        ["/etc/passwd"] = "root:x:0:0:root:/root:/bin/bash\ndaemon:x:1:1::/:/usr/sbin/nologin\n",
        ["/etc/group"] = "root:x:0:\nusers:x:100:\n",
        ["/etc/shells"] = "# shells\n/bin/sh\n",
        ["/var/lib/dpkg/status"] = "Package: nib\nStatus: install ok installed\nVersion: 1\n\nPackage: ink\nStatus: install ok installed\nVersion: 2\n",
    };

    [Fact]
    public void What_was_written_is_named_for_what_it_is()
    {
        var now = new Dictionary<string, string>
        {
            ["/etc/passwd"] = Before["/etc/passwd"] + "quill:x:990:980::/var/lib/quill:/usr/sbin/nologin\n",
            ["/etc/group"] = "root:x:0:\nusers:x:100:quill\nquill:x:980:\n",
            ["/etc/shells"] = Before["/etc/shells"] + "/usr/bin/quill\n",
            [
                "/var/lib/dpkg/status"]
                = "Package: nib\nStatus: install ok installed\nVersion: 1\n\nPackage: ink\nStatus: deinstall ok config-files\nVersion: 2\n\nPackage: "
                    + "quill\nStatus: install ok half-configured\n\nPackage: asked\nStatus: unknown ok not-installed\n",
        };
        var left = Leftovers.Of(
        [
            new("/etc/alternatives/editor", ChangeKind.Changed), new("/etc/group", ChangeKind.Changed), new("/etc/issue", ChangeKind.Gone),
            new("/etc/passwd", ChangeKind.Changed), new("/etc/shadow", ChangeKind.Changed), new("/etc/subuid", ChangeKind.Changed),
            new("/etc/shells", ChangeKind.Changed), new("/etc/systemd/system/multi-user.target.wants/quill.service", ChangeKind.New),
            new("/usr/lib/systemd/system/quill.service", ChangeKind.New), new("/opt/quill/x", ChangeKind.New),
            new("/var/lib/dpkg/alternatives/editor", ChangeKind.Changed), new("/var/lib/dpkg/info/quill.list", ChangeKind.New),
            new("/var/lib/dpkg/status", ChangeKind.Changed), new("/var/log/quill/", ChangeKind.New),
        ], Before.GetValueOrDefault, now.GetValueOrDefault);

        Assert.Equal(
        [
            "changed: alternative editor", "group quill (number 980)", "changed: group users (its line is another)",
            "changed: listed package ink (removed, its configuration kept)", "listed package quill (the system has it as 'install ok half-configured')",
            "service quill.service (enabled)", "service quill.service (/usr/lib/systemd/system/quill.service)", "shell /usr/bin/quill (a line of /etc/shells)",
            "user quill (number 990)", "gone: /etc/issue", "/opt/quill/x", "/var/log/quill/",
        ], left.Select(Leftovers.InWords));
        var says = Leftovers.Sentence(left);
        Assert.DoesNotContain("/etc/passwd", says);
        Assert.Equal(
            "1 group, 1 listed package, 2 services, 1 shell, 1 user, 1 file and 1 folder are left behind; take them away in the remove step, or say in a "
                + "noise file that they may stay. "
            + "1 alternative, 1 group and 1 listed package of the machine are not as before; take back in the remove step what was changed there. 1 file of "
                + "the machine is gone; leave it there, or put it back.",
            says);
    }

    [Fact]
    public void What_means_the_same_as_before_is_nothing()
    {
        var left = Leftovers.Of(
            [new("/etc/passwd", ChangeKind.Changed), new("/etc/shadow", ChangeKind.Changed), new("/var/lib/dpkg/status", ChangeKind.Changed)],
            Before.GetValueOrDefault, path => Before.GetValueOrDefault(path)?.Replace("Version: 1", "Version: 1\nConfig-Version: 1"));
        Assert.Empty(left);
        Assert.Equal("Nothing is left behind.", Leftovers.Sentence(left));
    }
}
