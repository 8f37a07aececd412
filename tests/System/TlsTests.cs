using System.Security.Cryptography;
using System.Security.Cryptography.X509Certificates;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Identity;
using Bandejo.Kit;
using Xunit;

namespace Bandejo.System.Tests;

/// <summary>The service that a machine joined is the service that it obeys.</summary>
public sealed class TlsTests
{
    private const string Put = "mkdir -p \"$T\" && echo \"$BANDEJO_VERSION\" > \"$T/VERSION\"";

    [Fact]
    public async Task From_nothing_a_service_has_an_identity_and_whoever_answers_in_its_place_is_not_obeyed()
    {
        await using var site = await Site.StartWithTls();
        var agent = await site.Device("ALD-DESK-001");
        await site.Package("foldline", "7.1.0", Put);
        var deployment = await site.Deploy("foldline 7.1.0", Site.Enrolled);
        await site.Admin.Becomes(deployment, agent.Name, "met");
        Assert.Contains(site.Service.Identity!, await site.Must("identity", "show"));

        // Somebody else takes its address, with a certificate for it that they made themselves.
        await site.Process.Kill();
        using var forged = Forge("CN=Bandejo authority 00000000");
        await using (var hostile = await HostileService.Start(site.Service.Address, forged))
        {
            hostile.Answers = request =>
                HostileService.Give(request, HostileService.Order(hostile.Serve(HostileService.Document("touch \"$BANDEJO_ROOT/owned\"")), "D1"));
            await agent.Says("is not the service that this machine joined", 2);
            var (code, _, errors) = await site.Run("device", "list");
            Assert.Equal(4, code);
            Assert.Contains("whom you accepted", errors);
            Assert.DoesNotContain(hostile.Asked, asked => !asked.EndsWith("/authorities", StringComparison.Ordinal));
        }

        await site.Service.Start();
        await site.Package("foldline", "7.2.0", Put);
        await site.Admin.Becomes(await site.Deploy("foldline 7.2.0", Site.Enrolled), agent.Name, "met");
        Assert.False(File.Exists(Path.Combine(agent.Root, "owned")));
    }

    [Fact]
    public async Task A_code_joins_only_the_service_that_it_is_from_and_an_identity_is_believed_only_once_it_was_accepted()
    {
        await using var site = await Site.StartWithTls();
        await using var other = new ServiceProcess() { Listen = "https://127.0.0.1:0" };
        await other.Start();
        var code = (
            await site.Admin.Post(
                "/api/v1/join-codes", new JoinCodeRequest(Site.Enrolled), ContractJson.Default.JoinCodeRequest, ContractJson.Default.JoinCodeInfo)).Code!;
        Assert.EndsWith("." + site.Service.Identity, code);
        await using var agent = new AgentProcess(other.Address, "ALD-DESK-002");
        var (joined, output) = await agent.Join(code);
        Assert.Equal(4, joined);
        Assert.Contains($"is not the service {site.Service.Identity}", output);
        (joined, output) = await agent.Join(code[..^3] + "!!!");
        Assert.Equal(2, joined);
        Assert.Contains("names no service", output);

        // The command line sends no password to whom nobody has accepted.
        var (signed, _, errors) = await site.RunWith(ServiceProcess.FirstPassword, "sign-in", "root-admin", "--service", other.Address);
        Assert.Equal(4, signed);
        Assert.Contains("--identity IDENTITY", errors);
        Assert.Equal(
            4,
            (await site.RunWith(ServiceProcess.FirstPassword, "sign-in", "root-admin", "--service", other.Address, "--identity", site.Service.Identity!)).Code);
        Assert.Equal(
            0, (await site.RunWith(ServiceProcess.FirstPassword, "sign-in", "root-admin", "--service", other.Address, "--identity", other.Identity!)).Code);
    }

    [Fact]
    public async Task Devices_follow_a_service_to_another_identity_also_when_they_were_off_for_two_of_them()
    {
        await using var site = await Site.StartWithTls();
        var first = await site.Device("ALD-DESK-001");
        var late = await site.Device("BUS-02-LAP-3", isStarted: false);
        var before = site.Service.Identity!;
        Assert.Equal(3, (await site.Run("identity", "roll-over", "--reason", " ")).Code);
        await site.Must("identity", "roll-over", "--reason", "the key was on a lost laptop");
        await ApiClient.Comes(
            async () => (await site.Admin.Get("/api/v1/identity", ContractJson.Default.IdentityInfo)).Knowing == 1, "the device knows the new one");
        var second = (await site.Admin.Get("/api/v1/identity", ContractJson.Default.IdentityInfo)).Authority!;
        await site.Must("identity", "roll-over", "--reason", "once more");
        await late.Start();
        await ApiClient.Comes(
            async () => await site.Admin.Get("/api/v1/identity", ContractJson.Default.IdentityInfo) is { Knowing: 2, Devices: 2 }, "both know the newest");

        var now = await site.Admin.Get("/api/v1/identity", ContractJson.Default.IdentityInfo);
        Assert.Equal([before, second], now.Before);
        Assert.DoesNotContain(now.Authority, new[] { before, second });
        Assert.Contains("the key was on a lost laptop", await site.Must("journal", "--topic", "audit", "-o", "json"));
        foreach (var agent in new[] { first, late })
        {
            Assert.Contains(now.Authority!, File.ReadAllText(Path.Combine(agent.Root, "var/lib/bandejo-agent/identity.json")));
            Assert.DoesNotContain(before, File.ReadAllText(Path.Combine(agent.Root, "var/lib/bandejo-agent/identity.json")));
        }
    }

    [Fact]
    public async Task A_service_whose_identity_was_lost_is_believed_again_once_a_person_at_the_device_accepts_it()
    {
        await using var site = await Site.StartWithTls();
        var agent = await site.Device("ALD-DESK-001");
        await site.Process.Kill();
        Directory.Delete(Path.Combine(site.Service.Folder, "data/tls"), recursive: true);
        await site.Service.Start();
        await agent.Says("bandejo-agent accept IDENTITY", 1);
        Assert.Equal(2, (await agent.Tell("accept", "nonsense")).Code);
        Assert.Equal(4, (await agent.Tell("accept", "o" + new string('a', 32))).Code);
        var heard = (await site.Admin.Get("/api/v1/identity", ContractJson.Default.IdentityInfo)).Devices;
        Assert.Equal(0, heard);
        Assert.Equal(0, (await agent.Tell("accept", site.Service.Identity!)).Code);
        await ApiClient.Comes(
            async () => (await site.Admin.Get("/api/v1/identity", ContractJson.Default.IdentityInfo)).Knowing == 1,
            "the device has come back, without a new start");
    }

    [Fact]
    public async Task A_certificate_that_ends_soon_is_renewed_by_the_same_identity()
    {
        await using var site = await Site.StartWithTls();
        var agent = await site.Device("ALD-DESK-001");
        await site.Process.Kill();
        var tls = Path.Combine(site.Service.Folder, "data/tls");
        using var authority = X509Certificate2.CreateFromPemFile(Path.Combine(tls, "authority.pem"));
        using var key = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        using var ending = new CertificateRequest("CN=localhost", key, HashAlgorithmName.SHA256)
            .Create(authority, TimeProvider.System.GetUtcNow().AddDays(-2), TimeProvider.System.GetUtcNow().AddDays(5), [1]);
        File.WriteAllText(Path.Combine(tls, "service.pem"), $"{ending.ExportCertificatePem()}\n{key.ExportPkcs8PrivateKeyPem()}\n");
        var identity = site.Service.Identity;
        await site.Service.Start();
        Assert.Equal(identity, site.Service.Identity);
        var info = await site.Admin.Get("/api/v1/identity", ContractJson.Default.IdentityInfo);
        Assert.True(info.Until > TimeProvider.System.GetUtcNow().AddDays(60));
        await ApiClient.Comes(
            async () => (await site.Admin.Get("/api/v1/identity", ContractJson.Default.IdentityInfo)).Knowing == 1, "the device comes as before");
        Assert.False(agent.HasEnded);
        Assert.All(Directory.EnumerateFileSystemEntries(Path.Combine(site.Service.Folder, "data"), "*", SearchOption.AllDirectories), path => Assert.Equal(
            (UnixFileMode)0, File.GetUnixFileMode(path) & (UnixFileMode)0x3F));
    }

    [Fact]
    public async Task A_certificate_of_the_organisations_is_believed_for_its_names_and_devices_can_be_told_of_it_before()
    {
        var folder = Directory.CreateTempSubdirectory("bandejo-tls").FullName;
        try
        {
            var (root, chain) = Organisation(folder, "127.0.0.1");
            await using var site = await Site.StartWithTls("--announce", root);
            var agent = await site.Device("ALD-DESK-001");
            await ApiClient.Comes(
                async () => (await site.Admin.Get("/api/v1/identity", ContractJson.Default.IdentityInfo)).Knowing == 1,
                "the device was told of the organisation's authority");
            await site.Process.Kill();

            await using var after = new ServiceProcess("--certificate", chain) { Listen = site.Service.Address };
            Directory.Delete(after.Folder, recursive: true);
            Directory.Move(site.Service.Folder, after.Folder);
            await after.Start();
            Directory.CreateDirectory(site.Service.Folder);
            Assert.StartsWith("n", after.Identity);
            using var admin = await ApiClient.SignIn(after.Address, "root-admin", ServiceProcess.FirstPassword);
            await ApiClient.Comes(
                async () => (await admin.Get("/api/v1/identity", ContractJson.Default.IdentityInfo)).Knowing == 1,
                "the device believes the organisation's certificate");
            Assert.False(agent.HasEnded);
            Assert.Equal(409, (int)(await admin.Send(HttpMethod.Post, "/api/v1/identity/roll-over", """{"reason":"x"}""")).Status);
        }
        finally
        {
            Directory.Delete(folder, recursive: true);
        }
    }

    [Fact]
    public async Task Without_TLS_nobody_speaks_beyond_this_machine_unless_somebody_says_so()
    {
        await using var agent = new AgentProcess("http://192.0.2.7:7410", "ALD-DESK-001");
        var (code, output) = await agent.Join("ABCD-EFGH");
        Assert.Equal(2, code);
        Assert.Contains("--without-tls", output);

        using var service = Programs.Start(Programs.Service, ["--data", Path.Combine(agent.Root, "data"), "--listen", "http://0.0.0.0:0"]);
        Assert.Contains("--without-tls on", await service.StandardError.ReadToEndAsync());
        await service.WaitForExitAsync();
        Assert.Equal(2, service.ExitCode);
        await using var open = new ServiceProcess("--without-tls", "on") { Listen = "http://0.0.0.0:0" };
        await open.Start();
    }

    [Fact]
    public void A_certificate_is_the_services_only_where_an_authority_of_it_has_signed_it()
    {
        using var own = Certificate("CN=Own", null, isAuthority: true);
        using var same = Certificate("CN=Own", null, isAuthority: true);
        using var good = Certificate("CN=service", own, names: ["bandejo.example"]);
        using var forged = Certificate("CN=service", same, names: ["bandejo.example"]);
        using var ended = Certificate("CN=service", own, names: ["bandejo.example"], until: TimeProvider.System.GetUtcNow().AddDays(-1));
        using var client = Certificate("CN=service", own, names: ["bandejo.example"], use: "1.3.6.1.5.5.7.3.2");
        using var middle = Certificate("CN=Middle", own, isAuthority: true);
        using var below = Certificate("CN=service", middle, names: ["bandejo.example"]);
        using var belowLeaf = Certificate("CN=service", good, names: ["bandejo.example"]);
        var itself = new ServiceIdentity([new Authority(own, IsOwn: true)]);
        var named = new ServiceIdentity([new Authority(own, IsOwn: false)]);

        Assert.Null(itself.Problem(good, [], "any.example"));
        Assert.Null(named.Problem(good, [], "bandejo.example"));
        Assert.Contains("is not for", named.Problem(good, [], "any.example"));
        Assert.Null(itself.Problem(below, [middle], "any.example"));
        Assert.NotNull(itself.Problem(below, [], "any.example"));
        Assert.Contains("nobody known here stands for", itself.Problem(forged, [], "any.example"));
        Assert.Contains("nobody known here stands for", itself.Problem(forged, [same], "any.example"));
        Assert.Contains("was good from", itself.Problem(ended, [], "any.example"));
        Assert.NotNull(itself.Problem(client, [], "any.example"));
        Assert.NotNull(itself.Problem(belowLeaf, [good], "any.example"));
        Assert.NotNull(itself.Problem(null, [], "any.example"));
        Assert.Null(new ServiceIdentity([new Authority(middle, IsOwn: false)]).Problem(below, [middle], "bandejo.example"));
        Assert.NotEqual(new Authority(own, IsOwn: true).Name, new Authority(same, IsOwn: true).Name);
        Assert.True(Authority.IsName(new Authority(own, IsOwn: true).Name));
    }

    private static X509Certificate2 Forge(string authority)
    {
        using var own = Certificate(authority, null, isAuthority: true);
        using var made = Certificate("CN=service", own, names: ["localhost"]);
        // The web server wants its key in a form that it can keep.
        return X509CertificateLoader.LoadPkcs12(made.Export(X509ContentType.Pfx), null);
    }

    /// <summary>Writes an organisation's root, and a certificate below it with what leads there and its key.</summary>
    private static (string Root, string Chain) Organisation(string folder, string name)
    {
        using var root = Certificate("CN=Orrin County", null, isAuthority: true);
        using var middle = Certificate("CN=Orrin County IT", root, isAuthority: true);
        using var leaf = Certificate("CN=bandejo", middle, names: [name]);
        var (rootFile, chainFile) = (Path.Combine(folder, "root.pem"), Path.Combine(folder, "chain.pem"));
        File.WriteAllText(rootFile, root.ExportCertificatePem());
        File.WriteAllText(
            chainFile,
            $"{leaf.ExportCertificatePem()}\n{middle.ExportCertificatePem()}\n{root.ExportCertificatePem()}\n{leaf.GetECDsaPrivateKey()!.ExportPkcs8PrivateKeyPem()}\n");
        return (rootFile, chainFile);
    }

    private static X509Certificate2 Certificate(
        string subject, X509Certificate2? by, bool isAuthority = false, string[]? names = null, DateTimeOffset? until = null, string use = "1.3.6.1.5.5.7.3.1")
    {
        using var key = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        var request = new CertificateRequest(subject, key, HashAlgorithmName.SHA256);
        request.CertificateExtensions.Add(new X509BasicConstraintsExtension(isAuthority, false, 0, true));
        if (!isAuthority)
        {
            request.CertificateExtensions.Add(new X509EnhancedKeyUsageExtension([new Oid(use)], false));
            var alternatives = new SubjectAlternativeNameBuilder();
            foreach (var name in names ?? [])
            {
                if (global::System.Net.IPAddress.TryParse(name, out var address))
                {
                    alternatives.AddIpAddress(address);
                }
                else
                {
                    alternatives.AddDnsName(name);
                }
            }

            request.CertificateExtensions.Add(alternatives.Build());
        }

        var from = TimeProvider.System.GetUtcNow().AddDays(-10);
        if (by is null)
        {
            return request.CreateSelfSigned(from, TimeProvider.System.GetUtcNow().AddDays(100));
        }

        using var bare = request.Create(
            by.SubjectName, X509SignatureGenerator.CreateForECDsa(by.GetECDsaPrivateKey()!), from, until ?? TimeProvider.System.GetUtcNow().AddDays(50),
            RandomNumberGenerator.GetBytes(8));
        return bare.CopyWithPrivateKey(key);
    }
}
