using System.Security.Cryptography;
using System.Security.Cryptography.X509Certificates;
using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Kit;
using Xunit;

namespace Bandejo.System.Tests;

/// <summary>A package that installs nothing: a certificate, a file, settings, which prove it and go again.</summary>
public sealed class CompanionsAloneTests(OneSite one) : IClassFixture<OneSite>
{
    private const string Certificate = "usr/local/share/ca-certificates/bandejo-county-trust-county.crt";

    [Fact]
    public async Task They_come_prove_themselves_are_put_back_and_go_with_what_was_there_before()
    {
        var device = await one.Site.Device("ALD-DESK-ALONE");
        device.Write("etc/foldline.conf", "# of the maker\nupdates = on\nprinter = hall\n");
        await Built("1.0", "off");
        await Built("1.1", "never");

        var first = await one.Site.Deploy("county-trust 1.0", Site.Enrolled);
        var met = await one.Site.Admin.Becomes(first, device.Name, "met");
        Assert.Contains(
            "county-trust 1.0 proven by the certificate county.pem, the setting updates in etc/foldline.conf, the setting proxy in etc/foldline.conf",
            met.Reason);
        Assert.Contains("BEGIN CERTIFICATE", device.Read(Certificate));
        Assert.Equal(
            ["# of the maker", "# before county-trust: updates = on", "updates = off", "printer = hall", "# before county-trust: proxy", "proxy = county:8080"],
            device.Read("etc/foldline.conf")!.Split('\n'));

        // A later version changes what it set, and still knows what was there before all of it.
        var second = await one.Site.Deploy("county-trust 1.1", Site.Enrolled);
        await one.Site.Admin.Becomes(second, device.Name, "met");
        Assert.Equal(
            [
                "# of the maker", "# before county-trust: updates = on", "updates = never", "printer = hall", "# before county-trust: proxy",
                "proxy = county:8080"],
            device.Read("etc/foldline.conf")!.Split('\n'));

        // Somebody takes a line away; the device finds it at its next look.
        device.Write("etc/foldline.conf", device.Read("etc/foldline.conf")!.Replace("proxy = county:8080", "", StringComparison.Ordinal));
        await device.Kill();
        await device.Start();
        await one.Site.Admin.Until(() => Task.FromResult(device.Read("etc/foldline.conf")!.Contains("proxy = county:8080")), "the setting is back");

        await one.Site.Must("deployment", "end", "--yes", first, "--reason", "to be taken away");
        await one.Site.Must("deployment", "end", "--yes", second, "--reason", "to be taken away");
        await one.Site.Admin.Becomes(await one.Site.Deploy("county-trust 1.1", Site.Enrolled, "--gone"), device.Name, "met");
        Assert.Null(device.Read(Certificate));
        Assert.Equal(["# of the maker", "updates = on", "printer = hall"], device.Read("etc/foldline.conf")!.Split(
            '\n', StringSplitOptions.RemoveEmptyEntries));
    }

    [Fact]
    public async Task They_are_tried_in_a_sandbox_and_leave_nothing()
    {
        var folder = Folder("2.0", "off");
        var report = JsonSerializer.Deserialize(await one.Site.Must("package", "trial", folder, "--output", "json"), ContractJson.Default.TrialReport)!;

        Assert.Equal(["clean", "install", "in place", "again", "remove", "leftovers"], report.Steps.Select(step => step.Name));
        Assert.StartsWith("There was nothing to run; county-trust 2.0 proven by the certificate county.pem", report.Steps[1].Says);
        Assert.Equal("Nothing is left behind.", report.Steps[^1].Says);
        Assert.DoesNotContain(report.Steps, step => step.State == "failed");
    }

    [Theory]
    [InlineData("remove: { run: [sh, x.sh] }", "Without 'install', only the companions are put in place and taken away; 'remove' has nothing to do.")]
    [InlineData("requires: yes", "'install' is missing or not a mapping", "companions: []")]
    [InlineData("requires: yes", "'to' is missing: what the setting is set to.", "companions: [{ setting: etc/a.conf, key: b }]")]
    [InlineData("requires: yes", "'key' is missing", "companions: [{ setting: etc/a.conf, to: b }]")]
    [InlineData("requires: yes", "'../etc/a.conf'", "companions: [{ setting: ../etc/a.conf, key: a, to: b }]")]
    public async Task What_makes_no_sense_without_software_is_said(string more, string says, string companions = "companions: [{ certificate: county.pem }]")
    {
        var folder = Folder("3.0", "off");
        var manifest = Path.Combine(folder, "package.yaml");
        var text = await File.ReadAllTextAsync(manifest);
        await File.WriteAllTextAsync(manifest, $"{text[..text.IndexOf("    companions:", StringComparison.Ordinal)]}    {more}\n    {companions}\n");

        var (code, output, errors) = await one.Site.Run("package", "check", folder);

        Assert.Equal(1, code);
        Assert.Contains(says, output + errors);
    }

    private async Task Built(string version, string updates)
    {
        await one.Site.Must("package", "build", Folder(version, updates));
        await one.Site.Must("package", "release", $"county-trust {version}", "--reason", "for the test");
    }

    private string Folder(string version, string updates)
    {
        var folder = one.Site.WriteFolder("county-trust", version, "true");
        using var key = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        using var certificate = new CertificateRequest("CN=Orrin County", key, HashAlgorithmName.SHA256)
            .CreateSelfSigned(new DateTimeOffset(2026, 1, 1, 0, 0, 0, TimeSpan.Zero), new DateTimeOffset(2036, 1, 1, 0, 0, 0, TimeSpan.Zero));
        File.WriteAllText(Path.Combine(folder, "county.pem"), certificate.ExportCertificatePem());
        File.WriteAllText(Path.Combine(folder, "package.yaml"), $$"""
            app: county-trust
            name: county-trust
            version: "{{version}}"
            settings:
              - { name: proxy, default: 'county:8080' }
            variants:
              - name: any
                companions:
                  - certificate: county.pem
                  - { setting: etc/foldline.conf, key: updates, to: '{{updates}}' }
                  - { setting: /etc/foldline.conf, key: proxy, to: '@{proxy}' }
            """);
        return folder;
    }
}
