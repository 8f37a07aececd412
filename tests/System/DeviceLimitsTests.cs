using System.IO.Compression;
using System.Net;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Contract.Device;
using Bandejo.Kit;
using Microsoft.IdentityModel.JsonWebTokens;
using Microsoft.IdentityModel.Tokens;
using Xunit;

namespace Bandejo.System.Tests;

/// <summary>One device costs what one device may, its texts are texts, and a document that was signed by hand is held to what a manifest is.</summary>
public sealed class DeviceLimitsTests
{
    [Fact]
    public async Task A_device_that_says_far_too_much_is_told_what_was_left_out_and_costs_no_more_than_others()
    {
        await using var site = await Site.StartApart();
        using var device = new DeviceClient(site.Service.Address);
        await device.Join(
            (
                await site.Admin.Post(
                    "/api/v1/join-codes", new JoinCodeRequest(Site.Enrolled), ContractJson.Default.JoinCodeRequest, ContractJson.Default.JoinCodeInfo)).Code!,
            "ALD-DESK-001");
        await device.CheckIn(1);
        var before = site.Process.Memory();
        for (var round = 0; round < 12; round++)
        {
            var facts = Enumerable.Range(0, 60_000).ToDictionary(i => $"label.r{round}-{i}", i => "x");
            facts["kind"] = "desk";
            var answer = await device.Link.CheckIn(new CheckInRequest(10 + (round * 2), $"labels{round}", new FactReport(facts, []), "", [], []), default);
            Assert.Contains(answer.LeftOut!, left => left.Contains(round == 0 ? "more than 64 labels" : "more than "));
            var programs = Enumerable.Range(0, 60_000).Select(i => new ProgramReport($"p{round}-{i}", $"{i}", "system")).ToList();
            answer = await device.Link.CheckIn(
                new CheckInRequest(
                    11 + (round * 2), $"programs{round}", new FactReport(new Dictionary<string, string> { ["kind"] = "desk" }, programs), "", [], []),
                default);
            Assert.Contains(answer.LeftOut!, left => left.Contains("the list of programs"));
        }

        Assert.True(site.Process.Memory() - before < 300L << 20, $"The service grew from {before >> 20} to {site.Process.Memory() >> 20} MB.");
        var shown = await site.Admin.Get("/api/v1/devices/ALD-DESK-001", ContractJson.Default.DeviceDetails);
        Assert.Contains(shown.Facts, fact => fact.Name == "kind");
        var events = await site.Admin.Get("/api/v1/journal?topic=device&device=ALD-DESK-001", ContractJson.Default.PageEventInfo);
        Assert.Contains(events.Items, happened => happened.What == "facts-left-out" && happened.Text.Contains("more than "));

        // A list of which something was left out proves no absence.
        var rule = await site.Admin.Post(
            "/api/v1/groups/preview", new RuleRequest("app \"foldline\" is absent"), ContractJson.Default.RuleRequest, ContractJson.Default.RulePreview);
        Assert.Equal((0, 1), (rule.Devices, rule.NotKnown));
    }

    [Fact]
    public async Task What_devices_say_reads_the_same_after_restarts_in_which_words_went_and_others_took_their_place()
    {
        await using var site = await Site.StartApart();
        var devices = new DeviceClient[2];
        for (var i = 0; i < 2; i++)
        {
            devices[i] = new DeviceClient(site.Service.Address);
            await devices[i]
                .Join(
                    (
                        await site.Admin.Post(
                            "/api/v1/join-codes", new JoinCodeRequest(Site.Enrolled), ContractJson.Default.JoinCodeRequest, ContractJson.Default.JoinCodeInfo))
                        .Code!,
                    $"ALD-DESK-00{i}");
        }

        for (var round = 0; round < 3; round++)
        {
            // One says other words each time; the other stays with its own.
            for (var i = 0; i < 2; i++)
            {
                var word = i == 0 ? $"round{round}" : "steady";
                await devices[i].Link.CheckIn(
                    new CheckInRequest(
                        1 + round, word,
                        new FactReport(new Dictionary<string, string> { ["kind"] = "desk", [$"label.{word}"] = word }, [new ProgramReport(
                            $"{word} editor", $"{round}.{i}", "system")]),
                        "", [], []),
                    default);
            }

            await site.Process.Kill();
            await site.Service.Start();
            for (var i = 0; i < 2; i++)
            {
                var word = i == 0 ? $"round{round}" : "steady";
                var shown = await site.Admin.Get($"/api/v1/devices/ALD-DESK-00{i}", ContractJson.Default.DeviceDetails);
                Assert.Equal([("kind", "desk"), ($"label.{word}", word)], shown.Facts.Select(fact => (fact.Name, fact.Value)).Where(
                    fact => fact.Name != "name" && fact.Name != "joined"));
                Assert.Equal([($"{word} editor", $"{(i == 0 ? round : 0)}.{i}")], shown.Programs!.Select(program => (program.Name, program.Version)));
                var found = await site.Admin.Post(
                    "/api/v1/groups/preview", new RuleRequest($"label.{word} is \"{word}\""), ContractJson.Default.RuleRequest,
                    ContractJson.Default.RulePreview);
                Assert.Equal(1, found.Devices);
            }
        }

        foreach (var device in devices)
        {
            device.Dispose();
        }
    }

    [Fact]
    public async Task Texts_of_devices_reach_no_terminal_and_no_file_raw()
    {
        const string Evil = "\u001b]0;owned\u0007\u001b[2J\u202egnitset\u009b31m";
        await using var site = await Site.Start();
        await site.Package("foldline", "7.1.0", "exit 1");
        using var device = new DeviceClient(site.Service.Address);
        await device.Join(
            (
                await site.Admin.Post(
                    "/api/v1/join-codes", new JoinCodeRequest(Site.Enrolled), ContractJson.Default.JoinCodeRequest, ContractJson.Default.JoinCodeInfo)).Code!,
            "ALD-DESK-001");
        var deployment = await site.Deploy("foldline 7.1.0", Site.Enrolled);
        var at = TimeProvider.System.GetUtcNow();
        await device.Link.CheckIn(
            new CheckInRequest(
                2, "f", new FactReport(new Dictionary<string, string> { ["kind"] = "desk", ["model"] = Evil }, [new ProgramReport(Evil, Evil, "system")]), "",
                [],
            [new AttemptReport("a1", deployment, 0, false, "install", at, null, null, "run", null, "", "", null, null, true), new AttemptReport(
                "a1", deployment, 0, true, "install", at, at, "failed", "run", 1, "it failed " + Evil, "", null, null, true)],
            [new UserReport("w1", "harm", "foldline", Evil, at)]), default);
        await device.Link.SendLog("a1", new MemoryStream(Encoding.UTF8.GetBytes("a log " + Evil)), default);

        foreach (
            var command in new string[][]
            {
                ["device", "list"], ["device", "show", "ALD-DESK-001"], ["deployment", "show", deployment], ["deployment", "log", "a1"],
                ["journal", "--topic", "any"], ["device", "why", "ALD-DESK-001"],
            })
        {
            foreach (var form in command is [_, "log", ..] ? (string[])["table"] : ["table", "json", "csv"])
            {
                var (_, output, errors) = await site.Run([.. command, "-o", form]);
                Assert.DoesNotContain(output + errors, sign => sign is '\u001b' or '\u202e' or '\u009b' or '\u0007');
            }
        }

        Assert.Contains("it failed", (await site.Run("deployment", "show", deployment)).Output);
    }

    [Theory]
    [InlineData("(((", "regular expression")]
    [InlineData("(a{1,1000}){1,1000}", "regular expression")]
    [InlineData("no group", "group in brackets")]
    public async Task A_document_that_was_signed_by_hand_is_held_to_what_a_manifest_is(string pattern, string says)
    {
        await using var site = await Site.Start();
        using var key = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        await site.Admin.RegisterKey(key);
        var (status, body) = await Bring(site, key, HostileService.Document(
            "true", change: variant => variant with { Present = [variant.Present[0] with { Pattern = pattern }] }));
        Assert.Equal(HttpStatusCode.UnprocessableEntity, status);
        Assert.Contains(says, body);
        foreach (var wrong in new[]
        {
            HostileService.Document("true", "../../x"), HostileService.Document("true", "caf\u00e9"),
            HostileService.Document(
                "true", change: variant => variant with { Present = [variant.Present[0], variant.Present[0] with { Kind = "service", Subject = "--root=/" }] }),
            HostileService.Document("true", change: variant => variant with { Present = [variant.Present[0] with { Kind = "telepathy" }] }),
            HostileService.Document("true", change: variant => variant with { Handling = new DocumentHandling(false, false, null, "as-told", ["var"]) }),
            HostileService.Document(
                "true",
                change: variant =>
                    variant with { Install = variant.Install with { Environment = new Dictionary<string, string> { ["BANDEJO_RUN"] = "/tmp" } } }),
            HostileService.Document("true", change: variant => variant with { Install = variant.Install with { Run = ["sh", "@{nothing}"] } }),
        })
        {
            Assert.Equal(HttpStatusCode.UnprocessableEntity, (await Bring(site, key, wrong)).Status);
        }

        Assert.Empty((await site.Admin.Get("/api/v1/packages", ContractJson.Default.PagePackageInfo)).Items);
        Assert.Equal(HttpStatusCode.Created, (await Bring(site, key, HostileService.Document("true"))).Status);
    }

    /// <summary>Brings a document in a package file, signed with a key that the service knows.</summary>
    private static async Task<(HttpStatusCode Status, string Body)> Bring(Site site, ECDsa key, byte[] document)
    {
        var point = key.ExportParameters(includePrivateParameters: false).Q;
        var thumbprint = Base64UrlEncoder.Encode(SHA256.HashData(Encoding.ASCII.GetBytes(
            $$"""{"crv":"P-256","kty":"EC","x":"{{Base64UrlEncoder.Encode(point.X)}}","y":"{{Base64UrlEncoder.Encode(point.Y)}}"}""")));
        var signature = new JsonWebTokenHandler { SetDefaultTimesOnTokenCreation = false }.CreateToken(
            JsonSerializer.Serialize(new Dictionary<string, string> { ["digest"] = Convert.ToHexStringLower(SHA256.HashData(document)) }),
            new SigningCredentials(new ECDsaSecurityKey(key) { KeyId = thumbprint }, SecurityAlgorithms.EcdsaSha256));
        using var file = new MemoryStream();
        using (var archive = new ZipArchive(file, ZipArchiveMode.Create, leaveOpen: true))
        {
            foreach (var (name, content) in new[] { ("package.json", document), ("package.jws", Encoding.ASCII.GetBytes(signature)) })
            {
                using var entry = archive.CreateEntry(name).Open();
                entry.Write(content);
            }
        }

        var bytes = file.ToArray();
        var upload = await site.Admin.Post(
            "/api/v1/uploads", new UploadRequest(Convert.ToHexStringLower(SHA256.HashData(bytes)), bytes.Length), ContractJson.Default.UploadRequest,
            ContractJson.Default.UploadInfo);
        using var piece = new HttpRequestMessage(HttpMethod.Patch, $"/api/v1/uploads/{upload.Id}") { Content = new ByteArrayContent(bytes) };
        piece.Headers.Add("Upload-Offset", "0");
        using var taken = await site.Admin.Http.SendAsync(piece);
        return await site.Admin.Send(HttpMethod.Post, "/api/v1/packages", JsonSerializer.Serialize(
            new PackageRequest(upload.Id), ContractJson.Default.PackageRequest));
    }
}
