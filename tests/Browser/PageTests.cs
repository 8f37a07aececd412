using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Kit;
using Microsoft.Playwright;
using Xunit;

namespace Bandejo.Browser.Tests;

/// <summary>Every page: for who sees it, who hears it, who has a small window, and where there is nothing or too much to show.</summary>
[Collection(BrowserTests.Name)]
public sealed class PageTests(Chromium chromium)
{
    private const string Install = "mkdir -p \"$T\"; echo 2.0 > \"$T/VERSION\"";
    private const string LongName = "Everything-for-the-very-long-corridor-behind-the-second-reading-room-on-the-left";

    // Once what listens to window and colours has been drawn, and colours have gone over to the others.
    private const string Settled =
        "() => new Promise(done => requestAnimationFrame(() => requestAnimationFrame(done)))"
            + ".then(() => Promise.all(document.getAnimations().filter(each => each instanceof CSSTransition).map(each => each.finished.catch(() => null))))";

    private static readonly (string Address, string Title)[] Pages =
    [
        ("/", "Today"), ("/apps", "Apps"), ("/apps/notes", "notes"), ("/devices", "Devices"),
        ("/devices?filter=kind%20is%20%22desk%22&columns=memory&sort=-heard", "Devices"), ("/devices/DESK-1", "DESK-1"),
        ("/devices/DESK-1?view=facts", "DESK-1"), ("/devices/DESK-1?view=programs", "DESK-1"), ("/devices/DESK-1?view=history", "DESK-1"),
        ("/groups", "Groups"), ("/groups/new", "Make a group"),
        ("/groups/enrolled", "enrolled"), ("/groups/enrolled?view=devices", "enrolled"), ("/groups/enrolled?view=moves", "enrolled"),
        ("/deployments", "Deployments"), ("/deployments/new?package=notes&groups=enrolled", "Start a deployment"),
        ("/deployments/ID", LongName), ("/deployments/ID?view=causes", LongName), ("/deployments/ID?view=timeline", LongName),
        ("/deployments/ID?view=journal", LongName), ("/deployments/ID?view=started", LongName),
        ("/deployments/ID?device=DESK-1", LongName), ("/compliance", "Compliance"), ("/compliance?only=open", "Compliance"), ("/journal", "Journal"), ("/calendar", "Calendar"),
        ("/journal?topic=audit", "Journal"), ("/settings", "Settings"),
        ("/settings?view=keeping", "Settings"), ("/settings?view=accounts", "Settings"), ("/settings?view=tokens", "Settings"), ("/settings?view=join-codes", "Settings"),
        ("/settings?view=wave-plans", "Settings"), ("/settings?view=handlings", "Settings"), ("/nowhere", "There is nothing here"),
        ("/devices/NOBODY", "No such device"), ("/deployments/D9999", "No such deployment"), ("/groups/nobody", "No such group"), ("/bench", "Bench"),
        ("/compliance?asOf=1s", "Compliance"), ("/compliance?asOf=2001-01-01", "Compliance"), ("/deployments/ID?asOf=1s", LongName),
        ("/devices/DESK-1?asOf=1s", "DESK-1"), ("/groups/enrolled?view=devices&asOf=1s", "enrolled"), ("/journal?words=started&device=DESK-1&from=1d", "Journal"),
        ("/bench/DRAFT", "inkwell-print 4.3.0"), ("/bench/0123456789abcdef", "No such draft"), ("/packages/notes%202.0", "notes 2.0"),
    ];

    [Fact]
    public async Task No_page_has_a_finding_of_the_accessibility_check_by_day_or_by_night_or_is_wider_than_a_small_window()
    {
        await using var site = await Site.StartApart();
        var (id, draft) = await Furnish(site);
        await using var person = await Person.SignIn(chromium, site, "root", "administrator", new() { ReducedMotion = ReducedMotion.Reduce });
        var axe = await File.ReadAllTextAsync(Path.Combine(Programs.Root(), "console/node_modules/axe-core/axe.min.js"));
        List<string> findings = [];
        foreach (var (address, title) in Pages)
        {
            await person.Page.EmulateMediaAsync(new() { ColorScheme = ColorScheme.Light });
            await person.Page.SetViewportSizeAsync(1280, 800);
            await person.Open(address.Replace("ID", id).Replace("DRAFT", draft), title);
            await person.Page.WaitForFunctionAsync("() => document.querySelector('.loading') === null");
            await person.Page.EvaluateAsync(axe);
            await Check(address, "['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa', 'best-practice']");

            // By night only the colours are others.
            await person.Page.EmulateMediaAsync(new() { ColorScheme = ColorScheme.Dark });
            await person.Page.EvaluateAsync(Settled);
            await Check($"{address} by night", "['color-contrast', 'link-in-text-block']");

            await person.Page.SetViewportSizeAsync(390, 844);
            await person.Page.EvaluateAsync(Settled);
            if (await person.Page.EvaluateAsync<int>("() => document.documentElement.scrollWidth") is > 390 and var width)
            {
                findings.Add($"{address} is {width} wide");
            }
        }

        Assert.True(findings.Count == 0, string.Join("\n", findings));
        Assert.Empty(person.Complaints);

        async Task Check(string where, string rules)
        {
            var found = await person.Page.EvaluateAsync<JsonElement>(
                "() => axe.run(document, { runOnly: " + rules
                    + " }).then(result => result.violations.map(each => `${each.id}: ${each.nodes.slice(0, 3).map(node => node.html.slice(0, 160) + ' | ' "
                        + "+ node.any.concat(node.all, node.none).map(check => check.message).join('; ')).join(' || ')}`))");
            findings.AddRange(found.EnumerateArray().Select(finding => $"{where}: {finding.GetString()}"));
        }
    }

    [Fact]
    public async Task Where_there_is_nothing_the_next_step_stands()
    {
        await using var site = await Site.StartApart();
        await using var person = await Person.SignIn(chromium, site, "root", "administrator");
        await person.Reads("Nothing needs you now");
        foreach (var (address, title, says) in (IEnumerable<(string, string, string)>)[
            ("/apps", "Apps", "No package is built yet"), ("/bench", "Bench", "Nothing is on the bench"), ("/devices", "Devices", "No device has joined yet"),
            ("/deployments", "Deployments", "Nothing is deployed yet"), ("/calendar", "Calendar", "There is no calendar yet"), ("/compliance", "Compliance", "Nothing is deployed"),
            ("/settings?view=wave-plans", "Settings", "There is no wave plan yet"), ("/settings?view=handlings", "Settings", "There is no handling yet")])
        {
            await person.Open(address, title);
            await person.Reads(says);
        }

        Assert.Empty(person.Complaints);
    }

    [Fact]
    public async Task By_keyboard_alone_anything_is_found_and_a_device_is_asked_to_check_in()
    {
        await using var site = await Site.StartApart();
        await site.Device("DESK-1");
        await using var person = await Person.SignIn(chromium, site, "tomas", "operator");
        var keys = person.Page.Keyboard;
        await keys.PressAsync("Control+k");
        await Person.MayTypeInto(person.Page.GetByLabel("What to find"));
        await keys.TypeAsync("desk-1");
        await Person.Sees(person.Page.GetByRole(AriaRole.Button, new() { Name = "DESK-1" }));
        await keys.PressAsync("ArrowDown");
        await keys.PressAsync("Enter");
        await Person.Sees(person.Page.GetByRole(AriaRole.Heading, new() { Name = "DESK-1", Level = 1 }));
        var button = person.Page.GetByRole(AriaRole.Button, new() { Name = "Check in now" });
        await button.FocusAsync();
        await keys.PressAsync("Enter");
        await person.Reads("DESK-1 was asked to check in now");
        await person.Open("/devices/DESK-1?view=history", "DESK-1");
        Assert.Empty(person.Complaints);
    }

    [Fact]
    public async Task The_console_is_sent_so_that_it_is_kept_where_it_may_be_and_runs_nothing_else()
    {
        await using var site = await Site.StartApart();
        using var http = new HttpClient { BaseAddress = new Uri(site.Service.Address) };
        using var page = await http.GetAsync("/deployments/D1");
        var policy = page.Headers.GetValues("Content-Security-Policy").Single();
        Assert.Contains("script-src 'self';", policy);
        Assert.Equal("no-cache", page.Headers.CacheControl!.ToString());
        var text = await page.Content.ReadAsStringAsync();
        var script = System.Text.RegularExpressions.Regex.Match(text, "/assets/[^\"]+\\.js").Value;
        Assert.DoesNotMatch("<script(?![^>]* src=)", text);
        using var asset = await http.GetAsync(script);
        Assert.Contains("immutable", asset.Headers.CacheControl!.ToString());
        using var packed = await http.SendAsync(new HttpRequestMessage(HttpMethod.Get, script) { Headers = { { "Accept-Encoding", "br" } } });
        Assert.Equal("br", packed.Content.Headers.ContentEncoding.Single());
        Assert.True(packed.Content.Headers.ContentLength < asset.Content.Headers.ContentLength / 2);
        using var again = await http.SendAsync(new HttpRequestMessage(HttpMethod.Get, "/") { Headers = { { "If-None-Match", page.Headers.ETag!.Tag } } });
        Assert.Equal(304, (int)again.StatusCode);
        using var dotted = await http.GetAsync("/devices/HQ.DESK.1");
        Assert.Equal("text/html", dotted.Content.Headers.ContentType!.MediaType);
        foreach (var address in (string[])[
            "/assets/nothing.js", "/api/v1/nothing", "/../bandejo-service.dll", "/%2e%2e/bandejo-service.dll", "/assets/..%2f..%2fbandejo-service.dll"])
        {
            using var answer = await http.GetAsync(address);
            Assert.Equal(404, (int)answer.StatusCode);
        }
    }

    /// <summary>One of everything: a device that failed, one that is done, one that waits, and a deployment with a very long name.</summary>
    private static async Task<(string Deployment, string Draft)> Furnish(Site site)
    {
        await site.Package("notes", "2.0", $"[ ! -e \"$BANDEJO_ROOT/full\" ] || {{ echo 'there is no room left for it'; exit 28; }}; {Install}");
        var failing = await site.Device("DESK-1", isStarted: false);
        failing.Write("full", "yes");
        await failing.Start();
        await site.Device("DESK-2");
        await site.Device("DESK-3", isStarted: false);
        await site.Must("group", "new", "first");
        await site.Must("group", "member", "add", "--yes", "first", "DESK-1", "DESK-2");
        await site.Must("wave-plan", "new", "--yes", "careful", "--wave", "Pilots: 5 %; 100 % met for 1h", "--wave", "Rest: everyone else");
        await site.Must("device", "join-code", "new", "--group", "first");
        await site.Must("calendar", "new", "late", "--when", "daily 00:00-24:00");
        await site.Must("calendar", "new", "year-end", "--freeze", "--when", "2035-12-20 to 2036-01-03; first Monday 00:00-24:00");
        await site.Must("group", "calendar", "add", "first", "late", "--yes");
        await site.Must(
            "deployment", "start", "notes 2.0", "--to", Site.Enrolled, "--name", LongName, "--tries", "1", "--wave",
            "First: group first; 100 % met, then approval", "--wave", "Rest: everyone else", "--yes");
        var id = (await site.Admin.Get("/api/v1/deployments", ContractJson.Default.IReadOnlyListDeploymentInfo)).Single().Id;
        await site.Admin.Becomes(id, "DESK-1", "failed");
        await site.Admin.Becomes(id, "DESK-2", "met");
        var begun = JsonDocument.Parse((await site.Admin.Send(HttpMethod.Post, "/api/v1/bench")).Body).RootElement.GetProperty("id").GetString()!;
        var file = await File.ReadAllBytesAsync(Path.Combine(Programs.Root(), "demo/installers/inkwell-print_4.3.0_amd64.deb"));
        using var piece = new HttpRequestMessage(
            HttpMethod.Patch, $"/api/v1/bench/{begun}/files?path=inkwell-print_4.3.0_amd64.deb&size={file.Length}") { Content = new ByteArrayContent(file) };
        piece.Headers.Add("Upload-Offset", "0");
        (await site.Admin.Http.SendAsync(piece)).EnsureSuccessStatusCode();
        return (id, begun);
    }
}
