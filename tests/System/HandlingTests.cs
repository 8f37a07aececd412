using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Kit;
using Xunit;

namespace Bandejo.System.Tests;

/// <summary>
/// A handling is kept by name, lies over what packages say, is changed in one place after saying whom that concerns, and gives way to a deployment.
/// </summary>
public sealed class HandlingTests
{
    private const string Put = "mkdir -p \"$T\" && echo \"$BANDEJO_VERSION\" > \"$T/VERSION\"";

    [Fact]
    public async Task What_is_under_way_behaves_otherwise_as_the_preview_said()
    {
        await using var site = await Site.StartApart();
        var device = await site.Device("ALD-DESK-001");
        Directory.CreateDirectory(Path.Combine(device.Root, "run/user/1001"));
        await site.Package("quill", "1.0", Put);
        await site.Package("marlin", "2.0", Put);

        Assert.Contains("for quill", await site.Must("handling", "new", "--yes", "after-hours", "--signed-in", "nobody", "--for", "quill"));
        Assert.Contains("waits until nobody is signed in", await site.Must("handling", "list"));
        var preview = await site.Must("deployment", "start", "quill 1.0", "--to", Site.Enrolled, "--preview");
        Assert.Matches("handling +after-hours, which quill has: waits until nobody is signed in", preview);
        var quill = await site.Deploy("quill 1.0", Site.Enrolled);
        var marlin = await site.Deploy("marlin 2.0", Site.Enrolled);
        await site.Admin.Becomes(marlin, device.Name, "met");
        await site.Admin.Until(
            async () => (await site.Must("device", "why", device.Name, "--deployment", quill)).Contains("Somebody is signed in"),
            "it waits for who is signed in");

        // Said and done come from the same: one deployment, one device; and it is asked for before it is done.
        var said = await site.Must("handling", "new", "--yes", "after-hours", "--signed-in", "anybody", "--for", "quill", "--preview");
        Assert.StartsWith("1 deployment under way behaves otherwise at once, on 1 device that is still to be changed: quill 1.0", said);
        var (code, _, errors) = await site.Run("handling", "change", "after-hours", "--signed-in", "anybody", "--for", "quill");
        Assert.Equal(2, code);
        Assert.Contains("Nothing was done: say --yes", errors.ReplaceLineEndings(" "));
        Assert.Null(device.Read("opt/quill/VERSION"));
        Assert.Contains(said.Trim(), await site.Must("handling", "new", "--yes", "after-hours", "--signed-in", "anybody", "--for", "quill"));
        await site.Admin.Becomes(quill, device.Name, "met");
        Assert.Contains("The handling 'after-hours' was changed: does not wait for who is signed in; for quill.", await site.Must(
            "journal", "--topic", "audit"));

        // It outlives the service.
        await site.Process.Kill();
        await site.Service.Start();
        Assert.Equal("anybody", (await site.Admin.Get("/api/v1/handlings/after-hours", ContractJson.Default.HandlingInfo)).SignedIn);
    }

    [Fact]
    public async Task A_deployment_names_another_or_none_and_values_of_settings_hold_for_what_is_started_from_then_on()
    {
        await using var site = await Site.Start();
        var device = await site.Device("ALD-DESK-001");
        await Quill(site, "1.0");
        await Quill(site, "1.1");
        await site.Must("handling", "new", "--yes", "county", "--setting", "folder=county", "--setting", "unknown=x", "--restart", "always", "--for", "quill");
        await site.Must("handling", "new", "--yes", "quiet", "--restart", "never", "--close", "rival");

        var first = await site.Deploy("quill 1.0", Site.Enrolled, "--handling", "quiet");
        await site.Admin.Becomes(first, device.Name, "met");
        Assert.Equal("usual", device.Read("opt/quill/FOLDER"));
        await site.Must("deployment", "end", "--yes", first, "--reason", "the next one follows");

        // The app's own handling: its value, unless the deployment says another; and its restart, which is proven by one.
        var second = await site.Deploy("quill 1.1", Site.Enrolled);
        await site.Admin.Becomes(second, device.Name, "restart");
        Assert.Equal("county", device.Read("opt/quill/FOLDER"));
        Assert.Contains("folder county", await site.Must("deployment", "show", second));
        var preview = await site.Must("deployment", "start", "quill 1.1", "--to", Site.Enrolled, "--handling", "none", "--setting", "folder=own", "--preview");
        Assert.Matches("handling +none: as the package has it", preview);
        Assert.Contains("folder own", preview);

        var (code, _, errors) = await site.Run("handling", "remove", "--yes", "quiet");
        Assert.True(code == 0, errors);
        Assert.Equal(3, (await site.Run("deployment", "start", "quill 1.1", "--to", Site.Enrolled, "--handling", "quit", "--preview")).Code);
    }

    [Theory]
    [InlineData("'restart' is as-packaged, as-told, always or never, not 'sometimes'.", "--restart", "sometimes")]
    [InlineData("There is no app 'qill'. Did you mean 'quill'?", "--restart", "never", "--for", "qill")]
    [InlineData("It changes nothing; say at least one thing that it does.")]
    [InlineData("'folder' is one of", "--setting", "folder=cellar", "--for", "quill")]
    [InlineData("quill is handled by 'first' already", "--restart", "never", "--for", "quill")]
    public async Task What_cannot_be_is_said_and_changes_nothing(string says, params string[] words)
    {
        await using var site = await Site.Start();
        await Quill(site, "1.0");
        await site.Must("handling", "new", "--yes", "first", "--restart", "never", "--for", says.Contains("already") ? "quill" : "quill");
        if (!says.Contains("already"))
        {
            await site.Must("handling", "remove", "--yes", "first");
        }

        var (code, _, errors) = await site.Run(["handling", "new", "--yes", "second", .. words]);

        Assert.Equal(3, code);
        Assert.Contains(says, errors);
        Assert.Equal(3, (await site.Run("handling", "show", "second")).Code);
    }

    [Fact]
    public async Task It_keeps_what_a_package_would_delete_and_closes_rivals()
    {
        await using var site = await Site.Start();
        var device = await site.Device("ALD-DESK-001");
        device.Write("var/lib/quill/notes", "mine");
        await Quill(site, "1.0");
        await site.Must("handling", "new", "--yes", "keep", "--reset", "keep", "--for", "quill");
        var have = await site.Deploy("quill 1.0", Site.Enrolled);
        await site.Admin.Becomes(have, device.Name, "met");
        await site.Must("deployment", "end", "--yes", have, "--reason", "to go");
        await site.Admin.Becomes(await site.Deploy("quill 1.0", Site.Enrolled, "--gone"), device.Name, "met");
        Assert.Null(device.Read("opt/quill/VERSION"));
        Assert.Equal("mine", device.Read("var/lib/quill/notes"));
    }

    private static async Task Quill(Site site, string version)
    {
        var folder = site.WriteFolder("quill", version, Put + "; echo \"$FOLDER\" > \"$T/FOLDER\"");
        var manifest = Path.Combine(folder, "package.yaml");
        await File.WriteAllTextAsync(manifest, (await File.ReadAllTextAsync(manifest))
            .Replace("variants:", "settings: [{ name: folder, type: choice, choices: [usual, county, own], default: usual }]\nvariants:")
            .Replace(
                "install: { run: [sh, install.sh],",
                "handling: { after: { reset: [/var/lib/quill] } }\n    install: { run: [sh, install.sh], environment: { FOLDER: '@{folder}' },"));
        await site.Must("package", "build", folder);
        await site.Must("package", "release", $"quill {version}", "--reason", "for the test");
    }
}
