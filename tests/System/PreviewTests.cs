using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Kit;
using Xunit;

namespace Bandejo.System.Tests;

/// <summary>What is said before the start is what the start does.</summary>
public sealed class PreviewTests
{
    private const string Put = "mkdir -p \"$T\" && echo \"$BANDEJO_VERSION\" > \"$T/VERSION\"";

    [Fact]
    public async Task Opposite_wishes_are_found_before_the_start()
    {
        await using var site = await Site.Start();
        await site.Must("group", "new", "all", "--rule", "yes");
        await site.Device("A-1", isStarted: false);
        await site.Package("foldline", "7.2.0", "true");
        await site.Deploy("foldline", "all");
        var (code, output, _) = await site.Run("deployment", "start", "foldline", "--to", "all", "--gone", "--preview");
        Assert.Equal(1, code);
        Assert.Contains("wants the opposite of 1 of these devices (A-1)", output);
        Assert.Equal(0, (await site.Run("deployment", "start", "foldline", "--to", "all", "--gone", "--priority", "5", "--yes")).Code);
        var why = await site.Must("device", "why", "A-1");
        Assert.Contains("is yielded", why);
        Assert.Contains("rules foldline here", why);
    }

    [Fact]
    public async Task A_preview_says_who_is_reached_and_who_is_not_and_what_stands_against_it()
    {
        await using var site = await Site.Start();
        await site.Must("group", "new", "desks", "--rule", "kind is \"desk\"");
        await site.Must("group", "new", "servers", "--rule", "label.serves is \"yes\"");
        await site.Package("foldline", "7.2.0", "true", requires: "label.serves is \"no\" or label.serves is \"yes\"", isReleased: false);
        foreach (var (name, facts) in new[] { ("A-1", "kind: desk\nlabel.serves: no"), ("A-2", "kind: desk\nlabel.serves: yes"), ("A-3", "kind: desk") })
        {
            await site.Device(name, facts: facts, isStarted: false);
        }

        var (code, output, _) = await site.Run(
            "deployment", "start", "foldline 7.2.0", "--to", "desks", "--except", "servers", "--wave", "Some: 1 device", "--preview");
        Assert.Equal(1, code);
        Assert.Contains("is not released; it reaches only groups marked for testing", output);
        Assert.Contains("would reach 1 device", output);
        Assert.Contains("Left out by 'servers' (A-2)", output);
        Assert.Contains("Not known yet whether 'servers' leaves it out, so it does (A-3)", output);
        await site.Must("package", "release", "foldline", "--reason", "for the test");
        var second = await site.Run("deployment", "start", "foldline", "--to", "desks", "--wave", "Some: 1 device", "--preview");
        Assert.Contains("2 of 3 devices are picked by no wave", second.Output);
        Assert.Equal(1, (await site.Run("deployment", "start", "foldline", "--to", "desks", "--wave", "Some: 1 device", "--yes")).Code);
        Assert.Equal(2, (await site.Run("deployment", "start", "foldline", "--to", "desks")).Code);
        Assert.DoesNotContain("D1001", await site.Must("deployment", "list", "--all"));
    }

    [Fact]
    public async Task The_devices_that_a_preview_names_for_a_count_or_a_share_are_those_that_the_start_takes()
    {
        await using var site = await Site.Start();
        await site.Package("notes", "2.0", Put);
        for (var i = 0; i < 12; i++)
        {
            await site.Device($"DESK-{i:00}", isStarted: false);
        }

        IReadOnlyList<WaveRequest> waves = [new("Few", "2 devices", "100 % met"), new("Some", "30 %", "100 % met"), new("Rest", "everyone else")];
        var request = new DeploymentRequest("notes", [Site.Enrolled], waves, "Notes");
        var preview = await Preview(site, request);
        Assert.Equal([2, 3, 7], preview.Waves.Select(wave => wave.Devices));
        Assert.Equal(
            preview.Waves.Select(wave => wave.Sample),
            (await Preview(site, request with { Name = "Another name", Package = "notes 2.0" })).Waves.Select(wave => wave.Sample));
        Assert.NotEqual(preview.Waves.Select(wave => wave.Sample), (await Preview(site, request with { Salt = "other ones" })).Waves.Select(
            wave => wave.Sample));
        var started = await site.Admin.Post("/api/v1/deployments", request, ContractJson.Default.DeploymentRequest, ContractJson.Default.DeploymentInfo);
        foreach (var wave in preview.Waves)
        {
            var taken = await site.Admin.Get($"/api/v1/deployments/{started.Id}/targets?wave={wave.Name}", ContractJson.Default.PageTargetInfo);
            Assert.Equal(wave.Sample, taken.Items.Select(target => target.DeviceName).Order(StringComparer.Ordinal));
        }
    }

    [Fact]
    public async Task Who_yields_is_not_reached_and_a_threshold_that_cannot_be_met_is_said_before_the_start()
    {
        await using var site = await Site.Start();
        await site.Package("notes", "2.0", Put);
        await site.Package("notes", "2.1", Put, requires: "memory >= 900 GiB");
        await site.Must("group", "new", "firm");
        var firm = await site.Device("DESK-1", "firm");
        await site.Must("group", "member", "add", "--yes", Site.Enrolled, "DESK-1");
        var other = await site.Device("DESK-2");
        var ruling = await site.Deploy("notes 2.0", "firm", "--priority", "5");
        await site.Admin.Becomes(ruling, firm.Name, "met");
        await site.Admin.Until(
            async () => (await Preview(site, new DeploymentRequest("notes 2.0", [Site.Enrolled], [new("All", "everyone else")]))).Out.Count == 1,
            "both have told what they are");
        var waves = new WaveRequest[] { new("All", "everyone else", "100 % met, then approval") };
        var preview = await Preview(site, new DeploymentRequest("notes 2.0", [Site.Enrolled], waves));
        Assert.Equal(1, preview.Reached);
        var yields = Assert.Single(preview.Out);
        Assert.Contains("Yields:", yields.Reason);
        Assert.Equal(["DESK-1"], yields.Sample);
        Assert.Equal((1, "needs 1 of 1"), (preview.Waves[0].Counted, preview.Waves[0].Arithmetic));
        var id = await site.Deploy("notes 2.0", Site.Enrolled);
        await site.Admin.Becomes(id, firm.Name, "yielded");
        await site.Admin.Becomes(id, other.Name, "met");

        var blocked = await Preview(site, new DeploymentRequest("notes 2.1", [Site.Enrolled], waves, Priority: 9));
        Assert.Contains(
            "needs 2 of 2 met, and as things are only 0 can be: 2 × required: memory >= 900 GiB",
            Assert.Single(blocked.Findings, finding => finding.Where == "waves[0].gate").Message);
        Assert.True(blocked.CanStart);
    }

    [Fact]
    public async Task A_choice_installs_nothing_by_itself_and_its_preview_says_so()
    {
        await using var site = await Site.Start();
        await site.Package("notes", "2.0", Put);
        var device = await site.Device("DESK-1");
        await site.Admin.Until(
            async () => (await Preview(site, new DeploymentRequest("notes", [Site.Enrolled], [new("All", "everyone else")]))).Reached == 1,
            "it has told what it is");
        var request = new DeploymentRequest("notes", [Site.Enrolled], [new("First", "1 device", "100 % met"), new("Rest", "everyone else")], Wish: "choice");
        var preview = await Preview(site, request);
        Assert.Equal(("offered", "choice", 1), (preview.Effects[0].Code, preview.Wish, preview.Effects[0].Count));
        Assert.Contains(preview.Findings, finding => finding.Message.Contains("counts only those who took it"));
        var said = await site.Must("deployment", "start", "notes", "--to", Site.Enrolled, "--choice", "--name", "Shelf", "--yes");
        Assert.Contains("would be offered to 1 device", said);
        Assert.Contains("Nothing is installed until a user takes it", said);
        await site.Admin.Becomes("Shelf", device.Name, "choice");
        Assert.Null(device.Read("opt/notes/VERSION"));
    }

    [Fact]
    public async Task All_that_was_chosen_is_shown_before_and_after_the_start_and_times_that_cannot_be_meant_are_said()
    {
        await using var site = await Site.Start();
        await site.Package("notes", "2.0", Put);
        await site.Device("DESK-1", isStarted: false);
        var now = (await site.Admin.Get("/api/v1/clock", ContractJson.Default.ClockInfo)).Now;
        var request = new DeploymentRequest(
            "notes", [Site.Enrolled], [new("All", "everyone else", null, now.AddDays(2))], "Notes", Halt: "3 failed", RollBackOnHalt: true,
            Deadline: now.AddDays(3), Tries: 7, RetryPause: "2m", Lease: "4h", Priority: 6, AllowDowngrade: true);
        var preview = await Preview(site, request);
        Assert.DoesNotContain(preview.Findings, finding => finding.Where is "deadline" or "waves[0].opensAt");
        var chosen = preview.Chosen.Where(each => !each.IsUsual).ToDictionary(each => each.Name, each => each.Value);
        Assert.Equal(["deadline", "downgrade", "halt", "lease", "on-halt", "priority", "tries"], chosen.Keys.Order(StringComparer.Ordinal));
        Assert.Equal(("3 failed", "everything it changed is rolled back", "7, 2 min before the second", "6"), (
            chosen["halt"], chosen["on-halt"], chosen["tries"].Replace("2m", "2 min", StringComparison.Ordinal), chosen["priority"]));
        Assert.Equal(now.AddDays(2), preview.Waves[0].OpensAt);

        var late = await Preview(site, request with { Deadline = now.AddDays(-1) });
        Assert.False(late.CanStart);
        Assert.Contains("every device would be late at once", Assert.Single(late.Findings, finding => finding.Where == "deadline").Message);
        Assert.Contains(
            "late before they may start",
            Assert.Single((await Preview(site, request with { Deadline = now.AddDays(1) })).Findings, finding => finding.Where == "waves[0].opensAt").Message);

        var started = await site.Admin.Post("/api/v1/deployments", request, ContractJson.Default.DeploymentRequest, ContractJson.Default.DeploymentInfo);
        var details = await site.Admin.Get($"/api/v1/deployments/{started.Id}", ContractJson.Default.DeploymentDetails);
        Assert.Equal(preview.Chosen, details.Chosen);
        var shown = await site.Must("deployment", "show", started.Id);
        Assert.Contains("everything it changed is rolled back", shown);
        Assert.Contains("not before", shown);
    }

    private static Task<DeploymentPreview> Preview(Site site, DeploymentRequest request) =>
        site.Admin.Post("/api/v1/deployments/preview", request, ContractJson.Default.DeploymentRequest, ContractJson.Default.DeploymentPreview);
}
