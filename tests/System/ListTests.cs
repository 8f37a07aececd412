using System.Net;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Kit;
using Xunit;

namespace Bandejo.System.Tests;

/// <summary>Lists that are sorted, filtered, cut and exported, and what is told of the whole at a glance.</summary>
public sealed class ListTests
{
    private const string Install = "mkdir -p \"$T\"; echo 2.0 > \"$T/VERSION\"";

    [Fact]
    public async Task Devices_are_sorted_by_any_fact_cut_anywhere_and_exported_whole()
    {
        await using var site = await Site.Start();
        foreach (var (name, model) in (IEnumerable<(string, string)>)[("DESK-1", "Folio 5"), ("DESK-2", "Quarto 2"), ("DESK-3", "Folio 4"), (
            "DESK-4", "Quarto 2")])
        {
            await site.Device(name, facts: $"kind: desk\nmodel: {model}\nlabel.shelf: {name[^1]}", isStarted: true);
        }

        await site.Admin.Until(async () => (await Names("filter=model is known")).Length == 4, "the models are known");
        Assert.Equal(["DESK-3", "DESK-1", "DESK-2", "DESK-4"], await Names("sort=model"));
        Assert.Equal(["DESK-2", "DESK-4", "DESK-1", "DESK-3"], await Names("sort=-model"));
        Assert.Equal(["DESK-4", "DESK-3", "DESK-2", "DESK-1"], await Names("sort=-name"));
        Assert.Equal(["DESK-1", "DESK-2"], await Names("sort=model&skip=1&limit=2"));
        Assert.Equal(["DESK-3", "DESK-4"], await Names("skip=2"));
        Assert.Equal(["DESK-4"], await Names("filter=quarto&skip=1"));

        // What a device has not said of itself comes last, whichever way round.
        await site.Device("DESK-0", isStarted: false, facts: "kind: desk");
        Assert.Equal("DESK-0", (await Names("sort=model"))[^1]);
        Assert.Equal("DESK-0", (await Names("sort=-model"))[^1]);

        var page = await site.Admin.Get("/api/v1/devices?columns=label.shelf,memory&filter=DESK-3", ContractJson.Default.PageDeviceInfo);
        var columns = Assert.Single(page.Items).Columns!;
        Assert.Equal("3", columns[0]);
        Assert.EndsWith("GiB", columns[1]);
        var csv = await site.Admin.Http.GetStringAsync("/api/v1/devices?format=csv&sort=model&columns=label.shelf&limit=1");
        Assert.Equal(6, csv.Trim().Split('\n').Length);
        Assert.StartsWith("name,kind,site,model,", csv);
        Assert.Contains("label.shelf", csv.Split('\n')[0]);

        foreach (var (query, says) in (IEnumerable<(string, string)>)[
            ("sort=modle", "Did you mean 'model'?"), ("columns=modle", "Did you mean 'model'?"), ("sort=model&cursor=DESK-1", "read on with skip"),
            ("filter=knd is \"desk\"", "Did you mean 'kind'?")])
        {
            var (status, body) = await site.Admin.Send(
                HttpMethod.Get, $"/api/v1/devices?{Uri.EscapeDataString(query).Replace("%3D", "=").Replace("%26", "&")}");
            Assert.Equal(HttpStatusCode.UnprocessableEntity, status);
            Assert.Contains(says, body);
        }

        async Task<string[]> Names(string query) =>
            [.. (await site.Admin.Get($"/api/v1/devices?{query}", ContractJson.Default.PageDeviceInfo)).Items.Select(device => device.Name)];
    }

    [Fact]
    public async Task Targets_are_filtered_by_rule_sorted_by_need_and_what_an_act_would_do_is_told_before()
    {
        await using var site = await Site.Start();
        await site.Package("notes", "2.0", $"[ ! -e \"$BANDEJO_ROOT/full\" ] || exit 28; {Install}");
        var failing = await site.Device("DESK-2", isStarted: false);
        failing.Write("full", "yes");
        await failing.Start();
        await site.Device("DESK-1");
        await site.Device("KIOSK-1", facts: "kind: kiosk", isStarted: false);
        await site.Must("group", "new", "desks");
        await site.Must("group", "member", "add", "--yes", "desks", "DESK-1", "DESK-2");
        await site.Must(
            "deployment", "start", "notes 2.0", "--to", Site.Enrolled, "--name", "Notes", "--tries", "1", "--halt", "never", "--wave",
            "Desks: group desks; 50 % met, then approval", "--wave", "Rest: everyone else", "--yes");
        var id = (await site.Admin.Get("/api/v1/deployments", ContractJson.Default.IReadOnlyListDeploymentInfo)).Single().Id;
        await site.Admin.Becomes(id, "DESK-2", "failed");
        await site.Admin.Becomes(id, "DESK-1", "met");
        Assert.Equal(["DESK-2", "KIOSK-1", "DESK-1"], await Names("sort=state"));
        foreach (var asOf in (string[])["", $"&asOf={Uri.EscapeDataString(TimeProvider.System.GetUtcNow().ToString("O"))}"])
        {
            Assert.Equal(["DESK-1", "KIOSK-1", "DESK-2"], await Names("sort=-state" + asOf));
            Assert.Equal(["KIOSK-1", "DESK-2", "DESK-1"], await Names("sort=-name" + asOf));
            Assert.Equal((await Names("sort=since" + asOf)).Reverse(), await Names("sort=-since" + asOf));
        }

        Assert.Equal(["KIOSK-1"], await Names("filter=name like \"KIOSK*\""));
        Assert.Equal(["DESK-2"], await Names("filter=desk&skip=1"));
        Assert.Equal(["DESK-1", "DESK-2"], await Names("wave=Desks"));
        Assert.Equal(4, (await site.Admin.Http.GetStringAsync($"/api/v1/deployments/{id}/targets?format=csv")).Trim().Split('\n').Length);
        Assert.Equal(
            ["DESK-2", "KIOSK-1", "DESK-1"],
            (await site.Must("deployment", "targets", id, "--sort", "state", "--output", "csv")).Split('\n', StringSplitOptions.RemoveEmptyEntries).Skip(1)
                .Select(line => line.Split(',')[0]));
        Assert.Contains("sorted by name, since or state", (await site.Admin.Send(HttpMethod.Get, $"/api/v1/deployments/{id}/targets?sort=colour")).Body);

        await site.Admin.Until(
            async () => (await Act("approve")).NotPossible is null or { Length: > 0 } && (await site.Must("deployment", "show", id)).Contains("approval"),
            "it waits for approval");
        Assert.Equal(1, (await Act("approve")).Devices);
        Assert.Contains("'Rest' with 1 device opens", (await Act("approve")).Says);
        Assert.Equal((1, null), ((await Act("retry")).Devices, (await Act("retry")).NotPossible));
        Assert.Contains("running", (await Act("resume")).NotPossible!);
        await site.Must("deployment", "pause", id);
        Assert.Contains("resume it first", (await Act("retry")).NotPossible!);
        var foretold = await Act("roll-back");
        var rolled = await site.Admin.Post(
            $"/api/v1/deployments/{id}/roll-back", new ReasonRequest("only a try"), ContractJson.Default.ReasonRequest, ContractJson.Default.ActAnswer);
        Assert.Equal((rolled.Devices, null), (foretold.Devices, foretold.NotPossible));
        Assert.InRange(rolled.Devices, 1, 2);

        async Task<string[]> Names(string query) =>
            [.. (await site.Admin.Get($"/api/v1/deployments/{id}/targets?{query}", ContractJson.Default.PageTargetInfo)).Items.Select(
                target => target.DeviceName)];
        async Task<ActPreview> Act(string act) =>
            (await site.Admin.Get($"/api/v1/deployments/{id}/acts", ContractJson.Default.IReadOnlyListActPreview)).Single(each => each.Act == act);
    }

    [Fact]
    public async Task Today_tells_what_needs_somebody_the_dearest_to_ignore_first()
    {
        await using var site = await Site.Start();
        Assert.Contains("Nothing needs you.", (await site.Must("today")) + (await site.Run("today")).Errors);
        await site.Package("notes", "2.0", "echo 'no room left'; exit 28");
        await site.Device("DESK-1");
        var id = await site.Deploy("notes 2.0", Site.Enrolled, "--tries", "1", "--halt", "1 failed");
        var loose = (
            await site.Admin.Post("/api/v1/join-codes", new JoinCodeRequest(), ContractJson.Default.JoinCodeRequest, ContractJson.Default.JoinCodeInfo)).Code!;
        using var stray = new DeviceClient(site.Service.Address);
        await stray.Join(loose);
        await site.Admin.Until(async () => (await Today()).Needs is [{ Kind: "halted" }, _], "it is halted, and one is unsorted");
        var needs = (await Today()).Needs;
        Assert.Equal(["halted", "unsorted"], needs.Select(need => need.Kind));
        Assert.Equal((id, 1), (needs[0].Deployment, needs[0].Devices));
        Assert.Contains("no room left", needs[0].Detail);
        Assert.StartsWith("bandejo deployment show", needs[0].Command);
        Assert.Contains("halted", await site.Must("today"));

        Task<TodayInfo> Today() => site.Admin.Get("/api/v1/today", ContractJson.Default.TodayInfo);
    }

    [Fact]
    public async Task Who_comes_into_a_group_and_leaves_it_is_written_down_and_facts_are_told_with_their_values()
    {
        await using var site = await Site.Start();
        var device = await site.Device("DESK-1");
        await site.Must("group", "new", "kiosks", "--rule", "kind is \"kiosk\"");
        device.Write("etc/bandejo/facts", "kind: kiosk\n");
        await site.Admin.Until(async () => (await Moves("kiosks")).Length == 1, "it came in");
        Assert.Contains("DESK-1 came into 'kiosks': kind is \"kiosk\"", (await Moves("kiosks"))[0]);
        await site.Must("group", "change", "kiosks", "--rule", "kind is \"desk\"");
        Assert.Contains("DESK-1 left 'kiosks'", (await Moves("kiosks"))[0]);
        Assert.Contains("DESK-1 left 'kiosks'", await site.Must("journal", "--group", "kiosks"));
        await site.Must("group", "member", "remove", "--yes", Site.Enrolled, "DESK-1");
        Assert.Contains("left 'enrolled'", (await Moves(Site.Enrolled))[0]);

        var facts = await site.Admin.Get("/api/v1/facts", ContractJson.Default.IReadOnlyListFactDescription);
        Assert.Equal([new CountInfo("\"kiosk\"", 1)], facts.Single(fact => fact.Name == "kind").Values);
        Assert.Empty(facts.Single(fact => fact.Name == "name").Values);
        var check = await site.Admin.Post(
            "/api/v1/rules/check", new RuleRequest("knd is \"x\""), ContractJson.Default.RuleRequest, ContractJson.Default.RuleCheck);
        Assert.Equal((null, 1, 1, 3), (check.Rule, check.Findings[0].Line, check.Findings[0].Column, check.Findings[0].Length));

        async Task<string[]> Moves(string group) =>
            [.. (await site.Admin.Get($"/api/v1/journal?group={group}", ContractJson.Default.PageEventInfo)).Items.Select(line => line.Text)];
    }
}
