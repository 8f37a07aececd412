using System.Security.Cryptography;
using System.Security.Cryptography.X509Certificates;
using Bandejo.Kit;
using Xunit;

namespace Bandejo.System.Tests;

/// <summary>What goes with a package on real agents: needs, companions, software that has to go first, the handling of an attempt.</summary>
public sealed class PackagePartsTests
{
    private const string Install = "mkdir -p \"$T\" \"$BANDEJO_ROOT/var/log/quill\" && echo \"$BANDEJO_VERSION\" > \"$T/VERSION\" && echo 'the installer "
        + "wrote this' > \"$BANDEJO_ROOT/var/log/quill/install.log\"";

    [Fact]
    public async Task A_device_waits_for_what_a_package_needs_and_goes_on_by_itself()
    {
        await using var site = await Site.Start();
        var device = await site.Device("ALD-DESK-001");
        await site.Package("spark", "3.0", Install);
        await site.Package("spark", "3.2", Install);
        await site.Package("quill", "1.0", Install, more: "needs: [{ app: spark, at-least: \"3.1\" }]");

        var preview = await site.Must("deployment", "start", "quill 1.0", "--to", Site.Enrolled, "--preview");
        Assert.Contains(
            "1 of 1 devices lack spark 3.1 or newer, which this package needs first. No deployment brings it to any of them: they stay blocked until one does.",
            preview);

        var quill = await site.Deploy("quill 1.0", Site.Enrolled);
        await site.Admin.Becomes(quill, device.Name, "blocked");
        Assert.Contains("Needs spark 3.1 or newer, which no deployment brings here", await site.Must("device", "why", device.Name));

        // An earlier version does not do.
        var old = await site.Deploy("spark 3.0", Site.Enrolled);
        await site.Admin.Becomes(old, device.Name, "met");
        await site.Admin.Becomes(quill, device.Name, "blocked");
        await site.Must("deployment", "end", "--yes", old, "--reason", "a newer one follows");

        await site.Deploy("spark 3.2", Site.Enrolled);
        await site.Admin.Becomes(quill, device.Name, "met");
        Assert.Equal("1.0", device.Read("opt/quill/VERSION"));
    }

    [Fact]
    public async Task What_a_device_waits_for_in_vain_is_said_of_all_that_wait_for_it()
    {
        await using var site = await Site.Start();
        var device = await site.Device("ALD-DESK-001");
        await site.Package("spark", "3.2", "while [ ! -e \"$BANDEJO_ROOT/go\" ]; do [ -d \"$BANDEJO_ROOT\" ] || exit; sleep 0.1; done; exit 9");
        await site.Package("ember", "1.0", Install, more: "needs: [{ app: spark }]");
        await site.Package("quill", "1.0", Install, more: "needs: [{ app: ember }]");

        var spark = await site.Deploy("spark 3.2", Site.Enrolled, "--tries", "1");
        var quill = await site.Deploy("quill 1.0", Site.Enrolled);
        var ember = await site.Deploy("ember 1.0", Site.Enrolled);
        await site.Admin.Becomes(spark, device.Name, "working");
        await site.Admin.Becomes(ember, device.Name, "waiting");
        await site.Admin.Becomes(quill, device.Name, "waiting");

        device.Write("go", "");
        await site.Admin.Becomes(spark, device.Name, "failed");
        await site.Admin.Becomes(ember, device.Name, "blocked");
        await site.Admin.Becomes(quill, device.Name, "blocked");
        var why = await site.Must("device", "why", device.Name, "--deployment", ember);
        Assert.Contains("which 'spark 3.2", why);
        Assert.Contains("is to bring, but is failed here", why.ReplaceLineEndings(" "));

        // What would close a circle is neither built nor started.
        var (code, _, errors) = await site.Run("package", "build", site.WriteFolder("spark", "3.3", Install, more: "needs: [{ app: quill }]"));
        Assert.NotEqual(0, code);
        Assert.Contains("spark needs quill needs ember needs spark", errors);
    }

    [Fact]
    public async Task Companions_and_what_an_installer_logs_come_to_the_device_and_leave_it()
    {
        await using var site = await Site.Start();
        var device = await site.Device("ALD-DESK-001");
        device.Write("var/lib/dpkg/status", "Package: inkpress\nStatus: install ok installed\nVersion: 2.0\n\n");
        var folder = Folder(site);
        await site.Must("package", "build", folder);
        await site.Must("package", "release", "quill 1.0", "--reason", "for the test");
        var shown = await site.Must("package", "show", "quill 1.0");
        Assert.Contains("companion certificate county.pem", shown);
        Assert.Contains("handling  low priority; keeps the log /var/log/quill/install.log; removal deletes /var/lib/quill", shown);
        Assert.Contains("removal   Inkpress, before installing, when app \"inkpress\" is present: sh no-inkpress.sh", shown);

        var have = await site.Deploy("quill 1.0", Site.Enrolled);
        await site.Admin.Becomes(have, device.Name, "met");
        Assert.Equal(
            await File.ReadAllTextAsync(Path.Combine(folder, "county.pem")), device.Read("usr/local/share/ca-certificates/bandejo-quill-county.crt") + "\n");
        Assert.Equal("for the county", device.Read("opt/quill/licence.txt"));
        Assert.Contains("Exec=/opt/quill/quill \"a b\" %f", device.Read("usr/share/applications/bandejo-quill-qdoc.desktop"));
        Assert.Contains("<comment>Quill &amp; ink</comment>", device.Read("usr/share/mime/packages/bandejo-quill-qdoc.xml"));
        Assert.Equal("", device.Read("var/lib/dpkg/status"));
        var attempt = Assert.Single(await site.Admin.Attempts(have, device.Name));
        await site.Admin.Until(
            async () => (await site.Run("deployment", "log", attempt.Id)).Output.Contains("the installer wrote this"), "the installer's own log has come");

        // Somebody takes the certificate away; the device finds it at its next look and puts it back.
        File.Delete(Path.Combine(device.Root, "usr/local/share/ca-certificates/bandejo-quill-county.crt"));
        await device.Kill();
        await device.Start();
        await site.Admin.Until(
            () => Task.FromResult(device.Read("usr/local/share/ca-certificates/bandejo-quill-county.crt") is not null), "the certificate is back");

        await site.Must("deployment", "end", "--yes", have, "--reason", "to be taken away");
        var gone = await site.Deploy("quill 1.0", Site.Enrolled, "--gone");
        await site.Admin.Becomes(gone, device.Name, "met");
        Assert.Null(device.Read("usr/local/share/ca-certificates/bandejo-quill-county.crt"));
        Assert.Null(device.Read("usr/share/applications/bandejo-quill-qdoc.desktop"));
        Assert.Null(device.Read("opt/quill/licence.txt"));
    }

    [Theory]
    [InlineData("nothing like a certificate", "'county.pem' is to be trusted as a certificate, but is no X.509 certificate.")]
    [InlineData("der", "'county.pem' is a certificate in its binary form; devices take it as text (PEM)")]
    public async Task What_is_no_certificate_is_refused_before_any_device_trusts_it(string content, string says)
    {
        await using var site = await Site.Start();
        var folder = Folder(site);
        await File.WriteAllBytesAsync(
            Path.Combine(folder, "county.pem"), content == "der" ? Certificate().RawData : global::System.Text.Encoding.UTF8.GetBytes(content));

        var (code, _, errors) = await site.Run("package", "build", folder);

        Assert.NotEqual(0, code);
        Assert.Contains(says, errors);
        Assert.Contains("No packages yet", await site.Must("package", "list"));
    }

    [Fact]
    public async Task A_trial_tries_companions_and_repair_and_asks_for_what_is_needed()
    {
        await using var site = await Site.Start();
        var folder = Folder(site);
        var manifest = Path.Combine(folder, "package.yaml");
        await File.WriteAllTextAsync(manifest, (await File.ReadAllTextAsync(manifest)).Replace("variants:", "needs: [{ app: spark }]\nvariants:"));
        var (code, output, _) = await site.Run("package", "trial", folder);
        Assert.Equal(1, code);
        Assert.Contains("It needs spark first; give a package of it with --with.", output);

        (code, output, var errors) = await site.Run(
            "package", "trial", folder, "--with", site.WriteFolder("spark", "3.0", "mkdir -p \"$T\" && echo \"$BANDEJO_VERSION\" > \"$T/VERSION\""), "-o",
            "json");
        Assert.True(code == 0, output + errors);
        Assert.Contains("\"name\": \"repair\"", output);
        Assert.Contains("usr/local/share/ca-certificates/bandejo-quill-county.crt", output);
        Assert.True(output.Contains("Nothing is left behind."), output);
    }

    [Fact]
    public async Task Check_finds_desk_software_that_comes_to_servers_and_files_of_another_package()
    {
        await using var site = await Site.Start();
        await site.Device("ALD-SRV-001", facts: "kind: server");
        await site.Device("ALD-DESK-001");
        var large = new byte[20_000];
        Random.Shared.NextBytes(large);
        var runtime = site.WriteFolder("spark", "3.0", Install);
        await Edit(runtime, "install.sh, remove.sh]", "install.sh, remove.sh, spark.lib]");
        await File.WriteAllBytesAsync(Path.Combine(runtime, "spark.lib"), large);
        await site.Must("package", "build", runtime);
        var folder = site.WriteFolder("quill", "1.0", Install);
        await Edit(folder, "install.sh, remove.sh]", "install.sh, remove.sh, lib/spark.lib]\n    close: [quill]");
        Directory.CreateDirectory(Path.Combine(folder, "lib"));
        await File.WriteAllBytesAsync(Path.Combine(folder, "lib/spark.lib"), large);

        var (code, output, errors) = await site.Run("package", "check", folder);
        Assert.True(code == 0, output + errors);
        Assert.Contains("it fits 1 server too. If it is for desks, say so: fits: kind is not \"server\"", output + errors);
        Assert.Contains(
            "'lib/spark.lib' is a file of spark 3.0 as well. If it belongs there, leave it out and write 'needs: [{ app: spark }]'.", output + errors);

        await Edit(folder, "    requires:", "    fits: kind is not \"server\"\n    requires:");
        await Edit(folder, "variants:", "needs: [{ app: spark }]\nvariants:");
        (code, output, errors) = await site.Run("package", "check", folder);
        Assert.DoesNotContain("server too", output + errors);
        Assert.DoesNotContain("spark.lib", output + errors);
    }

    private static async Task Edit(string folder, string what, string with)
    {
        var manifest = Path.Combine(folder, "package.yaml");
        await File.WriteAllTextAsync(manifest, (await File.ReadAllTextAsync(manifest)).Replace(what, with, StringComparison.Ordinal));
    }

    private static string Folder(Site site)
    {
        var folder = site.WriteFolder("quill", "1.0", Install, "rm -rf \"$T\" \"$BANDEJO_ROOT/var/log/quill\"");
        File.WriteAllText(Path.Combine(folder, "licence.txt"), "for the county\n");
        File.WriteAllText(Path.Combine(folder, "no-inkpress.sh"), ": > \"$BANDEJO_ROOT/var/lib/dpkg/status\"\n");
        File.WriteAllText(Path.Combine(folder, "county.pem"), Certificate().ExportCertificatePem() + "\n");
        File.WriteAllText(Path.Combine(folder, "package.yaml"), """
            app: quill
            name: Quill
            version: "1.0"
            handlings:
              quietly:
                during: { priority: low, log: /var/log/quill/install.log }
                after: { reset: [/var/lib/quill] }
            variants:
              - name: linux
                files: [install.sh, remove.sh, no-inkpress.sh]
                handling: quietly
                install: { run: [sh, install.sh] }
                repair: { run: [sh, install.sh] }
                remove: { run: [sh, remove.sh] }
                companions:
                  - certificate: county.pem
                  - { file: licence.txt, to: /opt/quill/licence.txt }
                  - { opens: qdoc, with: [/opt/quill/quill, a b], says: Quill & ink }
                removals:
                  - { what: Inkpress, when: 'app "inkpress" is present', at: install, run: [sh, no-inkpress.sh] }
                present: [{ version-in: opt/quill/VERSION }]
            """);
        return folder;
    }

    private static X509Certificate2 Certificate()
    {
        using var key = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        return new CertificateRequest("CN=Orrin County", key, HashAlgorithmName.SHA256)
            .CreateSelfSigned(new DateTimeOffset(2026, 1, 1, 0, 0, 0, TimeSpan.Zero), new DateTimeOffset(2036, 1, 1, 0, 0, 0, TimeSpan.Zero));
    }
}
