using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Kit;
using Xunit;

namespace Bandejo.System.Tests;

/// <summary>
/// An installer that asks is answered on a clean sandbox, and what it did becomes a package that does exactly that and takes exactly that away.
/// </summary>
public sealed class CaptureTests : IDisposable
{
    private const string Setup = """
        printf 'Accept the licence? [y/N] '; read answer; [ "$answer" = y ] || { echo refused; exit 3; }
        mkdir -p /opt/quill/bin '/opt/quill/with space' /usr/share/applications /etc/quill /root/.config/quill
        printf '#!/bin/sh\necho quill 1.0\n' > /opt/quill/bin/quill; chmod 755 /opt/quill/bin/quill
        echo x > "/opt/quill/with space/it's \$HOME"
        ln -s /opt/quill/bin/quill /usr/bin/quill-of-the-test
        echo '[Desktop Entry]' > /usr/share/applications/quill.desktop
        echo a=b > /etc/quill/settings; chmod 600 /etc/quill/settings
        echo recent > /root/.config/quill/recent
        echo quill >> /etc/shells; touch /etc/hostname; rm -f /etc/issue
        echo log > /var/log/quill.log; echo t > /tmp/passes
        groupadd --system quills; useradd --system --no-create-home --home-dir /var/lib/quill --shell /bin/false --gid quills quill
        mkdir -p /var/lib/quill /var/log/quill /var/cache/quill; chown quill:quills /var/lib/quill /var/log/quill; chmod 750 /var/log/quill; echo first > /var/log/quill/log
        chown quill:quills /etc/quill/settings; chmod 2755 /opt/quill/bin; mkfifo /var/lib/quill/pipe
        """;

    private readonly string _folder = Directory.CreateTempSubdirectory("bandejo-capture-test").FullName;

    public CaptureTests() => File.WriteAllText(Path.Combine(_folder, "setup.run"), Setup);

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public async Task What_was_answered_once_installs_unattended_and_goes_without_a_trace()
    {
        await using var site = await Site.Start();
        var draft = Path.Combine(_folder, "draft");

        var (code, output, errors) = await site.RunWith(
            "y", "package", "capture", "--in", _folder, "--draft", draft, "--name", "Quill", "--version-is", "1.0", "--output", "json", "--", "sh",
            "setup.run");

        Assert.True(code == 0, output + errors);
        var found = JsonSerializer.Deserialize(output[output.IndexOf('{')..], ContractJson.Default.CaptureAnswer)!.Found;
        Assert.Equal(
            [
                "file etc/quill/settings 600 quill:quills", "file opt/quill/bin/quill 755 ", "file opt/quill/with space/it's $HOME 644 ",
                "file usr/share/applications/quill.desktop 644 ", "folder etc/quill 755 ", "folder opt/quill 755 ", "folder opt/quill/bin 2755 ",
                "folder opt/quill/with space 755 ", "folder var/cache/quill 755 ", "folder var/lib/quill 755 quill:quills",
                "folder var/log/quill 750 quill:quills", "group quills  ", "link usr/bin/quill-of-the-test  ", "user quill  quills",
            ],
            found.Where(each => each is { LeftOut: null } && !each.Path.StartsWith("usr/share", StringComparison.Ordinal) | each.Kind == "file")
                .Select(each => $"{each.Kind} {each.Path} {each.Mode} {each.Owner}").Order(StringComparer.Ordinal));
        Assert.Equal(["var/lib/quill/pipe"], found.Where(each => each.LeftOut == "other").Select(each => each.Path));
        Assert.Contains(found, each => each is { Path: "etc/passwd", LeftOut: "accounts" });
        Assert.Equal([("etc/issue", "gone"), ("etc/shells", "file")], found.Where(each => each.LeftOut == "changed").Select(each => (each.Path, each.Kind)));
        Assert.Equal(["root/.config/quill/recent"], found.Where(each => each is { LeftOut: "user", Kind: "file" }).Select(each => each.Path));
        Assert.Contains(found, each => each is { Path: "var/log/quill.log", LeftOut: "noise" });
        Assert.DoesNotContain(found, each => each.Path == "etc/hostname");
        Assert.False(Directory.Exists("/opt/quill"), "The capture reached the machine itself.");

        await site.Must("package", "build", draft);
        var trial = await site.Must("package", "trial", draft);
        Assert.Contains("Nothing is left behind", trial);
        Assert.Contains("which is tried", trial);
        Assert.Matches("as captured +14 captured entries: contents, rights and owners are as they were", trial);
        Assert.Contains("fits: os.family is \"", await File.ReadAllTextAsync(Path.Combine(draft, "package.yaml"), TestContext.Current.CancellationToken));

        // An install that does not do what was captured is found.
        var install = Path.Combine(draft, "install.sh");
        await File.WriteAllTextAsync(
            install,
            (await File.ReadAllTextAsync(install, TestContext.Current.CancellationToken))
                .Replace("chmod \"$mode\" \"$place\"\n", "true\n", StringComparison.Ordinal),
            TestContext.Current.CancellationToken);
        (code, output, _) = await site.Run("package", "trial", draft);
        Assert.Equal(1, code);
        Assert.Matches("not as they were: .*has the rights", output.ReplaceLineEndings(" "));
    }

    [Fact]
    public async Task What_was_installed_by_hand_on_another_machine_is_carried_here_and_becomes_a_package()
    {
        await using var site = await Site.Start();
        var root = Directory.CreateDirectory(Path.Combine(_folder, "machine")).FullName;
        void Put(string path, string text)
        {
            Directory.CreateDirectory(Path.GetDirectoryName(Path.Combine(root, path))!);
            File.WriteAllText(Path.Combine(root, path), text);
        }

        Put("etc/shells", "sh\n");
        Put("etc/issue", "welcome\n");
        var into = Path.Combine(_folder, "carried");
        var (code, output) = await Agent("after", into);
        Assert.Equal(2, code);
        Assert.Contains("First, before you install: bandejo-agent before", output);
        (code, output) = await Agent("before", into);
        Assert.True(code == 0, output);
        Put("opt/quill/quill", "#!/bin/sh\n");
        File.CreateSymbolicLink(Path.Combine(root, "opt/quill/link"), "/opt/quill/quill");
        Put("etc/shells", "sh\nquill\n");
        Put("home/ines/.quillrc", "a=b\n");
        Put("var/log/quill.log", "log\n");
        File.Delete(Path.Combine(root, "etc/issue"));
        (code, output) = await Agent("after", into);
        Assert.True(code == 0, output);

        using (var carried = global::System.IO.Compression.ZipFile.OpenRead(into + ".capture.zip"))
        {
            Assert.Equal(
                ["captured.json", "payload/etc/shells", "payload/home/ines/.quillrc", "payload/opt/quill/quill"],
                carried.Entries.Select(entry => entry.FullName).Order(StringComparer.Ordinal));
        }

        var draft = Path.Combine(_folder, "drafted");
        var json = await site.Must(
            "package", "capture", "--from", into, "--draft", draft, "--name", "Quill", "--version-is", "1.0", "--take", "home/ines/.quillrc", "-o", "json");
        var found = JsonSerializer.Deserialize(json[json.IndexOf('{')..], ContractJson.Default.CaptureAnswer)!.Found;
        Assert.Equal(["home/ines/.quillrc", "opt/quill/link", "opt/quill/quill"], found.Where(each => each is { LeftOut: null, Kind: not "folder" }).Select(
            each => each.Path));
        Assert.Equal([("etc/shells", "file"), ("etc/issue", "gone")], found.Where(each => each.LeftOut == "changed").Select(each => (each.Path, each.Kind)));
        await site.Must("package", "build", draft);

        // A folder that was tampered with on its way reaches nothing outside the draft.
        File.WriteAllText(Path.Combine(into, "captured.json"), File.ReadAllText(Path.Combine(into, "captured.json")).Replace(
            "opt/quill/quill", "../../outside"));
        (code, _, var errors) = await site.Run("package", "capture", "--from", into, "--draft", Path.Combine(_folder, "other"));
        Assert.Equal(2, code);
        Assert.Contains("climbs out of its folder", errors);

        async Task<(int Code, string Output)> Agent(params string[] arguments)
        {
            using var process = Programs.Start(Programs.Agent, [.. arguments, "--root", root]);
            var said = await process.StandardOutput.ReadToEndAsync() + await process.StandardError.ReadToEndAsync();
            await process.WaitForExitAsync();
            return (process.ExitCode, said);
        }
    }

    [Fact]
    public async Task What_belongs_to_a_need_or_to_a_person_is_left_out_and_can_be_chosen()
    {
        await using var site = await Site.Start();
        var need = site.WriteFolder("nib", "2.0", "mkdir -p /opt/nib && echo 2.0 > /opt/nib/VERSION");
        await File.WriteAllTextAsync(
            Path.Combine(_folder, "more.run"),
            "mkdir -p /opt/quill /root && cat /opt/nib/VERSION && echo 1.0 > /opt/quill/VERSION && echo b > /opt/quill/beside && echo c > /root/.quillrc",
            TestContext.Current.CancellationToken);
        var draft = Path.Combine(_folder, "draft");

        await site.Must(
            "package", "capture", "--in", _folder, "--with", need, "--draft", draft, "--take", "root/.quill*", "--leave", "opt/quill/be**", "--", "sh",
            "more.run");

        Assert.Equal("folder 755 - opt/quill|file 644 - opt/quill/VERSION|file 644 - root/.quillrc", string.Join(
            '|',
            (await File.ReadAllTextAsync(Path.Combine(draft, "captured.txt"), TestContext.Current.CancellationToken)).TrimEnd('\n').Split('\n')
                .Select(line => string.Join(' ', line.Split('\t')[..4]))));
        Assert.False(File.Exists(Path.Combine(draft, "payload/opt/nib/VERSION")));
        var (code, _, errors) = await site.Run("package", "capture", "--in", _folder, "--draft", draft, "--", "true");
        Assert.Equal((2, true), (code, errors.Contains("is there already and not empty; nothing was changed", StringComparison.Ordinal)));
    }

    [Theory]
    [InlineData("exit 3", 1, "Nothing was captured")]
    [InlineData("./nothing-of-that-name", 1, "Nothing was captured")]
    [InlineData("mkdir /opt/q; printf x > \"/opt/q/a\nb\"", 2, "has a character that no list can hold. Leave it out with --leave")]
    public async Task What_cannot_become_a_package_says_so(string script, int exit, string says)
    {
        await using var site = Site.Alone();
        var draft = Path.Combine(_folder, "draft");

        var (code, _, errors) = await site.Run("package", "capture", "--in", _folder, "--draft", draft, "--", "sh", "-c", script);

        Assert.Equal(exit, code);
        Assert.Contains(says, errors);
        Assert.False(Directory.Exists(draft));
    }

    [Fact]
    public async Task A_command_or_folder_that_is_not_there_is_named()
    {
        await using var site = Site.Alone();
        Assert.Contains("'frobnicate' could not be started", (await site.Run("package", "capture", "--", "frobnicate")).Errors);
        Assert.Contains("There is no folder", (await site.Run("package", "capture", "--in", "/nowhere/at/all", "--", "true")).Errors);
    }
}
