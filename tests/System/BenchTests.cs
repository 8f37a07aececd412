using System.Net;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Contract.Device;
using Bandejo.Kit;
using Microsoft.IdentityModel.Tokens;
using Xunit;

namespace Bandejo.System.Tests;

/// <summary>The bench of the service: a dropped file becomes a draft, is tried, and is taken in signed by whoever built it.</summary>
public sealed class BenchTests(OneSite one) : IClassFixture<OneSite>
{
    private static string Deb => Path.Combine(Programs.Root(), "demo/installers/inkwell-print_4.3.0_amd64.deb");

    [Fact]
    public async Task A_dropped_file_is_drafted_edited_and_built_and_no_kill_loses_any_of_it()
    {
        await using var site = await Site.StartApart();
        await site.Device("ALD-DESK-001", facts: "kind: desk\nsite: ALD");
        await site.Device("ALD-KIOSK-001", facts: "kind: kiosk\nsite: ALD");
        var content = await File.ReadAllBytesAsync(Deb, TestContext.Current.CancellationToken);
        var id = (await Post<BenchDraftInfo>(site, "/api/v1/bench", null)).Id;

        Assert.Equal(500, (await Piece(site, id, "inkwell.deb", content, 0, 500)).Arrived);
        await site.Process.Kill();
        await site.Service.Start();
        // A piece whose answer was lost is sent again.
        await Piece(site, id, "inkwell.deb", content, 500, 200);
        await Piece(site, id, "inkwell.deb", content, 500, 200);
        var file = await Piece(site, id, "inkwell.deb", content, 700, content.Length - 700);
        Assert.Equal("Debian package", file.Inspection!.Kind);
        Assert.Equal(Convert.ToHexStringLower(SHA256.HashData(content)), file.Sha256);

        var draft = await Get(site, id);
        Assert.Equal("inkwell-print 4.3.0", draft.Draft.Name);
        Assert.Contains("app: inkwell-print", draft.Manifest);
        Assert.NotNull(draft.Check!.Document);
        var edited = await Write(site, id, draft.Manifest.Replace(
            "fits: os.family is \"debian\" and architecture is \"x64\"", "fits: kind is \"desk\"", StringComparison.Ordinal));
        Assert.Equal((1, 2), (edited.Check!.FitsDevices, edited.Check.AllDevices));
        var reason = Assert.Single(edited.Check.NotFor!);
        Assert.Equal((1, "ALD-KIOSK-001"), (reason.Count, Assert.Single(reason.Sample)));

        await site.Process.Kill();
        await site.Service.Start();
        Assert.Contains("kind is \"desk\"", (await Get(site, id)).Manifest);

        using var key = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        var built = await Build(site, id, await Get(site, id), key, isKnown: true);
        Assert.Equal((HttpStatusCode.Created, "inkwell-print"), (built.Status, JsonSerializer.Deserialize(built.Body, ContractJson.Default.PackageInfo)!.App));
        Assert.Contains("inkwell-print", await site.Must("package", "show", "inkwell-print 4.3.0"));
        await site.Must("package", "release", "inkwell-print 4.3.0", "--reason", "for the test");
        Assert.Equal(HttpStatusCode.OK, (await Build(site, id, await Get(site, id), key, isKnown: true)).Status);

        Assert.Equal(HttpStatusCode.NoContent, (await site.Admin.Send(HttpMethod.Delete, $"/api/v1/bench/{id}")).Status);
        Assert.Equal(HttpStatusCode.NotFound, (await site.Admin.Send(HttpMethod.Get, $"/api/v1/bench/{id}")).Status);
        Assert.Contains("inkwell-print", await site.Must("package", "show", "inkwell-print 4.3.0"));
    }

    [Fact]
    public async Task What_somebody_wrote_is_not_drafted_over_and_what_nobody_touched_follows_the_files()
    {
        await using var site = await Site.Start();
        var content = await File.ReadAllBytesAsync(Deb, TestContext.Current.CancellationToken);
        var id = (await Post<BenchDraftInfo>(site, "/api/v1/bench", null)).Id;
        await Piece(site, id, "notes.txt", "nothing of an installer"u8.ToArray(), 0);
        Assert.Contains("everything must be filled in", (await Get(site, id)).Manifest);
        Assert.Null((await Get(site, id)).Check!.Document);

        await Piece(site, id, "inkwell.deb", content, 0);
        var draft = await Get(site, id);
        Assert.Contains("app: inkwell-print", draft.Manifest);
        Assert.Contains(draft.Check!.Findings, finding => finding.IsWarning && finding.Message.Contains(
            "'notes.txt' lies in the folder", StringComparison.Ordinal));

        await Write(site, id, draft.Manifest + "\n# looked through\n");
        await Piece(site, id, "more.txt", "x"u8.ToArray(), 0);
        Assert.EndsWith("# looked through\n", (await Get(site, id)).Manifest);
        Assert.Equal(HttpStatusCode.OK, (await site.Admin.Send(HttpMethod.Delete, $"/api/v1/bench/{id}/files?path=notes.txt")).Status);
        Assert.Equal(["inkwell.deb", "more.txt"], (await Get(site, id)).Files.Select(file => file.Path));
    }

    [Fact]
    public async Task Only_what_was_signed_is_built_and_only_by_a_key_of_somebody_who_may()
    {
        await using var site = await Site.Start();
        var content = await File.ReadAllBytesAsync(Deb, TestContext.Current.CancellationToken);
        var id = (await Post<BenchDraftInfo>(site, "/api/v1/bench", null)).Id;
        await Piece(site, id, "inkwell.deb", content, 0);
        var draft = await Get(site, id);
        using var key = ECDsa.Create(ECCurve.NamedCurves.nistP256);

        Assert.Equal(HttpStatusCode.Forbidden, (await Build(site, id, draft, key, isKnown: false)).Status);
        await Write(site, id, draft.Manifest.Replace("limit: 30m", "limit: 20m", StringComparison.Ordinal));
        var stale = await Build(site, id, draft, key, isKnown: true);
        Assert.Equal(HttpStatusCode.PreconditionFailed, stale.Status);
        Assert.Contains("changed since it was signed", stale.Body);
        await Write(site, id, "app: [");
        Assert.Equal(HttpStatusCode.Conflict, (await Build(site, id, draft, key, isKnown: true)).Status);
        Assert.Equal("[]", JsonDocument.Parse(await site.Admin.Http.GetStringAsync("/api/v1/packages?limit=10")).RootElement.GetProperty("items").GetRawText());
    }

    [Fact]
    public async Task What_nobody_goes_on_with_is_cleared_away_while_it_runs_and_there_is_room_for_so_much_of_one_person()
    {
        await using var site = await Site.Start("--unfinished-gib-of-one", "1");
        var old = (await Post<BenchDraftInfo>(site, "/api/v1/bench", null)).Id;
        var young = (await Post<BenchDraftInfo>(site, "/api/v1/bench", null)).Id;
        var data = Path.Combine(site.Service.Folder, "data");
        foreach (var file in Directory.EnumerateFiles(Path.Combine(data, "bench", old), "*", SearchOption.AllDirectories))
        {
            File.SetLastWriteTimeUtc(file, File.GetLastWriteTimeUtc(file).AddDays(-61));
        }

        var upload = await Begin(1000, '1');
        Assert.Equal(HttpStatusCode.OK, upload.Status);
        var begun = Directory.EnumerateFiles(Path.Combine(data, "files"), "*", SearchOption.AllDirectories)
            .Concat(Directory.EnumerateFiles(data, "*", SearchOption.AllDirectories))
            .First(file => Path.GetFileName(file) == JsonSerializer.Deserialize(upload.Body, ContractJson.Default.UploadInfo)!.Id);
        File.SetLastWriteTimeUtc(begun, File.GetLastWriteTimeUtc(begun).AddDays(-8));

        var refused = await Begin(2L << 30, '2');
        Assert.Equal(HttpStatusCode.RequestEntityTooLarge, refused.Status);
        Assert.Contains("there is room for 1 GiB of one person", refused.Body);
        Assert.Contains(
            "there is room for 1 GiB of one person",
            (await site.Admin.Send(HttpMethod.Patch, $"/api/v1/bench/{young}/files?path=a&size={2L << 30}", "x", ("Upload-Offset", "0"))).Body);

        await site.Admin.Until(
            async () => (await site.Must("journal", "--topic", "audit")).Contains("since nobody had gone on with it for long", StringComparison.Ordinal),
            "the old draft was cleared away");
        Assert.Equal([young], (await site.Admin.Get("/api/v1/bench", ContractJson.Default.IReadOnlyListBenchDraftInfo)).Select(draft => draft.Id));
        Assert.False(File.Exists(begun));

        Task<(HttpStatusCode Status, string Body)> Begin(long size, char digit) =>
            site.Admin.Send(HttpMethod.Post, "/api/v1/uploads", JsonSerializer.Serialize(
                new UploadRequest(new string(digit, 64), size), ContractJson.Default.UploadRequest));
    }

    [Fact]
    public async Task Files_made_to_keep_readers_busy_keep_no_check_in_waiting()
    {
        await using var site = await Site.StartApart();
        var content = await File.ReadAllBytesAsync(
            Path.Combine(Programs.Root(), "tests/Core/Cases/exhausting/long.tar.bz2"), TestContext.Current.CancellationToken);
        using var device = new DeviceClient(site.Service.Address);
        await device.Join(
            (
                await site.Admin.Post(
                    "/api/v1/join-codes", new JoinCodeRequest(Site.Enrolled), ContractJson.Default.JoinCodeRequest, ContractJson.Default.JoinCodeInfo)).Code!);
        var pieces = new List<Task<BenchFileInfo>>();
        for (var i = 0; i < 3; i++)
        {
            pieces.Add(Piece(site, (await Post<BenchDraftInfo>(site, "/api/v1/bench", null)).Id, "long.tar.bz2", content, 0));
        }

        // All of them are at it or wait for their turn; devices and people are answered all the same.
        for (var i = 0; i < 5; i++)
        {
            await device.CheckIn(i + 1);
            Assert.Equal(HttpStatusCode.OK, (await site.Admin.Send(HttpMethod.Get, "/api/v1/today")).Status);
        }

        Assert.Contains(pieces, piece => !piece.IsCompleted);
        var read = await Task.WhenAny(pieces);
        Assert.False((await read).Inspection!.Contents!.IsWhole);

        // A service that is told to stop does not read on.
        await site.Process.Stop();
        await Assert.ThrowsAnyAsync<Exception>(() => Task.WhenAll(pieces));
    }

    [Theory]
    [InlineData("path=../out&size=1", "0", HttpStatusCode.UnprocessableEntity, "'../out'")]
    [InlineData("path=%2Fetc%2Fpasswd&size=1", "0", HttpStatusCode.UnprocessableEntity, "'/etc/passwd'")]
    [InlineData("path=package.yaml&size=1", "0", HttpStatusCode.UnprocessableEntity, "is not a file of it")]
    [InlineData("path=a&size=1", "7", HttpStatusCode.Conflict, "stands at 0, not at 7")]
    [InlineData("path=a&size=1", "soon", HttpStatusCode.UnprocessableEntity, "Upload-Offset")]
    [InlineData("path=a&size=0", "0", HttpStatusCode.RequestEntityTooLarge, "announced")]
    [InlineData("path=a&size=99999999999999", "0", HttpStatusCode.RequestEntityTooLarge, "at most 1000 files")]
    [InlineData("path=a&size=big", "0", HttpStatusCode.BadRequest, "'big' is not a whole number for 'size'")]
    [InlineData("path=a&size=-5", "0", HttpStatusCode.RequestEntityTooLarge, "at most 1000 files")]
    public async Task What_cannot_be_a_file_of_a_draft_is_refused_in_words(string query, string offset, HttpStatusCode status, string says)
    {
        var site = one.Site;
        var id = (await Post<BenchDraftInfo>(site, "/api/v1/bench", null)).Id;

        var answer = await site.Admin.Send(HttpMethod.Patch, $"/api/v1/bench/{id}/files?{query}", "x", ("Upload-Offset", offset));

        Assert.Equal(status, answer.Status);
        Assert.Contains(says, answer.Body);
        Assert.Equal(
            HttpStatusCode.NotFound,
            (await site.Admin.Send(HttpMethod.Patch, "/api/v1/bench/..%2F..%2Fbandejo/files?path=a&size=1", "x", ("Upload-Offset", "0"))).Status);
    }

    [Fact]
    public async Task A_draft_is_tried_by_the_service_where_it_may_and_the_result_goes_with_what_is_built()
    {
        await using var site = await Site.StartApart("--trials", "on");
        var id = (await Post<BenchDraftInfo>(site, "/api/v1/bench", null)).Id;
        await Piece(site, id, "inkwell.deb", await File.ReadAllBytesAsync(Deb, TestContext.Current.CancellationToken), 0);

        Assert.Equal(HttpStatusCode.Accepted, (await site.Admin.Send(HttpMethod.Post, $"/api/v1/bench/{id}/trial")).Status);
        Assert.Contains("one at a time", (await site.Admin.Send(HttpMethod.Post, $"/api/v1/bench/{id}/trial")).Body);
        using var limit = new CancellationTokenSource(TimeSpan.FromSeconds(240));
        using var pace = new PeriodicTimer(TimeSpan.FromMilliseconds(100));
        while ((await Get(site, id)).Trial!.IsRunning)
        {
            await pace.WaitForNextTickAsync(limit.Token);
        }

        var tried = await Get(site, id);
        Assert.True(tried.Trial is { HasPassed: true, IsOfThis: true, Problem: null }, JsonSerializer.Serialize(tried.Trial));
        Assert.Equal(["clean", "install", "in place", "launch", "again", "remove", "leftovers"], tried.Trial.Steps.Select(step => step.Name));
        using var key = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        await Build(site, id, tried, key, isKnown: true);
        Assert.Contains("is tried", await site.Must("package", "show", "inkwell-print 4.3.0"));

        await Write(site, id, tried.Manifest + "\nsummary: other\n".Replace("summary", "category", StringComparison.Ordinal));
        Assert.False((await Get(site, id)).Trial!.IsOfThis);
    }

    [Fact]
    public async Task A_service_that_tries_nothing_says_so()
    {
        await using var site = await Site.Start();
        var id = (await Post<BenchDraftInfo>(site, "/api/v1/bench", null)).Id;

        Assert.Contains("--trials on", (await Get(site, id)).NoTrials);
        var (status, body) = await site.Admin.Send(HttpMethod.Post, $"/api/v1/bench/{id}/trial");
        Assert.Equal(HttpStatusCode.Conflict, status);
        Assert.Contains("--trials on", body);
    }

    [Fact]
    public async Task A_new_installer_keeps_the_choices_of_the_package_before_and_what_changed_is_said()
    {
        await using var site = await Site.Start();
        var id = (await Post<BenchDraftInfo>(site, "/api/v1/bench", null)).Id;
        await Piece(site, id, "inkwell-print_4.3.0_amd64.deb", await File.ReadAllBytesAsync(Deb, TestContext.Current.CancellationToken), 0);
        var first = await Get(site, id);
        Assert.Empty(first.Earlier);
        await Piece(site, id, "licence.txt", "for the county"u8.ToArray(), 0);
        await Write(
            site, id,
            first.Manifest.Replace("fits: os.family is \"debian\" and architecture is \"x64\"", "fits: kind is \"desk\"", StringComparison.Ordinal)
                .Replace("files: [", "files: [licence.txt, ", StringComparison.Ordinal));
        using var key = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        Assert.Equal(HttpStatusCode.Created, (await Build(site, id, await Get(site, id), key, isKnown: true)).Status);

        var next = (await Post<BenchDraftInfo>(site, "/api/v1/bench", null)).Id;
        await Piece(
            site, next, "inkwell-print_4.4.0_amd64.deb",
            await File.ReadAllBytesAsync(Deb.Replace("4.3.0", "4.4.0", StringComparison.Ordinal), TestContext.Current.CancellationToken), 0);
        Assert.Equal("4.3.0", Assert.Single((await Get(site, next)).Earlier).Version);
        var kept = await Post<BenchDraft>(site, $"/api/v1/bench/{next}/after", """{"package":"inkwell-print 4.3.0"}""");

        Assert.Contains("fits: kind is \"desk\"\n", kept.Manifest);
        Assert.Contains("version: 4.4.0", kept.Manifest);
        Assert.DoesNotContain("4.3.0_amd64", kept.Manifest.Split('\n', 2)[1]);
        Assert.Equal(["inkwell-print_4.4.0_amd64.deb", "licence.txt"], kept.Files.Select(file => file.Path));
        Assert.NotNull(kept.Check!.Document);
        Assert.Contains(kept.After!.Changes, change => change is { What: "version", Before: "4.3.0", After: "4.4.0" });
        Assert.Contains(kept.After.Changes, change => change.What == "other installers" && change.Look.Length > 0);

        // Another file does not draft it anew over what was kept.
        await Piece(site, next, "notes.txt", "x"u8.ToArray(), 0);
        Assert.Equal(kept.Manifest, (await Get(site, next)).Manifest);
        Assert.Equal(HttpStatusCode.Created, (await Build(site, next, await Get(site, next), key, isKnown: true)).Status);
        Assert.Contains("4.4.0", await site.Must("package", "compare", "inkwell-print 4.3.0", "inkwell-print 4.4.0"));
    }

    [Fact]
    public async Task Choices_are_kept_only_of_a_package_with_an_installer_that_the_new_one_takes_the_place_of()
    {
        await using var site = await Site.Start();
        await site.Package("quill", "1.0", "mkdir -p \"$T\"");
        await site.Package("inkwell-print", "4.2.0", "mkdir -p \"$T\"");
        var id = (await Post<BenchDraftInfo>(site, "/api/v1/bench", null)).Id;
        await Refused(HttpStatusCode.Conflict, "has no installer yet");
        await Piece(site, id, "inkwell.deb", await File.ReadAllBytesAsync(Deb, TestContext.Current.CancellationToken), 0);
        await Refused(HttpStatusCode.Conflict, "holds no Debian package that inkwell.deb could take the place of");
        var draft = await Get(site, id);
        Assert.Contains("# Drafted from inkwell.deb.", draft.Manifest);

        // One that holds no such installer is not offered.
        Assert.Empty(draft.Earlier);
        var (status, _) = await site.Admin.Send(HttpMethod.Post, $"/api/v1/bench/{id}/after", """{"package":"nothing 1.0"}""");
        Assert.Equal(HttpStatusCode.NotFound, status);

        async Task Refused(HttpStatusCode expected, string words)
        {
            var (code, body) = await site.Admin.Send(HttpMethod.Post, $"/api/v1/bench/{id}/after", """{"package":"quill 1.0"}""");
            Assert.Equal(expected, code);
            Assert.Contains(words, body);
        }
    }

    [Fact]
    public async Task What_an_archive_brings_along_becomes_a_draft_of_its_own()
    {
        await using var site = await Site.Start();
        var id = (await Post<BenchDraftInfo>(site, "/api/v1/bench", null)).Id;
        await Piece(
            site, id, "circdesk.tar.gz",
            await File.ReadAllBytesAsync(Path.Combine(Programs.Root(), "demo/installers/circdesk-3.9.2.tar.gz"), TestContext.Current.CancellationToken), 0);
        Assert.True(Assert.Single((await Get(site, id)).Files[0].Inspection!.Nested).CanBeTaken);

        var taken = await Post<BenchDraftInfo>(
            site, $"/api/v1/bench/{id}/inside", """{"file":"circdesk.tar.gz","path":"needed/marlin-runtime_2.4.1_amd64.deb"}""");

        var draft = await Get(site, taken.Id);
        Assert.Equal(("marlin-runtime 2.4.1", "Debian package"), (draft.Draft.Name, draft.Files[0].Inspection!.Kind));
        Assert.NotNull(draft.Check!.Document);
        var (status, body) = await site.Admin.Send(HttpMethod.Post, $"/api/v1/bench/{id}/inside", """{"file":"circdesk.tar.gz","path":"circdesk/VERSION"}""");
        Assert.Equal(HttpStatusCode.UnprocessableEntity, status);
        Assert.Contains("holds no installer 'circdesk/VERSION'", body);
        Assert.Equal(2, JsonDocument.Parse(await site.Admin.Http.GetStringAsync("/api/v1/bench")).RootElement.GetArrayLength());
    }

    private static Task<BenchDraft> Get(Site site, string id) => site.Admin.Get($"/api/v1/bench/{id}", ContractJson.Default.BenchDraft);

    private static async Task<T> Post<T>(Site site, string path, string? json)
    {
        var (status, body) = await site.Admin.Send(HttpMethod.Post, path, json);
        Assert.True((int)status < 300, body);
        return JsonSerializer.Deserialize<T>(body, ContractJson.Default.Options)!;
    }

    private static async Task<BenchDraft> Write(Site site, string id, string manifest)
    {
        var (status, body) = await site.Admin.Send(HttpMethod.Put, $"/api/v1/bench/{id}/manifest", JsonSerializer.Serialize(
            new BenchManifestRequest(manifest), ContractJson.Default.BenchManifestRequest));
        Assert.True(status == HttpStatusCode.OK, body);
        return JsonSerializer.Deserialize(body, ContractJson.Default.BenchDraft)!;
    }

    private static async Task<BenchFileInfo> Piece(Site site, string id, string path, byte[] content, int offset, int? length = null)
    {
        using var request = new HttpRequestMessage(
            HttpMethod.Patch,
            $"/api/v1/bench/{id}/files?path={path}&size={content.Length}")
            { Content = new ByteArrayContent(content, offset, length ?? content.Length - offset) };
        request.Headers.Add("Upload-Offset", $"{offset}");
        using var response = await site.Admin.Http.SendAsync(request);
        var body = await response.Content.ReadAsStringAsync();
        Assert.True(response.IsSuccessStatusCode, body);
        return JsonSerializer.Deserialize<BenchFileInfo>(body, ContractJson.Default.Options)!;
    }

    /// <summary>Signs a draft's document as it was seen, and asks for it to be built.</summary>
    private static async Task<(HttpStatusCode Status, string Body)> Build(Site site, string id, BenchDraft seen, ECDsa key, bool isKnown)
    {
        var point = key.ExportParameters(includePrivateParameters: false).Q;
        var (x, y) = (Base64UrlEncoder.Encode(point.X), Base64UrlEncoder.Encode(point.Y));
        if (isKnown)
        {
            await site.Admin.RegisterKey(key);
        }

        var digest = Convert.ToHexStringLower(SHA256.HashData(Encoding.UTF8.GetBytes(seen.Check!.Document!)));
        var thumbprint = Base64UrlEncoder.Encode(SHA256.HashData(Encoding.ASCII.GetBytes($$"""{"crv":"P-256","kty":"EC","x":"{{x}}","y":"{{y}}"}""")));
        var text = $"{Base64UrlEncoder.Encode($$"""{"alg":"ES256","kid":"{{thumbprint}}","typ":"JWT"}""")}.{Base64UrlEncoder.Encode(JsonSerializer.Serialize(new { digest, app = seen.Check.App, version = seen.Check.Version }))}";
        var signature = $"{text}.{Base64UrlEncoder.Encode(key.SignData(Encoding.ASCII.GetBytes(text), HashAlgorithmName.SHA256))}";
        return await site.Admin.Send(HttpMethod.Post, $"/api/v1/bench/{id}/build", JsonSerializer.Serialize(
            new BenchBuildRequest(digest, signature), ContractJson.Default.BenchBuildRequest));
    }
}
