using System.Net;
using System.Text.Json.Nodes;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Kit;
using Microsoft.Playwright;
using Xunit;

namespace Bandejo.Browser.Tests;

/// <summary>The console stays where somebody is, whatever becomes of service, network and session; nothing that was typed is lost.</summary>
[Collection(BrowserTests.Name)]
public sealed class StayTests(Chromium chromium)
{
    [Fact]
    public async Task A_service_that_hangs_is_told_of_and_one_that_goes_on_is_followed_again()
    {
        await using var site = await Site.StartApart();
        await site.Must("group", "new", "before");
        await using var tomas = await Person.SignIn(chromium, site, "tomas", "operator");
        await tomas.Open("/groups", "Groups");
        await tomas.Reads("before");
        await HasFetched(tomas, "CompliancePage");
        await site.Process.Freeze();
        try
        {
            await tomas.Reads("What you see may be old");
            await tomas.Page.GetByRole(AriaRole.Link, new() { Name = "Compliance" }).ClickAsync();
            await tomas.Reads("The service has not answered for 20 seconds.");
        }
        finally
        {
            await site.Process.GoOn();
        }

        await Person.SeesNoMore(tomas.Page.GetByText("What you see may be old"));
        await Person.Sees(tomas.Page.GetByRole(AriaRole.Heading, new() { Name = "Compliance", Level = 1 }));
        Assert.DoesNotContain(tomas.Complaints, complaint => !complaint.Contains("ERR_"));
    }

    [Fact]
    public async Task Many_tabs_share_one_line_and_all_follow()
    {
        await using var site = await Site.StartApart();
        await using var tomas = await Person.SignIn(chromium, site, "tomas", "operator");
        var tabs = new List<IPage>();
        for (var i = 0; i < 10; i++)
        {
            var tab = await tomas.Page.Context.NewPageAsync();
            await tab.GotoAsync("/groups");
            await Person.Sees(tab.GetByRole(AriaRole.Heading, new() { Name = "Groups", Level = 1 }));
            tabs.Add(tab);
        }

        await site.Must("group", "new", "seen-by-all");
        foreach (var tab in tabs)
        {
            await Person.Sees(tab.GetByText("seen-by-all").First);
        }

        // Whichever has the line: when it goes, another takes it.
        await tomas.Page.CloseAsync();
        await tabs[0].CloseAsync();
        await site.Must("group", "new", "seen-later");
        foreach (var tab in tabs.Skip(1))
        {
            await Person.Sees(tab.GetByText("seen-later").First);
        }
    }

    [Fact]
    public async Task Without_a_network_a_page_that_was_never_open_says_so_in_its_place()
    {
        await using var site = await Site.StartApart();
        await using var tomas = await Person.SignIn(chromium, site, "tomas", "operator");
        await HasFetched(tomas, "SettingsPage");
        await tomas.Page.Context.SetOfflineAsync(true);
        foreach (var part in (string[])["Compliance", "Journal", "Settings", "Groups"])
        {
            await tomas.Page.GetByRole(AriaRole.Link, new() { Name = part, Exact = true }).ClickAsync();
            await Person.Sees(tomas.Page.GetByRole(AriaRole.Heading, new() { Level = 1 }));
            await Person.Sees(tomas.Page.GetByRole(AriaRole.Link, new() { Name = "Devices", Exact = true }));
        }

        await tomas.Page.Context.SetOfflineAsync(false);
        await tomas.Reads("Make a group");
    }

    [Fact]
    public async Task When_a_session_ends_the_page_and_what_was_typed_stay_and_other_rights_are_followed_at_once()
    {
        await using var site = await Site.StartApart();
        await using var tomas = await Person.SignIn(chromium, site, "tomas", "operator");
        await tomas.Open("/groups/new", "Make a group");
        await tomas.Page.GetByLabel("Name", new() { Exact = true }).FillAsync("Typed before it ended");

        // Who may less is shown less, without a click.
        await site.Must("account", "change", "tomas", "--role", "viewer");
        await tomas.Page.GetByText("tomas · viewer").First.WaitForAsync();
        await site.Must("account", "change", "tomas", "--role", "operator");
        await tomas.Page.GetByText("tomas · operator").First.WaitForAsync();
        Assert.Equal("Typed before it ended", await tomas.Page.GetByLabel("Name", new() { Exact = true }).InputValueAsync());

        foreach (var session in (await site.Admin.Get("/api/v1/tokens?account=tomas", ContractJson.Default.IReadOnlyListTokenInfo)).Where(each => each.IsSession))
        {
            await site.Admin.Send(HttpMethod.Delete, $"/api/v1/tokens/{session.Id}");
        }

        await tomas.Reads("Your session has ended.");
        await tomas.SignIn("tomas", "long-enough-1");
        await Person.SeesNoMore(tomas.Page.GetByText("Your session has ended."));
        Assert.Equal("Typed before it ended", await tomas.Page.GetByLabel("Name", new() { Exact = true }).InputValueAsync());
        await tomas.Page.Locator("label", new() { HasText = "Listed by hand" }).ClickAsync();
        await tomas.Press("Make the group");
        await Person.Sees(tomas.Page.GetByRole(AriaRole.Heading, new() { Name = "Typed before it ended", Level = 1 }));
    }

    [Fact]
    public async Task The_end_of_a_long_list_is_one_key_away_rows_are_moved_together_and_what_was_pressed_twice_is_made_once()
    {
        await using var site = await Site.StartApart("--joins-per-minute", "1000");
        var code = (await site.Admin.Post(
            "/api/v1/join-codes", new JoinCodeRequest(Site.Enrolled, 300), ContractJson.Default.JoinCodeRequest, ContractJson.Default.JoinCodeInfo)).Code!;
        for (var i = 0; i < 260; i++)
        {
            using var device = new DeviceClient(site.Service.Address);
            await device.Join(code, $"DESK-{i:000}");
        }

        await using var tomas = await Person.SignIn(chromium, site, "tomas", "operator");
        await tomas.Open("/devices", "Devices");
        await tomas.Reads("DESK-000");
        await tomas.Page.Keyboard.PressAsync("End");
        await tomas.Reads("DESK-259");
        await tomas.Page.Keyboard.PressAsync("Home");
        await tomas.Reads("DESK-000");

        // Rows that are ticked go into a group together, and out of it.
        await site.Must("group", "new", "picked");
        await tomas.Page.GetByLabel("Choose DESK-001").CheckAsync();
        await tomas.Page.GetByLabel("Choose DESK-002").CheckAsync();
        await tomas.Press("Put 2 into a group…");
        var dialog = tomas.Page.GetByRole(AriaRole.Dialog);
        await dialog.GetByPlaceholder("A listed group").ClickAsync();
        await tomas.Page.GetByRole(AriaRole.Option, new() { Name = "picked" }).ClickAsync();
        await tomas.Reads("bandejo group member add picked DESK-001 DESK-002");
        await tomas.Press("Put 2 devices in");
        await tomas.Reads("picked holds 2 devices now.");
        await tomas.Page.GotoAsync("/groups/picked?view=devices&filter=DESK-002");
        await tomas.Page.GetByLabel("Choose DESK-002").CheckAsync();
        Assert.Equal(0, await tomas.Page.GetByLabel("Choose DESK-001").CountAsync());
        await tomas.Press("Take 1 out…");
        await tomas.Reads("No device of it fits");
        Assert.Equal(1, (await site.Admin.Get("/api/v1/groups/picked", ContractJson.Default.GroupInfo)).Devices);
        await tomas.Open("/groups/new", "Make a group");
        await tomas.Page.GetByLabel("Name", new() { Exact = true }).FillAsync("Twice");
        await tomas.Page.Locator("label", new() { HasText = "Listed by hand" }).ClickAsync();
        await tomas.Page.GetByRole(AriaRole.Button, new() { Name = "Make the group" }).DblClickAsync();
        await Person.Sees(tomas.Page.GetByRole(AriaRole.Heading, new() { Name = "Twice", Level = 1 }));
        Assert.Single(await site.Admin.Get("/api/v1/groups", ContractJson.Default.IReadOnlyListGroupInfo), group => group.Name == "Twice");
        Assert.DoesNotContain(
            "There is a group", await tomas.Page.Locator("body").TextContentAsync());
    }

    [Fact]
    public async Task A_wrong_password_ends_no_session_and_another_one_ends_the_others()
    {
        await using var site = await Site.StartApart();
        await using var tomas = await Person.SignIn(chromium, site, "tomas", "operator");
        using var program = await ApiClient.SignIn(site.Service.Address, "tomas", "long-enough-1");
        await tomas.Page.GotoAsync("/settings?view=password");
        await Change("not-the-one-1");
        await tomas.Reads("That is not the password you have.");
        Assert.False(await tomas.Page.GetByText("Your session has ended").IsVisibleAsync());
        await Change("long-enough-1");
        await tomas.Reads("Your password is changed; your other tokens and sessions have ended.");
        Assert.Equal(HttpStatusCode.Unauthorized, (await program.Send(HttpMethod.Get, "/api/v1/session")).Status);
        await tomas.Open("/groups", "Groups");

        async Task Change(string old)
        {
            await tomas.Page.GetByLabel("The password you have").FillAsync(old);
            await tomas.Page.GetByLabel("The new one").FillAsync("long-enough-2");
            await tomas.Press("Change your password");
        }
    }

    [Fact]
    public async Task Two_who_write_one_draft_do_not_erase_each_other_and_one_who_writes_quickly_is_not_taken_for_two()
    {
        await using var site = await Site.StartApart();
        var draft = JsonNode.Parse((await site.Admin.Send(HttpMethod.Post, "/api/v1/bench")).Body)!["id"]!.ToString();
        var address = $"/api/v1/bench/{draft}/manifest";
        await Write("app: one");
        await using var ines = await Person.SignIn(chromium, site, "ines", "packager");
        await ines.Page.GotoAsync($"/bench/{draft}");
        var editor = ines.Page.GetByRole(AriaRole.Textbox, new() { Name = "Manifest" });
        await Person.Sees(editor);

        // The first answer is late: what is typed meanwhile is sent when its revision is known.
        var (held, sent) = (new TaskCompletionSource(), 0);
        await ines.Page.RouteAsync("**" + address, async route =>
        {
            if (Interlocked.Increment(ref sent) == 1)
            {
                await held.Task;
            }

            await route.ContinueAsync();
        });
        await ines.Page.RunAndWaitForRequestAsync(() => editor.FillAsync("app: two"), request => request.Url.EndsWith(address, StringComparison.Ordinal));
        await Assert.ThrowsAsync<TimeoutException>(() => ines.Page.RunAndWaitForRequestAsync(
            () => editor.FillAsync("app: three"), request => request.Url.EndsWith(address, StringComparison.Ordinal), new() { Timeout = 1_500 }));
        held.SetResult();
        await ApiClient.Comes(async () => await Manifest() == "app: three", "what was typed last is kept");
        Assert.False(await ines.Page.GetByText("Somebody changed this draft meanwhile.").IsVisibleAsync());

        await Write("app: theirs");
        await editor.FillAsync("app: mine");
        await ines.Reads("Somebody changed this draft meanwhile.");
        Assert.Equal("app: theirs", await Manifest());
        await ines.Press("Keep mine, write it over");
        await ApiClient.Comes(async () => await Manifest() == "app: mine", "what was typed is put on top");

        Task Write(string manifest) => site.Admin.Send(HttpMethod.Put, address, $$"""{"manifest":"{{manifest}}"}""");

        async Task<string> Manifest() =>
            JsonNode.Parse((await site.Admin.Send(HttpMethod.Get, $"/api/v1/bench/{draft}")).Body)!["manifest"]!.ToString();
    }

    /// <summary>Waits until a page was fetched ahead, as all are while nothing else is to be done.</summary>
    private static Task HasFetched(Person person, string page) => person.Page.WaitForFunctionAsync(
        "page => performance.getEntriesByType('resource').some(each => each.name.includes(page) && each.responseEnd > 0)", page);
}
