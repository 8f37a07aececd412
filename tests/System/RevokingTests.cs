using System.Net;
using System.Security.Cryptography;
using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Contract.Device;
using Bandejo.Kit;
using Xunit;

namespace Bandejo.System.Tests;

/// <summary>Revoking means now, on lines that are open too; everybody reads and ends only what is theirs.</summary>
public sealed class RevokingTests
{
    private const string Password = "long-enough-1";
    private const string Put = "mkdir -p \"$T\" && echo \"$BANDEJO_VERSION\" > \"$T/VERSION\"";

    [Theory]
    [InlineData("password")]
    [InlineData("disabled and enabled again")]
    [InlineData("ended by an administrator")]
    public async Task A_token_is_good_for_nothing_from_the_moment_on_at_which_it_was_revoked(string how)
    {
        await using var site = await Site.Start();
        await Person(site, "tomas", "operator");
        using var tomas = await ApiClient.SignIn(site.Service.Address, "tomas", Password);
        using var line = await tomas.Http.GetAsync("/api/v1/events?after=0", HttpCompletionOption.ResponseHeadersRead);
        switch (how)
        {
            case "password":
                await site.RunWith("another-long-1", "account", "change", "tomas", "--password-stdin");
                break;
            case "ended by an administrator":
                var token = Assert.Single(await site.Admin.Get("/api/v1/tokens?account=tomas", ContractJson.Default.IReadOnlyListTokenInfo));
                Assert.Equal("tomas", token.Account);
                await site.Must("token", "remove", token.Id);
                break;
            default:
                await site.Must("account", "change", "tomas", "--disable");
                await site.Must("account", "change", "tomas", "--enable");
                break;
        }

        Assert.Equal(HttpStatusCode.Unauthorized, (await tomas.Send(HttpMethod.Get, "/api/v1/groups")).Status);

        // Whatever happens from now on wakes the line, which finds that nobody may read it any more.
        await site.Must("group", "new", "after");
        var rest = await line.Content.ReadAsStringAsync().WaitAsync(TimeSpan.FromSeconds(240));
        Assert.DoesNotContain("'after'", rest);
    }

    [Fact]
    public async Task Whoever_loses_a_role_reads_no_more_of_what_it_was_for_also_on_a_line_that_is_open()
    {
        await using var site = await Site.Start();
        await Person(site, "ruth", "administrator");
        using var ruth = await ApiClient.SignIn(site.Service.Address, "ruth", Password);
        using var line = await ruth.Http.GetAsync("/api/v1/events?after=0", HttpCompletionOption.ResponseHeadersRead);
        await site.Must("account", "change", "ruth", "--role", "viewer");
        await site.Must("group", "new", "after");
        var rest = await line.Content.ReadAsStringAsync().WaitAsync(TimeSpan.FromSeconds(240));
        Assert.Contains("event: audit", rest);
        Assert.DoesNotContain("'after'", rest);
    }

    [Fact]
    public async Task A_session_ends_where_its_person_signs_out_and_where_an_administrator_ends_it()
    {
        await using var site = await Site.Start();
        await Person(site, "tomas", "operator");
        var cookies = new CookieContainer();
        using var browser = new HttpClient(new SocketsHttpHandler { CookieContainer = cookies }) { BaseAddress = new Uri(site.Service.Address) };
        var session = await SignIn(browser);
        var stolen = cookies.GetCookieHeader(new Uri(site.Service.Address));
        browser.DefaultRequestHeaders.Add("X-CSRF-Token", session.CsrfToken);
        Assert.Equal(HttpStatusCode.NoContent, (await browser.DeleteAsync("/api/v1/session")).StatusCode);
        Assert.Equal(HttpStatusCode.Unauthorized, await With(stolen));

        browser.DefaultRequestHeaders.Remove("X-CSRF-Token");
        await SignIn(browser);
        var again = cookies.GetCookieHeader(new Uri(site.Service.Address));
        Assert.Equal(HttpStatusCode.OK, await With(again));
        var open = Assert.Single(await site.Admin.Get("/api/v1/tokens?account=tomas", ContractJson.Default.IReadOnlyListTokenInfo), token => token.IsSession);
        await site.Must("token", "remove", open.Id);
        Assert.Equal(HttpStatusCode.Unauthorized, await With(again));

        async Task<HttpStatusCode> With(string cookie)
        {
            using var other = new HttpClient(new SocketsHttpHandler { UseCookies = false }) { BaseAddress = new Uri(site.Service.Address) };
            other.DefaultRequestHeaders.Add("Cookie", cookie);
            return (await other.GetAsync("/api/v1/groups")).StatusCode;
        }

        static async Task<SessionInfo> SignIn(HttpClient browser)
        {
            using var answer = await browser.PostAsync("/api/v1/session", new StringContent(
                $$"""{"account":"tomas","password":"{{Password}}"}""", global::System.Text.Encoding.UTF8, "application/json"));
            return JsonSerializer.Deserialize(await answer.Content.ReadAsStringAsync(), ContractJson.Default.SessionInfo)!;
        }
    }

    [Fact]
    public async Task Everybody_changes_the_own_password_and_a_token_may_have_fewer_rights_than_its_person()
    {
        await using var site = await Site.Start();
        await Person(site, "tomas", "operator", "approver");
        using var tomas = await ApiClient.SignIn(site.Service.Address, "tomas", Password);
        using var other = await ApiClient.SignIn(site.Service.Address, "tomas", Password);
        var fewer = await tomas.Post(
            "/api/v1/tokens", new SignInRequest("tomas", Password, "nightly export", 2, ["viewer"]), ContractJson.Default.SignInRequest,
            ContractJson.Default.NewToken)
            .ContinueWith(made => made.Exception);
        Assert.Contains("lacks", fewer!.Message);
        var token = await tomas.Post(
            "/api/v1/tokens", new SignInRequest("tomas", Password, "approvals", 2, ["approver"]), ContractJson.Default.SignInRequest,
            ContractJson.Default.NewToken);
        Assert.True(token.Expires < TimeProvider.System.GetUtcNow().AddDays(3));
        using var program = new ApiClient(site.Service.Address, token.Secret);
        Assert.Equal(HttpStatusCode.OK, (await program.Send(HttpMethod.Get, "/api/v1/groups")).Status);
        Assert.Equal(HttpStatusCode.Forbidden, (await program.Send(HttpMethod.Get, "/api/v1/join-codes")).Status);
        Assert.Equal(HttpStatusCode.Forbidden, (await tomas.Send(HttpMethod.Get, "/api/v1/tokens?account=root-admin")).Status);

        Assert.Equal(
            HttpStatusCode.Unauthorized,
            (await tomas.Send(HttpMethod.Post, "/api/v1/account/password", """{"old":"wrong-wrong-1","new":"another-long-1"}""")).Status);
        Assert.Equal(
            HttpStatusCode.NoContent,
            (await tomas.Send(HttpMethod.Post, "/api/v1/account/password", $$"""{"old":"{{Password}}","new":"another-long-1"}""")).Status);
        Assert.Equal(HttpStatusCode.OK, (await tomas.Send(HttpMethod.Get, "/api/v1/groups")).Status);
        Assert.Equal(HttpStatusCode.Unauthorized, (await other.Send(HttpMethod.Get, "/api/v1/groups")).Status);
        Assert.Equal(HttpStatusCode.Unauthorized, (await program.Send(HttpMethod.Get, "/api/v1/groups")).Status);
    }

    [Fact]
    public async Task A_removed_device_has_no_line_no_files_and_no_token()
    {
        await using var site = await Site.Start();
        await site.Package("foldline", "7.1.0", Put);
        using var device = new DeviceClient(site.Service.Address);
        await device.Join(await Code(site), "ALD-DESK-009");
        await device.Link.AwaitHail(default);
        var waiting = device.Link.AwaitHail(default);
        var token = device.Link.Token!;
        await site.Must("device", "remove", "ALD-DESK-009", "--yes");
        await Assert.ThrowsAsync<Device.LinkException>(() => waiting.WaitAsync(TimeSpan.FromSeconds(240)));
        using var old = new ApiClient(site.Service.Address, token);
        Assert.Equal(HttpStatusCode.Unauthorized, (await old.Send(HttpMethod.Get, "/device/v1/hail")).Status);
        Assert.Equal(HttpStatusCode.Unauthorized, (await old.Send(HttpMethod.Get, $"/device/v1/files/{new string('a', 64)}")).Status);
    }

    [Fact]
    public async Task A_device_gets_what_its_own_orders_name_and_nothing_else()
    {
        await using var site = await Site.Start();
        await site.Package("foldline", "7.1.0", Put);
        await site.Package("circdesk", "1.0.0", Put);
        using var device = new DeviceClient(site.Service.Address);
        await device.Join(await Code(site), "ALD-DESK-009");
        await site.Deploy("foldline 7.1.0", Site.Enrolled);
        var order = Assert.Single((await device.CheckIn(1)).Orders!);
        var packages = await site.Admin.Get("/api/v1/packages", ContractJson.Default.PagePackageInfo);
        var other = packages.Items.Single(package => package.App == "circdesk");
        using var files = new ApiClient(site.Service.Address, device.Link.Token);
        var (status, document) = await files.Send(HttpMethod.Get, $"/device/v1/files/{order.Package.Digest}");
        Assert.Equal(HttpStatusCode.OK, status);
        foreach (var file in JsonSerializer.Deserialize(document, ContractJson.Default.PackageDocument)!.Variants.SelectMany(variant => variant.Files))
        {
            Assert.Equal(HttpStatusCode.OK, (await files.Send(HttpMethod.Get, $"/device/v1/files/{file.Sha256}")).Status);
        }

        Assert.Equal(HttpStatusCode.NotFound, (await files.Send(HttpMethod.Get, $"/device/v1/files/{other.Digest}")).Status);
        await site.Must("package", "withdraw", "--yes", "circdesk 1.0.0", "--reason", "for the test");
        Assert.Equal(HttpStatusCode.NotFound, (await files.Send(HttpMethod.Get, $"/device/v1/files/{other.Digest}")).Status);
        using var unsorted = new DeviceClient(site.Service.Address);
        await unsorted.Join(
            (
                await site.Admin.Post("/api/v1/join-codes", new JoinCodeRequest(null), ContractJson.Default.JoinCodeRequest, ContractJson.Default.JoinCodeInfo))
                .Code!,
            "NEW-1");
        await unsorted.CheckIn(1);
        using var nothing = new ApiClient(site.Service.Address, unsorted.Link.Token);
        Assert.Equal(HttpStatusCode.NotFound, (await nothing.Send(HttpMethod.Get, $"/device/v1/files/{order.Package.Digest}")).Status);
    }

    [Fact]
    public async Task The_audit_trail_is_read_by_administrators_alone_whichever_way_it_is_asked_for()
    {
        await using var site = await Site.Start();
        await Person(site, "desk", "viewer");
        await site.Must("group", "new", "pilots");
        using var desk = await ApiClient.SignIn(site.Service.Address, "desk", Password);
        Assert.Equal(HttpStatusCode.Forbidden, (await desk.Send(HttpMethod.Get, "/api/v1/journal?topic=audit")).Status);
        var (status, body) = await desk.Send(HttpMethod.Get, "/api/v1/journal?topic=any&limit=1000");
        Assert.Equal(HttpStatusCode.OK, status);
        Assert.DoesNotContain("\"audit\"", body);
        Assert.Contains("\"audit\"", (await site.Admin.Send(HttpMethod.Get, "/api/v1/journal?topic=any&limit=1000")).Body);
    }

    [Fact]
    public async Task The_log_of_an_attempt_is_only_its_own_devices_also_after_it_has_ended()
    {
        await using var site = await Site.Start();
        await site.Package("foldline", "7.1.0", Put);
        using var mine = new DeviceClient(site.Service.Address);
        using var thief = new DeviceClient(site.Service.Address);
        await mine.Join(await Code(site), "ALD-DESK-001");
        await thief.Join(await Code(site), "ALD-DESK-002");
        var deployment = await site.Deploy("foldline 7.1.0", Site.Enrolled);
        var at = TimeProvider.System.GetUtcNow();
        AttemptReport Report(bool hasEnded) =>
            new("a1", deployment, 0, hasEnded, "install", at, hasEnded ? at : null, hasEnded ? "failed" : null, "run", 9, "it failed", "", null, null, true);
        await mine.CheckIn(1, [Report(false), Report(true)]);
        await mine.Link.SendLog("a1", new MemoryStream("mine"u8.ToArray()), default);
        at = at.AddMinutes(5);
        await thief.CheckIn(1, [Report(false)]);
        await Assert.ThrowsAsync<Device.LinkException>(() => thief.Link.SendLog("a1", new MemoryStream("not mine"u8.ToArray()), default));
        Assert.Equal("mine", (await site.Must("deployment", "log", "a1")).Trim());
    }

    [Fact]
    public async Task What_users_say_counts_once_for_good_so_often_a_day_and_once_a_device()
    {
        await using var site = await Site.Start();
        await site.Package("foldline", "7.1.0", Put);
        using var device = new DeviceClient(site.Service.Address);
        await device.Join(await Code(site), "ALD-DESK-001");
        var deployment = await site.Deploy("foldline 7.1.0", Site.Enrolled, "--halt", "2 harm reports");
        var at = TimeProvider.System.GetUtcNow();
        await device.CheckIn(1, [
            new AttemptReport("a1", deployment, 0, false, "install", at, null, null, "run", null, "", null, null, null, false),
            new AttemptReport(
                "a1", deployment, 0, true, "install", at, at, "done", "prove", 0, "it is there", "", null,
                new ProofReport(deployment, 0, "present", "7.1.0", "it is there", at), false)]);
        for (var round = 0; round < 3; round++)
        {
            for (var part = 0; part < 3; part++)
            {
                await device.Link.CheckIn(
                    new CheckInRequest(2 + (round * 3) + part, "", null, "", [], [], [.. Enumerable.Range(part * 50, 50).Select(i => new UserReport(
                        $"w{i}", "harm", "foldline", "prints blank pages", at))]),
                    default);
            }
        }

        var info = (await site.Admin.Get("/api/v1/deployments", ContractJson.Default.IReadOnlyListDeploymentInfo)).Single(each => each.Id == deployment);
        Assert.NotEqual("halted", info.Status);
        var events = await site.Admin.Get("/api/v1/journal?topic=any&limit=1000", ContractJson.Default.PageEventInfo);
        Assert.Equal(20, events.Items.Count(happened => happened.What == "harm"));
        Assert.Single(events.Items, happened => happened.What == "words-left-out");
    }

    [Fact]
    public async Task One_device_has_one_line_and_one_person_so_many()
    {
        await using var site = await Site.Start();
        using var device = new DeviceClient(site.Service.Address);
        await device.Join(await Code(site), "ALD-DESK-001");
        await device.CheckIn(1);
        using var raw = new ApiClient(site.Service.Address, device.Link.Token);
        using var first = await raw.Http.GetAsync("/device/v1/hail", HttpCompletionOption.ResponseHeadersRead);
        using var second = await raw.Http.GetAsync("/device/v1/hail", HttpCompletionOption.ResponseHeadersRead);
        Assert.Contains("listening", await first.Content.ReadAsStringAsync().WaitAsync(TimeSpan.FromSeconds(240)));

        using var line = await site.Admin.Http.GetAsync("/api/v1/events?after=0", HttpCompletionOption.ResponseHeadersRead);
        var more = new List<HttpResponseMessage>();
        for (var i = 0; i < 12; i++)
        {
            more.Add(await site.Admin.Http.GetAsync("/api/v1/events?after=0", HttpCompletionOption.ResponseHeadersRead));
        }

        await line.Content.ReadAsStringAsync().WaitAsync(TimeSpan.FromSeconds(240));
        more.ForEach(each => each.Dispose());
    }

    [Fact]
    public async Task A_key_is_registered_by_whoever_has_it_and_signs_nothing_more_once_it_was_taken_away()
    {
        await using var site = await Site.Start();
        using var key = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        using var other = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        await site.Admin.RegisterKey(key);
        var refused = await Assert.ThrowsAsync<InvalidOperationException>(() => site.Admin.RegisterKey(other, "tomas"));
        Assert.Contains("does not show that you have this key", refused.Message);

        await site.Package("foldline", "7.1.0", Put);
        var keys = (await site.Admin.Get("/api/v1/accounts", ContractJson.Default.IReadOnlyListAccountInfo)).Single().SigningKeys;
        foreach (var each in keys)
        {
            await site.Must("account", "take-key", "root-admin", "--", each);
        }

        var folder = site.WriteFolder("foldline", "7.2.0", Put);
        var (code, _, errors) = await site.Run("package", "build", folder);
        Assert.Equal(3, code);
        Assert.Contains("was taken away", errors);
        Assert.Contains("7.1.0", await site.Must("package", "list"));
    }

    private static async Task<string> Code(Site site) =>
        (
            await site.Admin.Post(
                "/api/v1/join-codes", new JoinCodeRequest(Site.Enrolled), ContractJson.Default.JoinCodeRequest, ContractJson.Default.JoinCodeInfo)).Code!;

    private static Task Person(Site site, string name, params string[] roles) =>
        site.Admin.Post(
            "/api/v1/accounts", new AccountRequest(name, name, Password, roles), ContractJson.Default.AccountRequest, ContractJson.Default.AccountInfo);
}
