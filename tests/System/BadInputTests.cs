using System.IO.Compression;
using System.Net;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Contract.Device;
using Bandejo.Device;
using Bandejo.Kit;
using Xunit;

namespace Bandejo.System.Tests;

/// <summary>What is broken, forged or hostile is refused with what and where, and changes nothing.</summary>
public sealed class BadInputTests(OneSite one) : IClassFixture<OneSite>
{
    private const string Put = "mkdir -p \"$T\" && echo \"$BANDEJO_VERSION\" > \"$T/VERSION\"";

    [Fact]
    public async Task A_package_file_that_was_cut_changed_or_signed_by_others_is_refused_and_nothing_is_kept()
    {
        await using var site = await Site.Start();
        var saved = Path.Combine(site.Service.Folder, "good.zip");
        await site.Must("package", "build", site.WriteFolder("foldline", "7.2.0", Put), "--save", saved);
        var good = await File.ReadAllBytesAsync(saved);
        var listed = await site.Must("package", "list", "-o", "csv");
        var kept = Directory.GetFiles(Path.Combine(site.Service.Folder, "data/files"), "*", SearchOption.AllDirectories).Order().ToList();

        Assert.Contains("not a whole package file", await Refused(site, good[..(good.Length / 2)]));
        Assert.Contains("not a whole package file", await Refused(site, "no zip at all"u8.ToArray()));
        Assert.Contains("does not fit the package file", await Refused(site, Rewritten(good, "package.json", text => text.Replace("7.2.0", "7.2.1"))));
        Assert.Contains("cannot be read", await Refused(site, Rewritten(good, "package.jws", _ => "not.a.signature")));
        Assert.Contains("belongs to no account", await Refused(site, Rewritten(good, "package.jws", text => OtherKey(text))));
        Assert.Contains("no place in a package file", await Refused(site, Added(good, "../../../etc/cron.d/evil", [1])));
        Assert.Contains("does not name", await Refused(site, Added(good, "files/" + new string('a', 64), [1])));

        await site.Service.Logs("Refused", "/api/v1/packages", "root-admin", "no place in a package file");
        Assert.Equal(listed, await site.Must("package", "list", "-o", "csv"));
        Assert.Equal(kept, Directory.GetFiles(Path.Combine(site.Service.Folder, "data/files"), "*", SearchOption.AllDirectories).Order());
    }

    [Fact]
    public async Task Every_single_bit_of_a_package_file_matters_or_changes_nothing()
    {
        await using var site = await Site.Start();
        var saved = Path.Combine(site.Service.Folder, "good.zip");
        await site.Must("package", "build", site.WriteFolder("foldline", "7.2.0", Put), "--save", saved);
        var good = await File.ReadAllBytesAsync(saved);
        var digest = (await site.Admin.Get("/api/v1/packages", ContractJson.Default.PagePackageInfo)).Items[0].Digest;
        var random = new Random(7);
        for (var i = 0; i < 60; i++)
        {
            var changed = good.ToArray();
            changed[random.Next(changed.Length)] ^= (byte)(1 << random.Next(8));
            var (status, body) = await Upload(site, changed);

            // A bit in a date or attribute of the archive changes no content; then it is the package that is there already.
            Assert.True(status == HttpStatusCode.OK ? body.Contains(digest) : (int)status is >= 400 and < 500, $"{status} {body}");
        }

        Assert.Single((await site.Admin.Get("/api/v1/packages", ContractJson.Default.PagePackageInfo)).Items);
    }

    [Fact]
    public async Task The_same_content_is_recognised_and_other_content_of_the_same_version_is_shown_the_way_out()
    {
        await using var site = await Site.Start();
        var folder = site.WriteFolder("foldline", "7.2.0", Put);
        await site.Must("package", "build", folder);
        Assert.Contains("is there already", await site.Must("package", "build", folder));
        var other = await site.Run("package", "build", site.WriteFolder("foldline", "7.2.0", Put + " # mended"));
        Assert.Equal(3, other.Code);
        Assert.Contains("Give this one the version 7.2.0+2", other.Errors);
        await site.Must("package", "build", site.WriteFolder("foldline", "7.2.0+2", Put + " # mended"));
    }

    [Fact]
    public async Task An_upload_goes_on_after_the_service_was_killed()
    {
        await using var site = await Site.StartApart();
        var saved = Path.Combine(site.Service.Folder, "good.zip");
        await site.Must("package", "build", site.WriteFolder("foldline", "7.2.0", Put), "--save", saved);
        var good = Added(await File.ReadAllBytesAsync(saved), "files/" + new string('b', 64), RandomNumberGenerator.GetBytes(1000));
        var upload = await Begin(site, good);
        Assert.Equal(HttpStatusCode.OK, (await Piece(site, upload.Id, 0, good[..500])).Status);
        await site.Process.Kill();
        await site.Service.Start();
        Assert.Equal(500, (await Begin(site, good)).Offset);
        Assert.Equal(HttpStatusCode.Conflict, (await Piece(site, upload.Id, 0, good[..500])).Status);
        Assert.Equal(HttpStatusCode.Conflict, (await site.Admin.Send(HttpMethod.Post, "/api/v1/packages", $$"""{"upload":"{{upload.Id}}"}""")).Status);
        Assert.Equal(HttpStatusCode.OK, (await Piece(site, upload.Id, 500, good[500..])).Status);
        Assert.Equal(HttpStatusCode.RequestEntityTooLarge, (await Piece(site, upload.Id, good.Length, [1])).Status);
    }

    [Theory]
    [InlineData("POST", "/api/v1/groups", "{\"slug\":", HttpStatusCode.BadRequest, "line 1")]
    [InlineData("POST", "/api/v1/groups", "{\"slug\":\"a\"}", HttpStatusCode.BadRequest, "name")]
    [InlineData("POST", "/api/v1/groups", "{\"slug\":\"a\",\"name\":\"A\",\"colour\":1}", HttpStatusCode.BadRequest, "colour")]
    [InlineData("POST", "/api/v1/groups", "{\"slug\":null,\"name\":\"A\"}", HttpStatusCode.BadRequest, "slug")]
    [InlineData("POST", "/api/v1/groups", "{\"slug\":\"No Good\",\"name\":\"A\"}", HttpStatusCode.UnprocessableEntity, "no-good")]
    [InlineData(
        "POST", "/api/v1/groups", "{\"slug\":\"a\",\"name\":\"A\",\"rule\":\"memry > 1 GiB\"}", HttpStatusCode.UnprocessableEntity, "Did you mean 'memory'")]
    [InlineData("POST", "/api/v1/deployments", "{\"package\":\"foldine\",\"groups\":[\"all\"],\"waves\":[]}", HttpStatusCode.NotFound, "foldine")]
    [InlineData("POST", "/api/v1/join-codes", "{\"uses\":0}", HttpStatusCode.UnprocessableEntity, "1 to 10,000")]
    [InlineData("POST", "/api/v1/join-codes", "[]", HttpStatusCode.BadRequest, "not the JSON")]
    [InlineData("POST", "/api/v1/uploads", "{\"sha256\":\"zz\",\"size\":5}", HttpStatusCode.UnprocessableEntity, "64 hexadecimal digits")]
    [InlineData("POST", "/api/v1/uploads", "{\"sha256\":\"../../x\",\"size\":\"big\"}", HttpStatusCode.BadRequest, "size")]
    [InlineData("GET", "/api/v1/devices?limit=many", null, HttpStatusCode.BadRequest, "'many' is not a whole number for 'limit'")]
    [InlineData("GET", "/api/v1/deployments?all=perhaps", null, HttpStatusCode.BadRequest, "'perhaps' is not true or false for 'all'")]
    [InlineData(
        "GET", "/api/v1/deployments/D1/targets?limit=5&skip=99999999999", null, HttpStatusCode.BadRequest, "'99999999999' is not a whole number for 'skip'")]
    [InlineData("GET", "/api/v1/journal?limit=few", null, HttpStatusCode.BadRequest, "'few' is not a whole number for 'limit'")]
    [InlineData("GET", "/api/v1/devices?filter=kind%20is", null, HttpStatusCode.UnprocessableEntity, "read as a rule")]
    [InlineData("GET", "/api/v1/devices?filter=memory%20%3E%20%22x%22", null, HttpStatusCode.UnprocessableEntity, "a number with a unit")]
    [InlineData("GET", "/api/v1/nothing", null, HttpStatusCode.NotFound, "nothing at /api/v1/nothing")]
    [InlineData("GET", "/api/v1/journal?cursor=x", null, HttpStatusCode.UnprocessableEntity, "cursor")]
    [InlineData("GET", "/api/v1/attempts/..%2f..%2fetc/log", null, HttpStatusCode.NotFound, "no log")]
    [InlineData("PATCH", "/api/v1/uploads/none", "{}", HttpStatusCode.UnprocessableEntity, "Upload-Offset")]
    public async Task A_broken_request_is_refused_with_a_problem_that_says_what(string method, string path, string? body, HttpStatusCode expected, string words)
    {
        var site = one.Site;
        var before = await site.Must("group", "list", "-o", "json");
        var (status, answer) = await site.Admin.Send(new HttpMethod(method), path, body);
        Assert.True(status == expected && answer.Contains(words), $"{status} {answer}");
        Assert.DoesNotContain("   at ", answer);
        Assert.Equal(before, await site.Must("group", "list", "-o", "json"));
    }

    [Fact]
    public async Task A_join_code_is_good_as_often_as_it_says_and_a_repeated_join_costs_nothing()
    {
        await using var site = await Site.Start();
        var code = (
            await site.Admin.Post("/api/v1/join-codes", new JoinCodeRequest(), ContractJson.Default.JoinCodeRequest, ContractJson.Default.JoinCodeInfo)).Code!;
        using var first = new DeviceClient(site.Service.Address);
        using var second = new DeviceClient(site.Service.Address);
        Assert.Equal(410, (await Assert.ThrowsAsync<LinkException>(() => first.Join("AAAA-BBBB-CCCC-DDDD"))).Status);
        var joined = await first.Join(code.ToLowerInvariant());
        Assert.Equal(joined.DeviceId, (await first.Join(code)).DeviceId);
        var used = await Assert.ThrowsAsync<LinkException>(() => second.Join(code));
        Assert.Contains("used up", used.Message);
        var bad = second.JoinRequest(code) with { Key = new PublicKeyInfo("", "AAAA", "AAAA") };
        Assert.Contains("P-256", (await Assert.ThrowsAsync<LinkException>(() => second.Link.Join(bad, default))).Message);
        Assert.Single((await site.Admin.Get("/api/v1/devices", ContractJson.Default.PageDeviceInfo)).Items);
        await site.Service.Logs("Refused", "/device/v1/join", "used up");
    }

    [Fact]
    public async Task Forged_and_replayed_words_of_devices_are_refused()
    {
        await using var site = await Site.Start();
        using var device = await Joined(site, "FAKE-01");
        using var other = await Joined(site, "FAKE-02");
        using var http = new HttpClient { BaseAddress = new Uri(site.Service.Address) };
        var soon = TimeProvider.System.GetUtcNow().AddMinutes(2);

        Assert.Equal(HttpStatusCode.OK, await Token(device.Assertion(soon)));
        Assert.Equal(HttpStatusCode.Unauthorized, await Token(device.Assertion(soon)));
        Assert.Equal(HttpStatusCode.Unauthorized, await Token(device.Assertion(soon, issuer: other.Id, id: "two")));
        Assert.Equal(HttpStatusCode.Unauthorized, await Token(device.Assertion(soon, audience: "another-service", id: "three")));
        Assert.Equal(HttpStatusCode.Unauthorized, await Token(device.Assertion(soon.AddMinutes(-5), id: "four")));
        Assert.Equal(HttpStatusCode.Unauthorized, await Token(device.Assertion(soon.AddDays(1), id: "five")));
        Assert.Equal(HttpStatusCode.Gone, await Token(device.Assertion(soon, issuer: "nobody", id: "six")));
        Assert.Equal(HttpStatusCode.Unauthorized, await Token("a.b.c"));

        await device.CheckIn(10);
        await device.CheckIn(10);
        var stale = await Assert.ThrowsAsync<LinkException>(() => device.CheckIn(9));
        Assert.Equal((412, 10L), (stale.Status, stale.Taken));
        http.DefaultRequestHeaders.Authorization = new("Bearer", "eyJhbGciOiJub25lIn0.eyJzdWIiOiJ4In0.");
        Assert.Equal(
            HttpStatusCode.Unauthorized, (await http.PostAsync("/device/v1/check-in", new StringContent("{}", Encoding.UTF8, "application/json"))).StatusCode);
        using var person = new HttpRequestMessage(HttpMethod.Get, "/api/v1/groups");
        Assert.Equal(HttpStatusCode.Unauthorized, (await http.SendAsync(person)).StatusCode);

        async Task<HttpStatusCode> Token(string assertion) =>
            (
                await http.PostAsync("/device/v1/token", new StringContent(
                    JsonSerializer.Serialize(new DeviceTokenRequest(assertion), ContractJson.Default.DeviceTokenRequest), Encoding.UTF8, "application/json")))
                .StatusCode;
    }

    [Fact]
    public async Task A_result_for_somebody_elses_target_is_refused_and_changes_nothing()
    {
        await using var site = await Site.Start();
        await site.Must("group", "new", "mine");
        using var device = await Joined(site, "FAKE-01");
        using var other = await Joined(site, "FAKE-02");
        await site.Must("group", "member", "add", "--yes", "mine", "FAKE-01");
        await site.Package("foldline", "7.2.0", Put);
        var deployment = await site.Deploy("foldline", "mine");
        var now = TimeProvider.System.GetUtcNow();
        var forged = new AttemptReport("a1", deployment, 0, true, "install", now, now, "done", "prove", 0, "", "", null, null, false);
        var refused = await Assert.ThrowsAsync<LinkException>(() => other.CheckIn(5, [forged]));
        Assert.Contains("FAKE-02 is no target", refused.Message);
        Assert.Contains(
            "FAKE-02 is no target",
            (await Assert.ThrowsAsync<LinkException>(() => other.CheckIn(6, null, [new ProofReport(deployment, 0, "present", "7.2.0", "", now)]))).Message);
        Assert.Equal(422, (await Assert.ThrowsAsync<LinkException>(() => device.CheckIn(7, [forged with { Id = "../x" }]))).Status);
        Assert.Equal(422, (await Assert.ThrowsAsync<LinkException>(() => device.CheckIn(8, [forged with { Outcome = "splendid" }]))).Status);
        Assert.Equal("ready", (await site.Admin.Becomes(deployment, "FAKE-01", "ready")).State);
        Assert.Empty(await site.Admin.Attempts(deployment, "FAKE-01"));
        await site.Service.Logs("Refused", "/device/v1/check-in", other.Id, "FAKE-02 is no target");
        Assert.Equal(403, (await Assert.ThrowsAsync<LinkException>(() => other.Link.SendLog("a1", new MemoryStream([1]), default))).Status);
    }

    [Fact]
    public async Task A_result_that_is_sent_often_is_taken_once()
    {
        await using var site = await Site.Start();
        await site.Must("group", "new", "all", "--rule", "yes");
        using var device = await Joined(site, "FAKE-01");
        await site.Package("foldline", "7.2.0", Put);
        var deployment = await site.Deploy("foldline", "all");
        var now = TimeProvider.System.GetUtcNow();
        var began = new AttemptReport("a1", deployment, 0, false, "install", now, null, null, "fetch", null, "", null, null, null, false);
        var ended = began with
        {
            HasEnded = true, EndedAt = now, Outcome = "failed", ExitCode = 9, Phase = "prove", Message = "The step failed with code 9", Before = "",
        };
        Assert.Equal(["a1/began", "a1/ended", "a1/ended"], (await device.CheckIn(1, [began, ended, ended])).Acknowledged.Order());
        await Task.WhenAll(Enumerable.Range(2, 5).Select(async sequence =>
        {
            try
            {
                await device.CheckIn(sequence, [began, ended]);
            }
            catch (LinkException error) when (error.Status == 412)
            {
                // A later one came first; that is the point of numbering them.
            }
        }));
        var target = await site.Admin.Becomes(deployment, "FAKE-01", "retry");
        Assert.Equal(1, target.Tries);
        Assert.Single(await site.Admin.Attempts(deployment, "FAKE-01"));
    }

    [Fact]
    public async Task What_is_refused_takes_nothing_with_it_of_what_comes_at_the_same_moment()
    {
        const int Pairs = 8, Rounds = 6;
        await using var site = await Site.StartApart();
        await site.Must("group", "new", "mine");
        var mine = new List<DeviceClient>();
        var others = new List<DeviceClient>();
        for (var number = 0; number < Pairs; number++)
        {
            mine.Add(await Joined(site, $"MINE-{number:00}", "mine"));
            others.Add(await Joined(site, $"OTHER-{number:00}"));
        }

        await site.Package("foldline", "7.2.0", Put);
        var deployment = await site.Deploy("foldline", "mine");
        var now = TimeProvider.System.GetUtcNow();
        for (var round = 1; round <= Rounds; round++)
        {
            await Task.WhenAll(Enumerable.Range(0, Pairs).SelectMany(number => new[] { Good(number, round), Bad(number, round) }));
        }

        await site.Process.Kill();
        await site.Service.Start();
        for (var number = 0; number < Pairs; number++)
        {
            Assert.Equal(
                Enumerable.Range(1, Rounds).Select(round => $"mine{number}x{round}"),
                (await site.Admin.Attempts(deployment, $"MINE-{number:00}")).Select(attempt => attempt.Id).Order());
        }

        mine.Concat(others).ToList().ForEach(device => device.Dispose());

        async Task Good(int number, int round) =>
            Assert.Equal([$"mine{number}x{round}/ended"], (await mine[number].CheckIn(round, [Ended($"mine{number}x{round}")])).Acknowledged);

        async Task Bad(int number, int round) =>
            Assert.Equal(403, (await Assert.ThrowsAsync<LinkException>(() => others[number].CheckIn(round, [Ended($"other{number}x{round}")]))).Status);

        AttemptReport Ended(string id) =>
            new(id, deployment, 0, true, "install", now, now, "failed", "prove", 9, "The step failed with code 9", "", null, null, false);
    }

    private static async Task<DeviceClient> Joined(Site site, string name, string group = Site.Enrolled)
    {
        var code = (
            await site.Admin.Post("/api/v1/join-codes", new JoinCodeRequest(group), ContractJson.Default.JoinCodeRequest, ContractJson.Default.JoinCodeInfo))
            .Code!;
        var device = new DeviceClient(site.Service.Address);
        await device.Join(code, name);
        return device;
    }

    private static async Task<string> Refused(Site site, byte[] file)
    {
        var (status, body) = await Upload(site, file);
        Assert.True((int)status is >= 400 and < 500, $"{status} {body}");
        return body;
    }

    private static async Task<(HttpStatusCode Status, string Body)> Upload(Site site, byte[] file)
    {
        var upload = await Begin(site, file);
        await Piece(site, upload.Id, 0, file);
        return await site.Admin.Send(HttpMethod.Post, "/api/v1/packages", $$"""{"upload":"{{upload.Id}}"}""");
    }

    private static Task<UploadInfo> Begin(Site site, byte[] file) =>
        site.Admin.Post(
            "/api/v1/uploads", new UploadRequest(Convert.ToHexStringLower(SHA256.HashData(file)), file.Length), ContractJson.Default.UploadRequest,
            ContractJson.Default.UploadInfo);

    private static async Task<(HttpStatusCode Status, string Body)> Piece(Site site, string upload, long offset, byte[] bytes)
    {
        using var request = new HttpRequestMessage(HttpMethod.Patch, $"/api/v1/uploads/{upload}") { Content = new ByteArrayContent(bytes) };
        request.Headers.Add("Upload-Offset", $"{offset}");
        using var response = await site.Admin.Http.SendAsync(request);
        return (response.StatusCode, await response.Content.ReadAsStringAsync());
    }

    private static byte[] Rewritten(byte[] file, string name, Func<string, string> change)
    {
        using var source = new ZipArchive(new MemoryStream(file));
        var stream = new MemoryStream();
        using (var target = new ZipArchive(stream, ZipArchiveMode.Create, leaveOpen: true))
        {
            foreach (var entry in source.Entries)
            {
                using var from = entry.Open();
                using var to = target.CreateEntry(entry.FullName).Open();
                if (entry.FullName == name)
                {
                    to.Write(Encoding.UTF8.GetBytes(change(new StreamReader(from).ReadToEnd())));
                }
                else
                {
                    from.CopyTo(to);
                }
            }
        }

        return stream.ToArray();
    }

    private static byte[] Added(byte[] file, string name, byte[] content)
    {
        var stream = new MemoryStream();
        stream.Write(file);
        using (var archive = new ZipArchive(stream, ZipArchiveMode.Update, leaveOpen: true))
        {
            using var target = archive.CreateEntry(name).Open();
            target.Write(content);
        }

        return stream.ToArray();
    }

    private static string OtherKey(string signature)
    {
        using var stranger = new DeviceClient("http://127.0.0.1:1");
        var handler = new Microsoft.IdentityModel.JsonWebTokens.JsonWebTokenHandler();
        return handler.CreateToken(
            Encoding.UTF8.GetString(Microsoft.IdentityModel.Tokens.Base64UrlEncoder.DecodeBytes(signature.Split('.')[1])),
            new Microsoft.IdentityModel.Tokens.SigningCredentials(
                new Microsoft.IdentityModel.Tokens.ECDsaSecurityKey(stranger.Key) { KeyId = "stranger" }, "ES256"));
    }
}
