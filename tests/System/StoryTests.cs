using System.Net;
using Bandejo.Clock;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Kit;
using Xunit;

namespace Bandejo.System.Tests;

/// <summary>The clock, the shelf, harm reports, wave plans and fleets, through the programs.</summary>
public sealed class StoryTests
{
    [Fact]
    public async Task A_week_passes_in_a_moment_and_a_join_code_expires_in_it()
    {
        using var clock = new ClockFolder();
        await using var site = await Site.Start("--demo-clock", clock.File);
        var code = (
            await site.Admin.Post(
                "/api/v1/join-codes", new JoinCodeRequest(Hours: 24), ContractJson.Default.JoinCodeRequest, ContractJson.Default.JoinCodeInfo)).Code!;
        var before = await site.Admin.Get("/api/v1/clock", ContractJson.Default.ClockInfo);
        Assert.Contains("a demo clock, standing still", await site.Must("clock", "advance", "7d"));
        var after = await site.Admin.Get("/api/v1/clock", ContractJson.Default.ClockInfo);
        Assert.Equal(TimeSpan.FromDays(7), after.Now - before.Now);
        using var late = new DeviceClient(site.Service.Address);
        var refused = await Assert.ThrowsAsync<Device.LinkException>(() => late.Join(code));
        Assert.Equal(410, refused.Status);
        Assert.Contains("expired at", refused.Message);

        var (exit, _, errors) = await site.Run("clock", "advance", "--to", "2020-01-01T00:00");
        Assert.Equal(3, exit);
        Assert.Contains("goes forward only", errors);
        Assert.Contains("60 times as fast as the real time", await site.Must("clock", "set", "--speed", "60"));
        Assert.Contains("60 times as fast", (await site.Run("device", "join-code", "list")).Errors + (await site.Run("journal", "--topic", "audit")).Errors);
    }

    [Fact]
    public async Task A_device_that_is_silent_is_told_of_once_wherever_it_is_waited_for_and_no_longer_when_it_speaks()
    {
        using var clock = new ClockFolder();
        await using var site = await Site.Start("--demo-clock", clock.File);
        using var time = DemoClock.Follow(clock.File);
        using var silent = new DeviceClient(site.Service.Address, time);
        using var heard = new DeviceClient(site.Service.Address, time);
        foreach (var (device, name) in new[] { (silent, "ALD-DESK-001"), (heard, "ALD-DESK-002") })
        {
            await device.Join(
                (
                    await site.Admin.Post(
                        "/api/v1/join-codes", new JoinCodeRequest(Site.Enrolled), ContractJson.Default.JoinCodeRequest, ContractJson.Default.JoinCodeInfo))
                    .Code!,
                name);
        }

        await site.Package("notes", "2.0", "exit 0");
        await site.Package("foldline", "7.1.0", "exit 0");
        foreach (var package in new[] { "notes", "foldline" })
        {
            await site.Must("deployment", "start", package, "--to", Site.Enrolled, "--name", $"All {package}", "--yes");
        }

        await site.Must("clock", "advance", "23h");
        time.Reread();
        await heard.CheckIn(1);
        Assert.DoesNotContain(await Needs(site), need => need.Kind == "silent");

        await site.Must("clock", "advance", "2h");
        time.Reread();
        await heard.CheckIn(2);
        var told = Assert.Single(await Needs(site), need => need.Kind == "silent");
        Assert.Equal((1, "1 device silent"), (told.Devices, told.Title));
        Assert.Contains("'All notes'", told.Detail);
        Assert.Contains("'All foldline'", told.Detail);
        Assert.Contains("was not heard from for longer than a day", told.Detail);

        // The command that it names shows who it is.
        var words = told.Command.Split('"');
        var shown = await site.Must([.. words[0].Split(' ', StringSplitOptions.RemoveEmptyEntries)[1..], words[1], .. words[2].Split(
            ' ', StringSplitOptions.RemoveEmptyEntries)]);
        Assert.Contains("ALD-DESK-001", shown);

        await silent.CheckIn(1);
        await site.Must("clock", "advance", "2m");
        Assert.DoesNotContain(await Needs(site), need => need.Kind == "silent");
    }

    private static async Task<IReadOnlyList<NeedInfo>> Needs(Site site) => (await site.Admin.Get("/api/v1/today", ContractJson.Default.TodayInfo)).Needs;

    [Fact]
    public async Task A_service_on_the_real_time_has_no_clock_to_set()
    {
        await using var site = await Site.Start();
        Assert.Contains("the real time", await site.Must("clock", "show"));
        var (exit, _, errors) = await site.Run("clock", "advance", "1h");
        Assert.Equal(3, exit);
        Assert.Contains("--demo-clock", errors);
        Assert.Equal(HttpStatusCode.NotFound, (await site.Admin.Send(HttpMethod.Get, "/healthz/looked")).Status);
    }

    [Fact]
    public async Task What_is_on_the_shelf_comes_only_to_who_takes_it_and_what_breaks_is_heard()
    {
        await using var site = await Site.Start();
        await site.Package("notes", "2.0", "mkdir -p \"$T\"; echo 2.0 > \"$T/VERSION\"");
        var taker = await site.Device("DESK-1");
        var second = await site.Device("DESK-2");
        var id = await site.Deploy("notes 2.0", Site.Enrolled, "--choice", "--halt", "2 harm reports");
        await site.Admin.Becomes(id, "DESK-2", "choice");
        await site.Admin.Becomes(id, "DESK-1", "choice");

        var (refused, why) = await taker.Tell("take", "nots");
        Assert.Equal(1, refused);
        Assert.Contains("It could be: notes", why);
        Assert.Equal(0, (await taker.Tell("take", "notes")).Code);
        await site.Admin.Becomes(id, "DESK-1", "met");
        Assert.Equal("2.0", taker.Read("opt/notes/VERSION"));
        await site.Admin.Until(async () => (await site.Must("deployment", "show", id)).Contains("On the shelf: 1 of 2 took it"), "the shelf is counted");

        Assert.Equal(0, (await taker.Tell("report", "notes", "it eats umlauts")).Code);
        await site.Admin.Until(
            async () => (await site.Must("deployment", "show", id)).Contains("harm reported by DESK-1: it eats umlauts"), "the harm report is shown");
        // Another word of the same user is shown, and counts no second time: one person does not stop a rollout.
        Assert.Equal(0, (await taker.Tell("report", "notes", "and accents")).Code);
        await site.Admin.Until(
            async () => (await site.Must("deployment", "show", id)).Contains("harm reported by DESK-1: and accents"), "the second word is shown");
        Assert.NotEqual("halted", (await site.Admin.Get($"/api/v1/deployments/{id}", ContractJson.Default.DeploymentDetails)).Deployment.Status);
        Assert.Equal(0, (await second.Tell("take", "notes")).Code);
        await site.Admin.Becomes(id, "DESK-2", "met");
        Assert.Equal(0, (await second.Tell("report", "notes", "umlauts here too")).Code);
        await site.Admin.Until(
            async () => (await site.Admin.Get($"/api/v1/deployments/{id}", ContractJson.Default.DeploymentDetails)).Deployment.Status == "halted",
            "the second device halts it");
        Assert.Contains("harm was reported on 2 devices, 2 is the limit", await site.Must("deployment", "show", id));
        await site.Must("deployment", "resume", id, "--reason", "the umlauts are a known thing");
        Assert.NotEqual(
            "halted",
            (
                await site.Admin.Post(
                    $"/api/v1/deployments/{id}/evaluate", new ReasonRequest(), ContractJson.Default.ReasonRequest, ContractJson.Default.DeploymentInfo))
                .Status);
    }

    [Fact]
    public async Task A_wave_plan_is_kept_used_changed_and_forgotten()
    {
        await using var site = await Site.Start();
        var (exit, _, errors) = await site.Run("wave-plan", "new", "--yes", "careful", "--wave", "Pilots: 5 %; 100 % mett", "--wave", "Rest: everyone else");
        Assert.Equal(3, exit);
        Assert.Contains("A gate does not know '100 % mett'", errors);
        await site.Must("wave-plan", "new", "--yes", "careful", "--wave", "Pilots: 5 %; 100 % met for 1h, at most 1 harm report", "--wave", "Rest: everyone else");
        await site.Package("notes", "2.0", "mkdir -p \"$T\"; echo 2.0 > \"$T/VERSION\"");
        await site.Device("DESK-1", isStarted: false);
        var preview = await site.Run("deployment", "start", "notes 2.0", "--to", Site.Enrolled, "--plan", "careful", "--preview");
        Assert.Contains("100 % met for 1 h, at most 1 harm report", preview.Output);
        await site.Must("wave-plan", "new", "--yes", "careful", "--wave", "All: everyone else");
        Assert.Equal(2, (await site.Admin.Get("/api/v1/wave-plans/careful", ContractJson.Default.WavePlanInfo)).Revision);
        Assert.Equal(
            HttpStatusCode.PreconditionFailed,
            (await site.Admin.Send(HttpMethod.Put, "/api/v1/wave-plans/careful", """{"waves":[{"name":"All","pick":"everyone else"}]}""")).Status);
        await site.Must("wave-plan", "remove", "--yes", "careful");
        Assert.Equal(3, (await site.Run("wave-plan", "show", "careful")).Code);
    }

    [Fact]
    public async Task A_fleet_plays_its_script_survives_its_death_and_what_fails_is_set_apart()
    {
        using var clock = new ClockFolder(speed: 600);
        await using var site = await Site.Start("--demo-clock", clock.File, "--check-in-seconds", "600");
        await site.Package("notes", "2.0", "true");
        await site.Must("group", "new", "all");
        var code = (
            await site.Admin.Post(
                "/api/v1/join-codes", new JoinCodeRequest("all", 20), ContractJson.Default.JoinCodeRequest, ContractJson.Default.JoinCodeInfo)).Code!;
        const string Script = """
            seed: 1
            kinds:
              - { name: new desks, count: 6, named: "NEW-{n}", sites: ALD, joins: all, facts: { kind: desk, model: Folio 5 }, free: 40 GB }
              - { name: old desks, count: 3, named: "OLD-{n}", sites: ALD, joins: all, facts: { kind: desk, model: Quarto 2 }, free: 2 GB }
            apps:
              - { app: notes, takes: 20s to 40s, troubles: [ { when: disk.free < 3 GB, does: fails, code: 28, says: no room } ] }
            """;
        await using var fleet = new FleetProcess(site.Service.Address, Script, $"all={code}\n", clock.File);
        await fleet.Start();
        await site.Admin.Until(async () => (await site.Admin.Get("/api/v1/devices", ContractJson.Default.PageDeviceInfo)).Total == 9, "nine devices join");
        await fleet.Kill();
        await fleet.Start();
        var id = await site.Deploy("notes 2.0", "all", "--tries", "1", "--halt", "never");
        await site.Admin.Until(async () =>
        {
            var states = (await site.Admin.Get($"/api/v1/deployments/{id}", ContractJson.Default.DeploymentDetails)).Deployment.States;
            return states.Any(state => state is { Name: "met", Count: 6 }) && states.Any(state => state is { Name: "failed", Count: 3 });
        }, "six have it and three fail");
        var cause = Assert.Single((await site.Admin.Get($"/api/v1/deployments/{id}", ContractJson.Default.DeploymentDetails)).Causes);
        Assert.Contains("model is Quarto 2: all 3 of these, none of 6 others", cause.SetApart);
        Assert.Contains("no room", cause.What);

        // A device that somebody removes stops; the others play on.
        await site.Must("device", "remove", "NEW-1", "--yes");
        await site.Must("clock", "advance", "1h");
        await site.Service.Logs("not enrolled here");
        await site.Package("notes", "3.0", "true");
        var next = await site.Deploy("notes 3.0", "all", "--tries", "1", "--halt", "never");
        await site.Admin.Becomes(next, "NEW-2", "met");
        Assert.Null(await fleet.Ended());
    }

    [Fact]
    public async Task A_script_with_errors_is_refused_with_the_place_of_each()
    {
        using var folder = new ClockFolder();
        var file = folder.File + ".yaml";
        await File.WriteAllTextAsync(file, """
            seed: many
            kinds:
              - { name: desks, count: 3, named: "D-{n}", sites: ALD, facts: { knd: desk }, on: mornings }
            apps:
              - { app: notes, troubles: [ { does: explodes } ] }
            """);
        using var process = Programs.Start(Programs.Fleet, ["check", file]);
        var errors = await process.StandardError.ReadToEndAsync();
        await process.WaitForExitAsync();
        Assert.Equal(2, process.ExitCode);
        Assert.Contains(":1:7: 'many' is not a number", errors);
        Assert.Contains("There is no fact 'knd'", errors);
        Assert.Contains("'mornings' is not 'always' nor hours", errors);
        Assert.Contains("'explodes' is not something that happens", errors);
    }

    [Fact]
    public async Task An_app_shows_its_own_picture_and_nothing_in_it_may_run()
    {
        await using var site = await Site.Start();
        await site.Must("package", "build", Path.Combine(Programs.Root(), "demo/packages/foldline-7.2.0"));
        using var response = await site.Admin.Http.GetAsync("/api/v1/apps/foldline/icon");
        Assert.Equal("image/svg+xml", response.Content.Headers.ContentType!.MediaType);
        Assert.Equal(
            await File.ReadAllTextAsync(Path.Combine(Programs.Root(), "demo/packages/foldline-7.2.0/icon.svg")), await response.Content.ReadAsStringAsync());
        Assert.Contains("sandbox", response.Headers.GetValues("Content-Security-Policy").Single());
        Assert.Equal(HttpStatusCode.NotFound, (await site.Admin.Send(HttpMethod.Get, "/api/v1/apps/nothing/icon")).Status);
    }
}
