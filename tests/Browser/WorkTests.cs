using System.Collections.Concurrent;
using System.Text.RegularExpressions;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Kit;
using Microsoft.Playwright;
using Xunit;

namespace Bandejo.Browser.Tests;

/// <summary>The job in a browser, against the real service and real agents.</summary>
[Collection(BrowserTests.Name)]
public sealed class WorkTests(Chromium chromium)
{
    private const string Install = "mkdir -p \"$T\"; echo 2.0 > \"$T/VERSION\"";

    [Fact]
    public async Task Who_may_not_is_told_why_and_a_wrong_password_tells_nothing()
    {
        await using var site = await Site.StartApart();
        await site.Package("notes", "2.0", Install);
        await site.Device("DESK-1", isStarted: false);
        var id = await site.Deploy("notes 2.0", Site.Enrolled);
        await using var stranger = await Person.Come(chromium, site);
        await stranger.SignIn("root-admin", "not-the-password");
        await Person.Sees(stranger.Page.GetByRole(AriaRole.Alert));

        await using var viewer = await Person.SignIn(chromium, site, "desk", "viewer");
        await viewer.Open($"/deployments/{id}", (await Info(site, id)).Name);
        var pause = viewer.Page.GetByRole(AriaRole.Button, new() { Name = "Pause" });
        Assert.Equal("true", await pause.GetAttributeAsync("aria-disabled"));
        Assert.Contains("This takes the role operator; desk has viewer. Ask an administrator.", await pause.TextContentAsync());
        await pause.ClickAsync(new() { Force = true });
        Assert.Equal(0, await viewer.Page.GetByRole(AriaRole.Dialog).CountAsync());
        await viewer.Open("/settings?view=accounts", "Settings");
        await viewer.Reads("This takes the role auditor");

        await using var tomas = await Person.SignIn(chromium, site, "tomas", "operator");
        await tomas.Open($"/deployments/{id}", (await Info(site, id)).Name);
        await tomas.Press("Pause");
        await tomas.Press("Pause: 1 device wait");
        await tomas.Reads("Paused.");
        Assert.Equal("paused", (await Info(site, id)).Status);
        Assert.Empty(viewer.Complaints.Concat(tomas.Complaints).Concat(stranger.Complaints));
    }

    [Fact]
    public async Task A_deployment_is_composed_previewed_started_approved_by_another_and_seen_through_live()
    {
        await using var site = await Site.StartApart();
        await site.Package("notes", "2.0", Install);
        foreach (var name in (string[])["DESK-1", "DESK-2", "DESK-3"])
        {
            await site.Device(name);
        }

        await site.Must("group", "new", "first");
        await site.Must("group", "member", "add", "--yes", "first", "DESK-1");
        await using var tomas = await Person.SignIn(chromium, site, "tomas", "operator");
        await tomas.Open("/deployments/new?package=notes", "Start a deployment");
        await tomas.Page.GetByRole(AriaRole.Combobox, new() { Name = "For these groups" }).Or(tomas.Page.GetByLabel("For these groups")).First.ClickAsync();
        await tomas.Page.GetByRole(AriaRole.Option, new() { Name = "enrolled · 3" }).ClickAsync();
        await tomas.Page.Keyboard.PressAsync("Escape");
        await tomas.Page.GetByRole(AriaRole.Combobox, new() { Name = "Picks" }).First.FillAsync("group first");
        await tomas.Page.GetByRole(AriaRole.Combobox, new() { Name = "Gate" }).FillAsync("100 % mett");
        await tomas.Reads("A gate does not know");
        await tomas.Page.GetByRole(AriaRole.Combobox, new() { Name = "Gate" }).FillAsync("100 % met, then approval");
        await tomas.Reads("needs 1 of 1");
        await tomas.Press("Start for 3 devices");
        await Person.Sees(tomas.Page.GetByRole(AriaRole.Heading, new() { Name = "notes 2.0", Level = 1 }));
        var id = (await site.Admin.Get("/api/v1/deployments", ContractJson.Default.IReadOnlyListDeploymentInfo)).Single().Id;
        await tomas.Reads("waits for approval");
        var own = tomas.Page.GetByRole(AriaRole.Button, new() { Name = "Approve" });
        Assert.Contains("This takes the role approver", await own.TextContentAsync());

        await using var ruth = await Person.SignIn(chromium, site, "ruth", "approver");
        await ruth.Page.GetByRole(AriaRole.Link, new() { Name = "Look and approve" }).ClickAsync();
        await ruth.Page.GetByRole(AriaRole.Textbox, new() { Name = "Reason" }).FillAsync("it works on mine");
        await ruth.Press("Approve: 2 devices follow");

        // Nobody reloads: the one who watches sees it go through.
        await tomas.Reads("3 of 3 met");
        await tomas.Page.GetByRole(AriaRole.Link, new() { Name = "Journal" }).Last.ClickAsync();
        await tomas.Reads("it works on mine");
        await site.Admin.Becomes(id, "DESK-3", "met");
        Assert.Empty(tomas.Complaints.Concat(ruth.Complaints));
    }

    [Fact]
    public async Task A_failure_is_read_tried_again_and_all_is_rolled_back()
    {
        await using var site = await Site.StartApart();
        await site.Package("notes", "2.0", $"[ -e \"$BANDEJO_ROOT/room\" ] || {{ echo 'there is no room left for it'; exit 28; }}; {Install}");
        var device = await site.Device("DESK-1");
        var id = await site.Deploy("notes 2.0", Site.Enrolled, "--tries", "1", "--halt", "never");
        await site.Admin.Becomes(id, "DESK-1", "failed");
        await using var tomas = await Person.SignIn(chromium, site, "tomas", "operator");
        await Person.Sees(tomas.Page.GetByText("1 device failed in"));
        await tomas.Page.GetByRole(AriaRole.Link, new() { Name = "See the 1" }).ClickAsync();
        await tomas.Page.GetByRole(AriaRole.Link, new() { Name = "Tries of DESK-1" }).ClickAsync();
        var drawer = tomas.Page.GetByRole(AriaRole.Dialog);
        await Person.Sees(drawer.GetByLabel("Log"));
        Assert.Contains("there is no room left for it", await drawer.GetByLabel("Log").TextContentAsync());
        await tomas.Page.Keyboard.PressAsync("Escape");

        device.Write("room", "plenty");
        await tomas.Press("Try 1 again");
        await tomas.Press("Try again on 1 device");
        await site.Admin.Becomes(id, "DESK-1", "met");
        await tomas.Reads("No target fits");
        await tomas.Page.GetByRole(AriaRole.Button, new() { Name = "More" }).ClickAsync();
        await tomas.Page.GetByRole(AriaRole.Menuitem, new() { Name = "Roll back" }).ClickAsync();
        await tomas.Page.GetByRole(AriaRole.Textbox, new() { Name = "Reason" }).FillAsync("only a try");
        await tomas.Press("Roll back 1 device");
        await site.Admin.Becomes(id, "DESK-1", "undone");
        await tomas.Reads("Ended: rolled back");
        Assert.Null(device.Read("opt/notes/VERSION"));
        Assert.Empty(tomas.Complaints);
    }

    [Fact]
    public async Task A_page_as_it_was_says_so_stays_so_from_page_to_page_and_does_nothing()
    {
        await using var site = await Site.StartApart();
        await site.Package("notes", "2.0", Install);
        await site.Device("DESK-1");
        var id = await site.Deploy("notes 2.0", Site.Enrolled);
        await site.Admin.Becomes(id, "DESK-1", "met");
        await site.Admin.Until(
            async () => (await site.Admin.Get($"/api/v1/deployments/{id}", ContractJson.Default.DeploymentDetails)).Deployment.Status == "standing", "it stands");
        var then = TimeProvider.System.GetUtcNow().ToString("O").Replace("+00:00", "Z", StringComparison.Ordinal);
        await site.Must("deployment", "end", "--yes", id, "--reason", "over");

        await using var tomas = await Person.SignIn(chromium, site, "tomas", "operator");
        await tomas.Open("/compliance", "Compliance");
        await tomas.Reads("Nothing is deployed");
        await tomas.Open($"/compliance?asOf={then}", "Compliance");
        await tomas.Reads("This is not how it is now");
        await tomas.Reads("100 % · 1 of 1 proven.");
        await tomas.Page.GetByText("By deployment").ClickAsync();
        await tomas.Page.GetByRole(AriaRole.Link, new() { Name = "notes", Exact = false }).Last.ClickAsync();
        await tomas.Reads("This is not how it is now");
        await tomas.Reads("Every gate has passed");
        Assert.Equal(0, await tomas.Page.GetByRole(AriaRole.Button, new() { Name = "More" }).CountAsync());
        await tomas.Page.GetByRole(AriaRole.Link, new() { Name = "DESK-1" }).ClickAsync();
        await tomas.Reads("It has all that is asked of it.");
        Assert.Contains("asOf=", tomas.Page.Url);
        Assert.Equal(0, await tomas.Page.GetByRole(AriaRole.Button, new() { Name = "Check in now" }).CountAsync());

        await tomas.Page.GetByRole(AriaRole.Link, new() { Name = "Back to now" }).ClickAsync();
        await Person.Sees(tomas.Page.GetByRole(AriaRole.Button, new() { Name = "Check in now" }));
        Assert.DoesNotContain("asOf=", tomas.Page.Url);
        await tomas.Page.GetByRole(AriaRole.Button, new() { Name = "As it was" }).ClickAsync();
        await tomas.Press("An hour ago");
        await tomas.Reads("nothing is known of");
        Assert.All(tomas.Complaints, complaint => Assert.Contains("404", complaint));
    }

    [Fact]
    public async Task A_rule_is_written_with_its_errors_shown_and_two_who_change_a_group_do_not_overwrite_each_other()
    {
        await using var site = await Site.StartApart();
        await site.Device("DESK-1");
        await site.Device("KIOSK-1", facts: "kind: kiosk");
        await site.Admin.Until(async () => (await site.Run("group", "preview", "kind is \"kiosk\"")).Output.Contains("KIOSK-1"), "the kiosk is known");
        await using var tomas = await Person.SignIn(chromium, site, "tomas", "operator");
        await tomas.Open("/groups/new", "Make a group");
        await tomas.Page.GetByLabel("Name", new() { Exact = true }).FillAsync("Kiosks");
        var rule = tomas.Page.GetByRole(AriaRole.Textbox, new() { Name = "Rule" });
        await rule.FillAsync("knd is \"kiosk\"");
        await tomas.Reads("Did you mean 'kind'?");
        Assert.Contains("^^^", await tomas.Page.GetByRole(AriaRole.Alert).TextContentAsync());
        Assert.Equal("true", await tomas.Page.GetByRole(AriaRole.Button, new() { Name = "Make the group" }).GetAttributeAsync("aria-disabled"));
        await rule.FillAsync("kind is \"kiosk\"");
        await tomas.Press("Make the group with 1 device");
        await Person.Sees(tomas.Page.GetByRole(AriaRole.Heading, new() { Name = "Kiosks", Level = 1 }));

        await using var other = await Person.SignIn(chromium, site, "pim", "operator");
        await other.Open("/groups/kiosks", "Kiosks");
        await other.Page.GetByLabel("Name", new() { Exact = true }).FillAsync("Kiosks of ours");
        await tomas.Page.GetByRole(AriaRole.Textbox, new() { Name = "Rule" }).FillAsync("kind is \"desk\"");
        await tomas.Press("Save: 1 device");
        await other.Reads("Somebody changed this group meanwhile.");
        await other.Reads("its rule is kind is \"desk\"");
        var kept = await site.Admin.Get("/api/v1/groups/kiosks", ContractJson.Default.GroupInfo);
        Assert.Equal(("Kiosks", "kind is \"desk\"", 2), (kept.Name, kept.Rule, kept.Revision));

        // What was typed is still there, and is put on top where somebody says so.
        Assert.Equal("Kiosks of ours", await other.Page.GetByLabel("Name", new() { Exact = true }).InputValueAsync());
        await other.Press("Keep mine, write it over");
        await other.Press("Save");
        await other.Reads("Kiosks of ours holds 1 device.");
        kept = await site.Admin.Get("/api/v1/groups/kiosks", ContractJson.Default.GroupInfo);
        Assert.Equal(("Kiosks of ours", "kind is \"kiosk\"", 3), (kept.Name, kept.Rule, kept.Revision));
        await other.Open("/groups/kiosks?view=moves", "Kiosks of ours");
        await other.Reads("KIOSK-1 left 'kiosks'");
        Assert.Empty(tomas.Complaints.Concat(other.Complaints));
    }

    [Fact]
    public async Task A_lost_connection_is_said_and_what_was_missed_is_there_when_it_is_back()
    {
        await using var site = await Site.StartApart();
        await site.Must("group", "new", "before");
        await using var tomas = await Person.SignIn(chromium, site, "tomas", "operator");
        await tomas.Open("/groups", "Groups");
        await tomas.Reads("before");
        await site.Process.Kill();
        await tomas.Reads("No connection since");

        // What is made before the browser is back is what it missed.
        await tomas.Page.Context.SetOfflineAsync(true);
        await site.Service.Start();
        await site.Must("group", "new", "meanwhile");
        await tomas.Page.Context.SetOfflineAsync(false);
        await Person.SeesNoMore(tomas.Page.GetByText("No connection since"));
        await tomas.Reads("meanwhile");
        Assert.DoesNotContain(tomas.Complaints, complaint => !complaint.Contains("ERR_"));
    }

    [Fact]
    public async Task What_the_service_cannot_say_just_then_is_asked_again_and_nobody_is_signed_out()
    {
        await using var site = await Site.StartApart();
        await site.Must("group", "new", "before");
        await using var tomas = await Person.SignIn(chromium, site, "tomas", "operator");
        var asked = new ConcurrentDictionary<string, int>();
        await tomas.Page.RouteAsync(new Regex("/api/v1/(session|groups)$"), route =>
            asked.AddOrUpdate(route.Request.Url, 1, (_, times) => times + 1) == 1
                ? route.FulfillAsync(
                    new()
                    {
                        Status = 503, ContentType = "application/problem+json",
                        Body = """{"type":"urn:bandejo:problem:not-ready","title":"Not ready","status":503,"detail":"The service is reading its state anew. Try again shortly."}""",
                    })
                : route.ContinueAsync());
        await tomas.Open("/groups", "Groups");
        await tomas.Reads("before");
        Assert.Equal(2, asked.Count);
        Assert.All(asked.Values, times => Assert.True(times > 1));
        Assert.Empty(tomas.Complaints);
    }

    private static async Task<DeploymentInfo> Info(Site site, string id) =>
        (await site.Admin.Get($"/api/v1/deployments/{id}", ContractJson.Default.DeploymentDetails)).Deployment;
}
