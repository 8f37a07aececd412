using Bandejo.Kit;
using Xunit;

namespace Bandejo.System.Tests;

/// <summary>A package as a folder again, and the next version from it.</summary>
public sealed class UnpackTests
{
    [Fact]
    public async Task Every_package_of_the_demo_comes_back_as_a_folder_that_builds_the_very_same()
    {
        await using var site = await Site.Start();
        await site.Must("package", "build", Path.Combine(Programs.Root(), "demo/packages"));
        foreach (var source in Directory.EnumerateDirectories(Path.Combine(Programs.Root(), "demo/packages")).Select(folder => Path.GetFileName(folder)))
        {
            var folder = Path.Combine(site.Service.Folder, "back", source);
            var (app, version) = (source[..source.LastIndexOf('-')], source[(source.LastIndexOf('-') + 1)..]);

            await site.Must("package", "unpack", $"{app} {version}", folder);

            Assert.Contains("with this very content is there already", await site.Must("package", "build", folder));
        }
    }

    [Fact]
    public async Task All_that_a_manifest_can_say_comes_back()
    {
        await using var site = await Site.Start();
        var folder = Directory.CreateDirectory(Path.Combine(site.Service.Folder, "quill")).FullName;
        foreach (var file in new[] { "install.sh", "no-inkpress.sh", "licence.txt", "data/a.bin", "data/deep/b.bin", "extra/only-one.bin" })
        {
            Directory.CreateDirectory(Path.GetDirectoryName(Path.Combine(folder, file))!);
            await File.WriteAllTextAsync(Path.Combine(folder, file), "# " + file, TestContext.Current.CancellationToken);
        }

        await File.WriteAllTextAsync(Path.Combine(folder, "package.yaml"), """
            app: quill
            name: "Quill: the pen"
            version: '1.0'
            publisher: "Tarn & Heath #1"
            summary: "Writes 'quoted' and \"double\" words, and a\nsecond line."
            replaces: [old-quill]
            needs: [{ app: spark, at-least: "3.1" }, { app: ember }]
            settings:
              - { name: mode, says: "What it is: for", type: choice, choices: [desk, "no"], default: "no", writes: { "no": "", desk: /DESK } }
              - { name: pages, type: number, default: 12 }
              - { name: licence, type: secret }
            presets: { kiosks: { mode: desk, pages: "3" } }
            handlings:
              quietly:
                before: { close: [quill, quilld], signed-in: nobody }
                during: { priority: low, log: /var/log/quill/install.log }
                after: { restart: always, reset: [/var/lib/quill/cache] }
            variants:
              - name: desks
                fits: kind is "desk" and not (site in ("ALD", "BRM") or app "quill" >= 2)
                requires: disk.free >= 1500 MB
                files: [install.sh, no-inkpress.sh, licence.txt, data/**]
                close: [scribe]
                handling: quietly
                install:
                  run: [sh, install.sh, "@{mode}", "--pages=@{pages}", "", "a 'b' \"c\" \\ d", "yes", "17", "{x}", "- y"]
                  environment: { QUILL_LICENCE: "@{licence}", EMPTY: "" }
                  answers: { quill.conf: "mode=@{mode}\npages=@{pages}\n# end\n" }
                  limit: 90m
                  expected: 45s
                  at-limit: ask
                  exit-codes: { 75: busy, 17: restart-needed }
                remove: { run: [sh, install.sh, --remove] }
                change: { run: [sh, install.sh, --change] }
                repair: { run: [sh, install.sh, --repair], limit: 2h }
                launch: { run: [/opt/quill/quill, --version], stays: 3s }
                companions:
                  - { file: licence.txt, to: /opt/quill/licence.txt }
                  - { opens: qdoc, with: [/opt/quill/quill, "a b"], says: Quill & ink }
                removals:
                  - { what: "Inkpress: all", when: 'app "inkpress" is present', at: both, run: [sh, no-inkpress.sh], exit-codes: { 3: done } }
                present:
                  - { version-in: opt/quill/VERSION, pattern: 'version ([0-9.]+)' }
                  - { setting: etc/quill.conf, key: mode, is: "@{mode}" }
                  - { command: [/opt/quill/quill, --version], pattern: "([0-9.]+)" }
                  - { program: Quill }
                  - { receipt: yes }
                put-back: no
              - name: others
                fits: yes
                files: [install.sh, data/a.bin, extra/only-one.bin]
                install: { run: [sh, install.sh] }
                present: [{ product: "{1F0C7D2A-5B7E-4C7B-9A55-0D6F4C1B2E10}" }]
            """, TestContext.Current.CancellationToken);
        await site.Must("package", "build", folder);
        var back = Path.Combine(site.Service.Folder, "back");

        await site.Must("package", "unpack", "quill 1.0", back);

        Assert.Contains("with this very content is there already", await site.Must("package", "build", back));
        Assert.Contains("files: [data/**, install.sh", await File.ReadAllTextAsync(Path.Combine(back, "package.yaml"), TestContext.Current.CancellationToken));
        var (code, _, errors) = await site.Run("package", "unpack", "quill 1.0", back);
        Assert.Equal((2, true), (code, errors.Contains("is there already; nothing was changed", StringComparison.Ordinal)));
    }

    [Fact]
    public async Task The_next_version_is_drafted_after_a_package_of_the_catalogue()
    {
        await using var site = await Site.Start();
        var drafts = Path.Combine(site.Service.Folder, "drafts");
        var installers = Path.Combine(Programs.Root(), "demo/installers");
        await site.Must("package", "inspect", Path.Combine(installers, "inkwell-print_4.3.0_amd64.deb"), "--draft", drafts);
        var first = Path.Combine(drafts, "inkwell-print-4.3.0/package.yaml");
        await File.WriteAllTextAsync(
            first, (await File.ReadAllTextAsync(first, TestContext.Current.CancellationToken)).Replace("limit: 30m", "limit: 7m", StringComparison.Ordinal),
            TestContext.Current.CancellationToken);
        await site.Must("package", "build", Path.GetDirectoryName(first)!);

        var said = await site.Must(
            "package", "inspect", Path.Combine(installers, "inkwell-print_4.4.0_amd64.deb"), "--after", "inkwell-print 4.3.0", "--draft", drafts);

        Assert.Contains("--from \"inkwell-print 4.3.0\"", said);
        Assert.Contains("What it needs first may have changed.", said);
        var next = await File.ReadAllTextAsync(Path.Combine(drafts, "inkwell-print-4.4.0/package.yaml"), TestContext.Current.CancellationToken);
        Assert.Contains("limit: 7m", next);
        Assert.Contains("version: 4.4.0", next);
        await site.Must("package", "check", Path.Combine(drafts, "inkwell-print-4.4.0"));
        var (code, _, errors) = await site.Run(
            "package", "inspect", Path.Combine(installers, "inkwell-print_4.4.0_amd64.deb"), "--after", "quill 9", "--draft", drafts);
        Assert.True(code == 3, errors);
    }

    [Fact]
    public async Task What_an_archive_brings_along_is_drafted_as_a_package_of_its_own()
    {
        await using var site = await Site.Start();
        var drafts = Path.Combine(site.Service.Folder, "drafts");

        await site.Must("package", "inspect", Path.Combine(Programs.Root(), "demo/installers/circdesk-3.9.2.tar.gz"), "--draft", drafts);

        Assert.Contains("  # - { app: marlin-runtime, at-least: '2.4.1' }", await File.ReadAllTextAsync(
            Path.Combine(drafts, "circdesk-3.9.2/package.yaml"), TestContext.Current.CancellationToken));
        await site.Must("package", "build", Path.Combine(drafts, "marlin-runtime-2.4.1"));
    }
}
