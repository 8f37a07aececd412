using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Kit;
using Xunit;

namespace Bandejo.System.Tests;

/// <summary>Values that a deployment chooses: from the command line to what the step finds on the device, and back in what is shown.</summary>
public sealed class SettingsTests(OneSite one) : IClassFixture<OneSite>
{
    private const string Manifest = """
        app: quill
        name: Quill
        version: "1.0"
        settings:
          - { name: site, says: Where it looks for documents, default: HQ }
          - { name: updater, type: yes-no, default: yes, writes: { no: --no-update, yes: "" } }
          - { name: licence, type: secret }
        presets:
          kiosks: { updater: no, site: ALD }
        variants:
          - name: linux
            files: [install.sh, remove.sh]
            install:
              run: [sh, install.sh, "--site=@{site}", "@{updater}"]
              environment: { QUILL_LICENCE: "@{licence}" }
              answers: { answers.ini: "site=@{site}\nlicence=@{licence}\n" }
            change: { run: [sh, install.sh, --changed, "--site=@{site}", "@{updater}"] }
            remove: { run: [sh, remove.sh] }
            present: [{ version-in: opt/quill/VERSION }]
        """;

    private const string Install = """
        mkdir -p "$T" && echo "$BANDEJO_VERSION" > "$T/VERSION"
        echo "$* $QUILL_LICENCE" > "$T/words"
        [ -e answers.ini ] && cp answers.ini "$T/answers.ini"
        echo "the licence is $QUILL_LICENCE"
        """;

    [Fact]
    public async Task Settings_reach_the_step_a_secret_is_seen_nowhere_and_a_later_deployment_changes_them()
    {
        await using var site = await Site.Start();
        var device = await site.Device("ALD-DESK-001");
        await Build(site);

        await File.WriteAllTextAsync(Path.Combine(device.Root, "secret"), "rosebud-7\n");
        var first = await site.Deploy("quill 1.0", Site.Enrolled, "--preset", "kiosks", "--setting", "site=BRM", "--setting", $"licence=@{device.Root}/secret");
        await site.Admin.Becomes(first, device.Name, "met");
        Assert.Equal("--site=BRM --no-update rosebud-7", device.Read("opt/quill/words"));
        Assert.Equal("site=BRM\nlicence=rosebud-7", device.Read("opt/quill/answers.ini"));

        var attempt = Assert.Single(await site.Admin.Attempts(first, device.Name));
        await site.Admin.Until(
            async () => (await site.Run("deployment", "log", attempt.Id)).Output.Contains("the licence is ***"), "the log has arrived without the secret");
        var shown = await site.Must("deployment", "show", first);
        Assert.Contains("settings licence (secret), site BRM, updater no", shown);
        foreach (
            var seen in new[]
            {
                shown, await site.Must("deployment", "show", first, "-o", "json"), await site.Must("deployment", "log", attempt.Id),
                await site.Must("journal", "--topic", "any", "-o", "json"), await site.Must("package", "show", "quill 1.0"),
            })
        {
            Assert.DoesNotContain("rosebud", seen);
        }

        // Another site for what is there: its own step runs, and what the deployment does not say is the default again.
        await site.Must("deployment", "end", "--yes", first, "--reason", "another site");
        var second = await site.Deploy("quill 1.0", Site.Enrolled, "--setting", "site=CAS");
        await site.Admin.Becomes(second, device.Name, "met");
        await site.Admin.Until(() => Task.FromResult(device.Read("opt/quill/words") == "--changed --site=CAS"), "the settings are changed");
        Assert.Single(await site.Admin.Attempts(second, device.Name));
    }

    [Theory]
    [InlineData("--setting", "siet=ALD", "The package has no setting 'siet'. Did you mean 'site'?")]
    [InlineData("--setting", "updater=perhaps", "The setting 'updater' is yes or no, not 'perhaps'.")]
    [InlineData("--preset", "studios", "The package has no preset 'studios'. Presets: kiosks.")]
    [InlineData("--setting", "site", "A setting is given as NAME=VALUE")]
    [InlineData("--setting", "licence=@/nowhere/at/all", "The value of 'licence' cannot be read")]
    public async Task What_cannot_be_set_is_refused_before_anything_starts(string option, string value, string says)
    {
        var site = one.Site;
        if ((await site.Run("package", "show", "quill 1.0")).Code != 0)
        {
            await Build(site);
        }

        var (code, _, errors) = await site.Run("deployment", "start", "quill 1.0", "--to", Site.Enrolled, "--yes", option, value);

        Assert.NotEqual(0, code);
        Assert.Contains(says, errors);
        Assert.Empty(await site.Admin.Get("/api/v1/deployments", ContractJson.Default.IReadOnlyListDeploymentInfo));
    }

    [Fact]
    public async Task A_trial_uses_the_settings_it_is_given_and_tries_to_change_them()
    {
        await using var site = await Site.Start();
        var folder = Write(site);

        var (code, output, errors) = await site.Run("package", "trial", folder, "--preset", "kiosks", "--setting", "licence=rosebud-7", "-o", "json");
        Assert.True(code == 0, output + errors);
        Assert.Contains("\"name\": \"change\"", output);
        Assert.Contains("the licence is ***", output);
        Assert.DoesNotContain("rosebud", output);

        (code, _, errors) = await site.Run("package", "trial", folder, "--setting", "siet=ALD");
        Assert.Equal(2, code);
        Assert.Contains("Did you mean 'site'?", errors);
    }

    private static async Task Build(Site site)
    {
        await site.Must("package", "build", Write(site));
        await site.Must("package", "release", "quill 1.0", "--reason", "for the test");
    }

    private static string Write(Site site)
    {
        var folder = site.WriteFolder("quill", "1.0", Install);
        File.WriteAllText(Path.Combine(folder, "package.yaml"), Manifest);
        return folder;
    }
}
