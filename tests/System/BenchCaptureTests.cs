using System.IO.Compression;
using System.Net;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Kit;
using Xunit;

namespace Bandejo.System.Tests;

/// <summary>What was captured by hand on another machine is dropped on the bench as one file, and ticked there.</summary>
public sealed class BenchCaptureTests(OneSite one) : IClassFixture<OneSite>
{
    private static readonly Dictionary<string, string> Facts = new()
    {
        ["os.family"] = "debian", ["architecture"] = "x64", ["os.name"] = "Debian", ["os.version"] = "13",
    };

    [Fact]
    public async Task A_capture_is_drafted_ticked_and_can_be_built()
    {
        var draft = await Dropped("quill.capture.zip", Capture(
            ("opt/quill/quill", "#!/bin/sh\n", "755", null, null), ("etc/quill.conf", "a = b\n", "640", "quill:quill", null),
            ("home/ines/.quillrc", "mine\n", "644", null, "user"), ("var/log/quill.log", "", "644", null, "noise")));

        Assert.Equal(("app: quill", true), (
            draft.Manifest.Split('\n').First(line => line.StartsWith("app:", StringComparison.Ordinal)),
            draft.Manifest.Contains("fits: os.family is \"debian\" and architecture is \"x64\"  # captured on Debian 13")));
        Assert.Equal(["captured.txt", "install.sh", "payload/etc/quill.conf", "payload/opt/quill/quill", "quill.capture.zip", "remove.sh"], draft.Files.Select(
            file => file.Path));
        Assert.Equal(["etc/quill.conf", "opt/quill/quill", "quill"], draft.Capture!.Things.Where(thing => thing.IsTaken).Select(thing => thing.Path));
        Assert.Equal((true, false), (
            draft.Capture.Things.Single(thing => thing.Path == "home/ines/.quillrc").CanBeTaken,
            draft.Capture.Things.Single(thing => thing.Path == "var/log/quill.log").CanBeTaken));
        Assert.All(draft.Check!.Findings.Where(finding => !finding.IsWarning), finding => Assert.Equal("version", finding.Where));

        draft = await Take(draft.Draft.Id, "opt/quill/quill", "home/ines/.quillrc");
        Assert.Equal(
            ["captured.txt", "install.sh", "payload/home/ines/.quillrc", "payload/opt/quill/quill", "quill.capture.zip", "remove.sh"],
            draft.Files.Select(file => file.Path));
        Assert.DoesNotContain(draft.Check!.Findings, finding => finding.Message.Contains("capture.zip"));

        // A manifest that somebody has written in stays as it is, whatever is ticked then.
        var written = draft.Manifest.Replace("version:  # not known; fill it in", "version: '1.0'");
        await one.Site.Admin.Send(HttpMethod.Put, $"/api/v1/bench/{draft.Draft.Id}/manifest", JsonSerializer.Serialize(
            new BenchManifestRequest(written), ContractJson.Default.BenchManifestRequest));
        draft = await Take(draft.Draft.Id, "opt/quill/quill");
        Assert.Equal(written, draft.Manifest);
        Assert.NotNull(draft.Check!.Document);

        var (status, body) = await one.Site.Admin.Send(HttpMethod.Put, $"/api/v1/bench/{draft.Draft.Id}/capture", """{"taken":["var/log/quill.log"]}""");
        Assert.Equal((HttpStatusCode.UnprocessableEntity, true), (status, body.Contains("cannot be taken")));
    }

    [Theory]
    [InlineData("../outside", null, "climbs out of its folder")]
    [InlineData("opt/quill", "0000", "is not what its list says")]
    public async Task A_capture_that_was_tampered_with_makes_no_draft(string path, string? sha256, string says)
    {
        var capture = Capture((path, "x", "644", null, null));
        if (sha256 is not null)
        {
            capture = Capture([(path, "x", "644", null, null)], sha256);
        }

        var (status, body) = await Drop("quill.capture.zip", capture);
        Assert.Equal((HttpStatusCode.UnprocessableEntity, true), (status, body.Contains(says)));
        (status, body) = await Drop("quill.capture.zip", Encoding.ASCII.GetBytes("PK no archive"));
        Assert.Equal((HttpStatusCode.UnprocessableEntity, true), (status, body.Contains("no capture")));
    }

    private static byte[] Capture(params (string Path, string Text, string Mode, string? Owner, string? LeftOut)[] files) => Capture(files, null);

    private static byte[] Capture((string Path, string Text, string Mode, string? Owner, string? LeftOut)[] files, string? sha256)
    {
        using var stream = new MemoryStream();
        using (var archive = new ZipArchive(stream, ZipArchiveMode.Create, leaveOpen: true))
        {
            var found = files.Select(file => new CapturedInfo(
                file.Path, "file", file.Text.Length, file.Mode, null,
                file.LeftOut == "noise" ? null : sha256 ?? Convert.ToHexStringLower(SHA256.HashData(Encoding.UTF8.GetBytes(file.Text))), file.LeftOut,
                file.Owner))
                .Append(new CapturedInfo("quill", "user", 0, "", "/var/lib/quill:/bin/false", null, null, "quill")).ToList();
            Put("captured.json", JsonSerializer.Serialize(new CaptureAnswer(0, found, Facts), ContractJson.Default.CaptureAnswer));
            foreach (var file in files.Where(file => file.LeftOut != "noise"))
            {
                Put($"payload/{file.Path}", file.Text);
            }

            void Put(string name, string text)
            {
                using var entry = archive.CreateEntry(name).Open();
                entry.Write(Encoding.UTF8.GetBytes(text));
            }
        }

        return stream.ToArray();
    }

    private async Task<BenchDraft> Dropped(string name, byte[] content)
    {
        var (status, body) = await Drop(name, content);
        Assert.True(status == HttpStatusCode.OK, body);
        return await one.Site.Admin.Get($"/api/v1/bench/{_last}", ContractJson.Default.BenchDraft);
    }

    private string _last = "";

    private async Task<(HttpStatusCode Status, string Body)> Drop(string name, byte[] content)
    {
        var (_, begun) = await one.Site.Admin.Send(HttpMethod.Post, "/api/v1/bench");
        _last = JsonSerializer.Deserialize(begun, ContractJson.Default.BenchDraftInfo)!.Id;
        using var request = new HttpRequestMessage(
            HttpMethod.Patch,
            $"/api/v1/bench/{_last}/files?path={Uri.EscapeDataString(name)}&size={content.Length}") { Content = new ByteArrayContent(content) };
        request.Headers.Add("Upload-Offset", "0");
        using var answer = await one.Site.Admin.Http.SendAsync(request);
        return (answer.StatusCode, await answer.Content.ReadAsStringAsync());
    }

    private async Task<BenchDraft> Take(string id, params string[] paths)
    {
        var (status, body) = await one.Site.Admin.Send(HttpMethod.Put, $"/api/v1/bench/{id}/capture", JsonSerializer.Serialize(
            new BenchCaptureRequest(paths), ContractJson.Default.BenchCaptureRequest));
        Assert.True(status == HttpStatusCode.OK, body);
        return JsonSerializer.Deserialize(body, ContractJson.Default.BenchDraft)!;
    }
}
