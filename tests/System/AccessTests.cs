using System.Net;
using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Kit;
using Xunit;

namespace Bandejo.System.Tests;

/// <summary>Who may do what, and that nobody else can.</summary>
public sealed class AccessTests
{
    // Every operation of the public API with the roles that have it. An administrator has all. "open" takes no sign-in.
    private const string Matrix = """
        POST   /api/v1/session                               open
        GET    /api/v1/session                               all
        DELETE /api/v1/session                               all
        POST   /api/v1/tokens                                open
        GET    /api/v1/tokens                                all
        DELETE /api/v1/tokens/{id}                           all
        GET    /api/v1/accounts                              auditor
        GET    /api/v1/accounts/{account}                    auditor
        POST   /api/v1/accounts                              administrator
        PATCH  /api/v1/accounts/{account}                    administrator
        POST   /api/v1/account/signing-keys                  packager
        DELETE /api/v1/account/signing-keys/{key}            packager
        DELETE /api/v1/accounts/{account}/signing-keys/{key} administrator
        POST   /api/v1/account/password                      all
        GET    /api/v1/identity                              all
        POST   /api/v1/identity/roll-over                    administrator
        GET    /api/v1/apps                                  all
        GET    /api/v1/apps/{app}                            all
        GET    /api/v1/apps/{app}/icon                       all
        GET    /api/v1/packages                              all
        GET    /api/v1/packages/room                         all
        GET    /api/v1/packages/{package}                    all
        GET    /api/v1/packages/{package}/compare/{other}    all
        GET    /api/v1/packages/{package}/contents           all
        GET    /api/v1/packages/{package}/file               packager+auditor
        GET    /api/v1/packages/{package}/manifest           packager+auditor
        GET    /api/v1/schemas/package                       all
        POST   /api/v1/packages/check                        packager
        POST   /api/v1/uploads                               packager
        PATCH  /api/v1/uploads/{id}                          packager
        POST   /api/v1/packages                              packager
        POST   /api/v1/packages/{package}/trials             packager
        GET    /api/v1/packages/{package}/trials/{trial}     all
        POST   /api/v1/packages/{package}/release            packager
        POST   /api/v1/packages/{package}/withdraw           packager
        POST   /api/v1/packages/{package}/let-go             packager
        GET    /api/v1/bench                                 packager+auditor
        POST   /api/v1/bench                                 packager
        GET    /api/v1/bench/{draft}                         packager+auditor
        DELETE /api/v1/bench/{draft}                         packager
        PUT    /api/v1/bench/{draft}/manifest                packager
        PATCH  /api/v1/bench/{draft}/files                   packager
        DELETE /api/v1/bench/{draft}/files                   packager
        POST   /api/v1/bench/{draft}/after                   packager
        POST   /api/v1/bench/{draft}/inside                  packager
        POST   /api/v1/bench/{draft}/trial                   packager
        POST   /api/v1/bench/{draft}/build                   packager
        GET    /api/v1/devices                               all
        GET    /api/v1/devices/{device}                      all
        GET    /api/v1/devices/{device}/why                  all
        GET    /api/v1/devices/{device}/history              all
        GET    /api/v1/devices/{device}/trial                all
        POST   /api/v1/devices/{device}/trial                packager
        DELETE /api/v1/devices/{device}/trial                packager
        POST   /api/v1/devices/{device}/check-in             operator
        POST   /api/v1/groups/{slug}/check-in                operator
        POST   /api/v1/deployments/{deployment}/check-in     operator
        DELETE /api/v1/devices/{device}                      administrator
        GET    /api/v1/join-codes                            operator+auditor
        POST   /api/v1/join-codes                            operator
        DELETE /api/v1/join-codes/{id}                       operator
        GET    /api/v1/groups                                all
        GET    /api/v1/groups/{slug}                         all
        POST   /api/v1/groups                                operator
        PUT    /api/v1/groups/{slug}                         operator
        DELETE /api/v1/groups/{slug}                         operator
        POST   /api/v1/groups/preview                        all
        PUT    /api/v1/groups/{slug}/devices/{device}        operator
        DELETE /api/v1/groups/{slug}/devices/{device}        operator
        GET    /api/v1/groups/{slug}/devices                 all
        POST   /api/v1/groups/{slug}/devices/preview         all
        GET    /api/v1/deployments                           all
        POST   /api/v1/deployments/preview                   all
        POST   /api/v1/deployments                           operator
        GET    /api/v1/deployments/{deployment}              all
        GET    /api/v1/deployments/{deployment}/targets      all
        GET    /api/v1/deployments/{deployment}/attempts     all
        GET    /api/v1/attempts/{id}/log                     all
        POST   /api/v1/deployments/{deployment}/retry        operator
        POST   /api/v1/deployments/{deployment}/evaluate     operator
        POST   /api/v1/deployments/{deployment}/approve      approver
        POST   /api/v1/deployments/{deployment}/pause        operator
        POST   /api/v1/deployments/{deployment}/resume       operator
        POST   /api/v1/deployments/{deployment}/advance      operator
        POST   /api/v1/deployments/{deployment}/halt         operator
        POST   /api/v1/deployments/{deployment}/roll-back/preview   all
        POST   /api/v1/deployments/{deployment}/roll-back    operator
        POST   /api/v1/deployments/{deployment}/end          operator
        GET    /api/v1/deployments/{deployment}/acts         all
        POST   /api/v1/rules/check                           all
        POST   /api/v1/groups/testing                        all
        POST   /api/v1/groups/{slug}/devices                 operator
        GET    /api/v1/compliance                            all
        GET    /api/v1/today                                 all
        GET    /api/v1/facts                                 all
        GET    /api/v1/compliance/targets                    all
        GET    /api/v1/trends/{what}                         all
        GET    /api/v1/keeping                               all
        PUT    /api/v1/keeping                               administrator
        POST   /api/v1/keeping/run                           administrator
        GET    /api/v1/journal                               all
        GET    /api/v1/audit                                 auditor
        GET    /api/v1/audit/verify                          auditor
        GET    /api/v1/audit/export                          auditor
        GET    /api/v1/events                                all
        GET    /api/v1/service                               all
        GET    /api/v1/clock                                 all
        POST   /api/v1/clock                                 administrator
        PUT    /api/v1/bench/{draft}/capture                 packager
        GET    /api/v1/handlings                             all
        GET    /api/v1/handlings/{slug}                      all
        POST   /api/v1/handlings/{slug}/concerns             operator
        PUT    /api/v1/handlings/{slug}                      operator
        DELETE /api/v1/handlings/{slug}                      operator
        GET    /api/v1/ahead                                 all
        GET    /api/v1/feed.ics                              all
        GET    /api/v1/calendars                             all
        GET    /api/v1/calendars/{slug}                      all
        GET    /api/v1/calendars/{slug}/file                 all
        POST   /api/v1/calendars/check                       all
        PUT    /api/v1/calendars/{slug}                      operator
        DELETE /api/v1/calendars/{slug}                      operator
        GET    /api/v1/devices/{id}/openings                 all
        PUT    /api/v1/groups/{slug}/calendars               operator
        PUT    /api/v1/groups/{slug}/fetch                   operator
        POST   /api/v1/devices/{device}/wake                 operator
        GET    /api/v1/wave-plans                            all
        GET    /api/v1/wave-plans/{slug}                     all
        PUT    /api/v1/wave-plans/{slug}                     operator
        DELETE /api/v1/wave-plans/{slug}                     operator
        """;

    private static readonly string[] Roles = ["viewer", "packager", "operator", "approver", "auditor", "administrator"];

    [Fact]
    public async Task Every_operation_is_for_the_roles_in_the_matrix_and_for_nobody_else()
    {
        await using var site = await Site.Start();
        var rows = Matrix.Split('\n').Select(line => line.Split(' ', StringSplitOptions.RemoveEmptyEntries)).ToList();
        using var description = JsonDocument.Parse(await site.Admin.Http.GetStringAsync("/api/v1/openapi.json"));
        var described = description.RootElement.GetProperty("paths").EnumerateObject()
            .SelectMany(path => path.Value.EnumerateObject().Select(operation => $"{operation.Name.ToUpperInvariant()} {path.Name}")).Order();
        Assert.Equal(rows.Select(row => $"{row[0]} {row[1]}").Order(), described);

        using var nobody = new ApiClient(site.Service.Address);
        var people = new Dictionary<string, ApiClient>();
        foreach (var role in Roles)
        {
            await site.Admin.Post(
                "/api/v1/accounts", new AccountRequest($"a-{role}", role, "long-enough-1", [role]), ContractJson.Default.AccountRequest,
                ContractJson.Default.AccountInfo);
            people[role] = await ApiClient.SignIn(site.Service.Address, $"a-{role}", "long-enough-1");
        }

        foreach (var row in rows.Where(row => row[2] != "open"))
        {
            // What is named is not there and what is sent means nothing: only whether somebody is let in shows.
            var path = row[1].Replace("{", "none-").Replace("}", "");
            Assert.Equal(HttpStatusCode.Unauthorized, (await nobody.Send(new HttpMethod(row[0]), path, "{}")).Status);
            foreach (var role in Roles.Where(_ => row[1] != "/api/v1/events"))
            {
                var (status, body) = await people[role].Send(new HttpMethod(row[0]), path, row[0] is "GET" or "DELETE" ? null : "{}");
                var isLetIn = row[2] == "all" || row[2].Split('+').Contains(role) || role == "administrator";
                Assert.True(isLetIn == status is not HttpStatusCode.Forbidden, $"{role} {row[0]} {row[1]}: {status} {body}");
                Assert.True(
                    status != HttpStatusCode.InternalServerError && status != HttpStatusCode.Unauthorized, $"{role} {row[0]} {row[1]}: {status} {body}");
            }
        }
    }

    [Fact]
    public async Task A_cookie_changes_nothing_without_the_token_that_only_our_pages_can_read()
    {
        await using var site = await Site.Start();
        using var browser = new HttpClient(new HttpClientHandler { CookieContainer = new CookieContainer() }) { BaseAddress = new Uri(site.Service.Address) };
        var signIn = await browser.PostAsync("/api/v1/session", Json($$"""{"account":"root-admin","password":"{{ServiceProcess.FirstPassword}}"}"""));
        var session = JsonSerializer.Deserialize(await signIn.Content.ReadAsStringAsync(), ContractJson.Default.SessionInfo)!;
        Assert.Contains(
            signIn.Headers.GetValues("Set-Cookie"),
            cookie => cookie.StartsWith("bandejo=", StringComparison.Ordinal) && cookie.Contains("httponly") && cookie.Contains("samesite=strict"));
        Assert.Equal(HttpStatusCode.OK, (await browser.GetAsync("/api/v1/groups")).StatusCode);
        var group = """{"slug":"pilots","name":"Pilots"}""";
        Assert.Equal(HttpStatusCode.Forbidden, (await browser.PostAsync("/api/v1/groups", Json(group))).StatusCode);
        browser.DefaultRequestHeaders.Add("X-CSRF-Token", session.CsrfToken);
        Assert.Equal(HttpStatusCode.Created, (await browser.PostAsync("/api/v1/groups", Json(group))).StatusCode);
        Assert.Equal(HttpStatusCode.NoContent, (await browser.DeleteAsync("/api/v1/session")).StatusCode);
        Assert.Equal(HttpStatusCode.Unauthorized, (await browser.GetAsync("/api/v1/groups")).StatusCode);
    }

    [Fact]
    public async Task Wrong_passwords_tell_nothing_and_lock_nobody_out()
    {
        await using var site = await Site.Start();
        using var nobody = new ApiClient(site.Service.Address);
        var unknown = await nobody.Send(HttpMethod.Post, "/api/v1/tokens", """{"account":"nobody","password":"wrong-wrong"}""");
        for (var i = 0; i < 8; i++)
        {
            Assert.Equal(unknown, await nobody.Send(HttpMethod.Post, "/api/v1/tokens", """{"account":"root-admin","password":"wrong-wrong"}"""));
        }

        var (status, body) = await nobody.Send(
            HttpMethod.Post, "/api/v1/tokens", $$"""{"account":"root-admin","password":"{{ServiceProcess.FirstPassword}}"}""");
        Assert.True(status == HttpStatusCode.Created, body);
    }

    [Fact]
    public async Task Sign_ins_from_one_address_are_limited()
    {
        await using var service = new ServiceProcess("--sign-ins-per-minute", "3");
        await service.Start();
        using var nobody = new ApiClient(service.Address);
        var answers = new List<HttpStatusCode>();
        for (var i = 0; i < 5; i++)
        {
            answers.Add((await nobody.Send(HttpMethod.Post, "/api/v1/session", $$"""{"account":"a{{i}}","password":"wrong-wrong"}""")).Status);
        }

        Assert.Equal(2, answers.Count(status => status == HttpStatusCode.TooManyRequests));
    }

    [Fact]
    public async Task What_an_account_loses_it_loses_at_once()
    {
        await using var site = await Site.Start();
        await site.Admin.Post(
            "/api/v1/accounts", new AccountRequest("tomas", "Tomas", "long-enough-1", ["operator"]), ContractJson.Default.AccountRequest,
            ContractJson.Default.AccountInfo);
        using var tomas = await ApiClient.SignIn(site.Service.Address, "tomas", "long-enough-1");
        Assert.Equal(HttpStatusCode.OK, (await tomas.Send(HttpMethod.Get, "/api/v1/join-codes")).Status);
        await site.Must("account", "change", "tomas", "--role", "viewer");
        Assert.Equal(HttpStatusCode.Forbidden, (await tomas.Send(HttpMethod.Get, "/api/v1/join-codes")).Status);
        await site.Must("account", "change", "tomas", "--disable");
        Assert.Equal(HttpStatusCode.Unauthorized, (await tomas.Send(HttpMethod.Get, "/api/v1/groups")).Status);
        Assert.Contains("last administrator", (await site.Run("account", "change", "root-admin", "--disable")).Errors);
    }

    [Fact]
    public async Task Every_change_is_in_the_audit_trail_with_who_did_it()
    {
        await using var site = await Site.Start();
        await site.Must("group", "new", "desks", "--rule", "kind is \"desk\"");
        await site.Must("group", "change", "desks", "--rule", "kind is \"kiosk\"");
        await site.Must("device", "join-code", "new");
        await site.Must("group", "remove", "--yes", "desks");
        var trail = await site.Must("journal", "--topic", "audit", "-o", "csv");
        foreach (
            var what in new[]
            {
                "Group 'desks' was made", "Group 'desks' was changed", "A join code for 1 device was made", "Group 'desks' was removed",
                "made a personal token",
            })
        {
            Assert.Contains(trail.Split('\n'), line => line.Contains(what) && line.Contains("root-admin"));
        }
    }

    private static StringContent Json(string text) => new(text, global::System.Text.Encoding.UTF8, "application/json");
}
