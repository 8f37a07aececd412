using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Kit;
using Microsoft.Playwright;
using Xunit;

namespace Bandejo.Browser.Tests;

/// <summary>The bench in a browser: from a dropped file to a package that this person signed.</summary>
[Collection(BrowserTests.Name)]
public sealed class BenchTests(Chromium chromium)
{
    [Fact]
    public async Task A_dropped_installer_becomes_a_signed_package_with_form_and_text_following_each_other()
    {
        await using var site = await Site.StartApart("--trials", "on");
        await site.Device("ALD-DESK-001", facts: "kind: desk", isStarted: false);
        await site.Device("ALD-KIOSK-001", facts: "kind: kiosk", isStarted: false);
        await using var ines = await Person.SignIn(chromium, site, "ines", "packager");
        var page = ines.Page;
        await ines.Open("/bench", "Bench");
        await ines.Reads("Nothing is on the bench");
        await page.Locator("input[type=file]").SetInputFilesAsync(Path.Combine(Programs.Root(), "demo/installers/inkwell-print_4.3.0_amd64.deb"));
        await Person.Sees(page.GetByRole(AriaRole.Heading, new() { Name = "inkwell-print 4.3.0", Level = 1 }));
        await ines.Reads("Debian package");

        // The form goes into the text; the text comes back into the form; each is looked at as one types.
        var text = page.GetByLabel("Manifest, package.yaml");
        await page.GetByLabel("Fits").FillAsync("kind is \"desk\"");
        await ines.Reads("1 of 2 devices could get it now");
        await ines.Reads("ALD-KIOSK-001");
        Assert.Contains("fits: kind is \"desk\"", await text.InnerTextAsync());
        await text.ClickAsync();
        await page.Keyboard.PressAsync("Control+End");
        await page.Keyboard.TypeAsync("categry: Printing\n");
        await ines.Reads("Did you mean 'category'?");
        var build = page.GetByRole(AriaRole.Button, new() { Name = "Build and sign" });
        Assert.Equal("true", await build.GetAttributeAsync("aria-disabled"));
        for (var sign = 0; sign < "categry: Printing\n".Length; sign++)
        {
            await page.Keyboard.PressAsync("Backspace");
        }

        await page.GetByLabel("Name", new() { Exact = true }).FillAsync("Inkwell Print");
        await Person.Sees(page.GetByRole(AriaRole.Heading, new() { Name = "Inkwell Print 4.3.0", Level = 1 }));

        await ines.Press("Try it");
        await ines.Reads("Nothing is left behind.");
        await ines.Reads("The trial passed; build it next.");
        await ines.Press("Build and sign");
        await ines.Reads("Inkwell Print 4.3.0 is built and signed by ines.");
        await page.GetByRole(AriaRole.Link, new() { Name = "To the package" }).ClickAsync();
        await Person.Sees(page.GetByRole(AriaRole.Heading, new() { Name = "Inkwell Print 4.3.0", Level = 1 }));
        await ines.Reads("Tried, on 0 devices.");
        var kept = (await site.Admin.Get("/api/v1/packages?limit=10", ContractJson.Default.PagePackageInfo)).Items[0];
        Assert.Equal(("tried", "ines"), (kept.State, kept.BuiltBy));

        // What is on the bench is there after a reload, and for another packager; who may not is told so.
        await ines.Open("/bench", "Bench");
        await ines.Reads("Inkwell Print 4.3.0");
        await using var viewer = await Person.SignIn(chromium, site, "desk", "viewer");
        await viewer.Open("/bench", "Bench");
        await viewer.Reads("This takes the role packager");
        Assert.Empty(ines.Complaints.Concat(viewer.Complaints));
    }

    [Fact]
    public async Task A_capture_is_ticked_and_a_handling_says_whom_it_concerns()
    {
        await using var site = await Site.StartApart();
        await site.Device("ALD-DESK-001", isStarted: false);
        await site.Package("quill", "1.0", "mkdir -p \"$T\" && echo 1.0 > \"$T/VERSION\"");
        await site.Deploy("quill 1.0", Site.Enrolled);
        var folder = Directory.CreateDirectory(Path.Combine(site.Temporary, "plateglass")).FullName;
        var file = Path.Combine(site.Temporary, "plateglass.capture.zip");
        Directory.CreateDirectory(Path.Combine(folder, "payload/opt/plateglass"));
        await File.WriteAllTextAsync(Path.Combine(folder, "payload/opt/plateglass/plateglass"), "#!/bin/sh\n");
        await File.WriteAllTextAsync(Path.Combine(folder, "payload/opt/plateglass/beside"), "#!/bin/sh\n");
        var sha256 = Convert.ToHexStringLower(global::System.Security.Cryptography.SHA256.HashData("#!/bin/sh\n"u8));
        var found = new[] { "opt/plateglass/beside", "opt/plateglass/plateglass" }.Select(path => new CapturedInfo(path, "file", 10, "755", null, sha256, null))
            .ToList();
        await File.WriteAllTextAsync(Path.Combine(folder, "captured.json"), global::System.Text.Json.JsonSerializer.Serialize(
            new CaptureAnswer(0, found), ContractJson.Default.CaptureAnswer));
        await global::System.IO.Compression.ZipFile.CreateFromDirectoryAsync(folder, file);

        await using var ines = await Person.SignIn(chromium, site, "ines", "packager");
        await ines.Open("/bench", "Bench");
        await ines.Page.Locator("input[type=file]").SetInputFilesAsync(file);
        await ines.Reads("2 of 2 things are taken");
        await ines.Page.GetByRole(AriaRole.Checkbox, new() { Name = "opt/plateglass/beside" }).ClickAsync();
        await ines.Reads("1 of 2 things are taken");
        Assert.DoesNotContain("payload/opt/plateglass/beside", await ines.Page.GetByRole(AriaRole.Main).InnerTextAsync());

        await using var tomas = await Person.SignIn(chromium, site, "tomas", "operator");
        await tomas.Open("/settings?view=handlings", "Settings");
        await tomas.Press("Make a handling…");
        await tomas.Page.GetByLabel("Short name").FillAsync("after-hours");
        await tomas.Page.GetByRole(AriaRole.Combobox, new() { Name = "Who is signed in" }).ClickAsync();
        await tomas.Page.GetByRole(AriaRole.Option, new() { Name = "Wait until nobody is" }).ClickAsync();
        await tomas.Page.GetByRole(AriaRole.Combobox, new() { Name = "For these apps" }).ClickAsync();
        await tomas.Page.GetByRole(AriaRole.Option, new() { Name = "quill" }).ClickAsync();
        await tomas.Reads("1 deployment under way behaves otherwise at once, on 1 device that is still to be changed");
        await tomas.Press("Make the handling, for 1 device at once");
        await tomas.Reads("waits until nobody is signed in");
        Assert.Empty(ines.Complaints.Concat(tomas.Complaints));
    }

    [Fact]
    public async Task A_deployment_chooses_settings_of_the_package_and_shows_no_secret()
    {
        await using var site = await Site.StartApart();
        await site.Device("ALD-DESK-001");
        await site.Package("quill", "1.0", "mkdir -p \"$T\" && echo 1.0 > \"$T/VERSION\"", more: """
            settings:
              - { name: site, default: HQ }
              - { name: mode, type: choice, choices: [desk, kiosk] }
              - { name: licence, type: secret }
            presets: { kiosks: { mode: kiosk } }
            """);
        await using var tomas = await Person.SignIn(chromium, site, "tomas", "operator");
        await tomas.Open("/deployments/new?package=quill%201.0&groups=enrolled", "Start a deployment");
        await tomas.Page.GetByLabel("site", new() { Exact = true }).FillAsync("ALD");
        await tomas.Page.GetByRole(AriaRole.Textbox, new() { Name = "licence" }).FillAsync("rosebud-7");
        await tomas.Reads("--setting site=ALD --setting licence=@FILE");
        await tomas.Press("Start for 1 device");
        await Person.Sees(tomas.Page.GetByRole(AriaRole.Heading, new() { Name = "quill 1.0", Level = 1 }));
        var id = new Uri(tomas.Page.Url).Segments[^1];
        var details = await site.Admin.Get($"/api/v1/deployments/{id}", ContractJson.Default.DeploymentDetails);
        Assert.Equal([("licence", null), ("site", "ALD")], details.Settings.Select(setting => (setting.Name, setting.Value)));
        Assert.DoesNotContain("rosebud", await tomas.Page.ContentAsync());
    }
}
