using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Kit;
using Xunit;

namespace Bandejo.System.Tests;

/// <summary>What a roll back says beforehand is what it does: whom it reaches, to what, and whom it cannot reach.</summary>
public sealed class RollBackTests
{
    private const string Put = "mkdir -p \"$T\" && echo \"$BANDEJO_VERSION\" > \"$T/VERSION\"";
    private const string Slow = "echo run >> \"$BANDEJO_ROOT/ran\"\nwhile [ ! -e \"$BANDEJO_ROOT/go\" ]; do [ -d \"$BANDEJO_ROOT\" ] || exit; sleep 0.05; "
        + "done\n"
        + Put;

    [Fact]
    public async Task A_roll_back_says_who_goes_back_to_what_and_who_cannot_and_does_that_and_ends()
    {
        await using var site = await Site.Start();
        await site.Package("foldline", "7.1.0", Put);
        await site.Package("foldline", "7.2.0", Put);
        var ours = await site.Device("DESK-OURS");
        await site.Admin.Becomes(await site.Deploy("foldline 7.1.0", Site.Enrolled), ours.Name, "met");
        var fresh = await site.Device("DESK-FRESH", isStarted: false);
        var foreign = await site.Device("DESK-FOREIGN", isStarted: false);
        foreign.Write("opt/foldline/VERSION", "6.5.0");
        await site.Must("deployment", "end", "--yes", (await Only(site, "foldline 7.1.0")).Id, "--reason", "the next one follows");
        await foreign.Start();
        await fresh.Start();
        var id = await site.Deploy("foldline 7.2.0", Site.Enrolled);
        foreach (var device in new[] { ours, fresh, foreign })
        {
            await site.Admin.Becomes(id, device.Name, "met");
        }

        var said = await site.Must("deployment", "roll-back", id, "--preview", "--reason", "x");
        Assert.Contains("1 device goes back to foldline 7.1.0. (DESK-OURS)", said);
        Assert.Contains("1 device had nothing before: foldline is taken away there. (DESK-FRESH)", said);
        Assert.Contains("1 device cannot go back: foldline 6.5.0 was there before, and no package of it is kept here. (DESK-FOREIGN)", said);
        var preview = await Preview(site, id, new RollBackRequest());
        var act = (await site.Admin.Get($"/api/v1/deployments/{id}/acts", ContractJson.Default.IReadOnlyListActPreview))
            .Single(each => each.Act == "roll-back");
        Assert.Equal((2, 2, null), (preview.Devices, act.Devices, act.NotPossible));
        Assert.Contains(preview.Says, act.Says);

        Assert.Contains("2 devices are being rolled back", await site.Must("deployment", "roll-back", id, "--reason", "prints blank pages", "--yes"));
        await site.Admin.Becomes(id, ours.Name, "undone");
        await site.Admin.Becomes(id, fresh.Name, "undone");
        await site.Admin.Until(async () => (await Seen(site, id)).Status == "ended", "nothing more can be done");
        Assert.Equal(("7.1.0", null, "7.2.0"), (ours.Read("opt/foldline/VERSION"), fresh.Read("opt/foldline/VERSION"), foreign.Read("opt/foldline/VERSION")));
        Assert.Contains("1 device could not be brought back", (await Seen(site, id)).Sentence);
        var left = await site.Admin.Becomes(id, foreign.Name, "met");
        Assert.Contains("Cannot go back: foldline 6.5.0", left.Reason);

        // Nothing is left to do, and it says why; once the package is there, the last one goes back too, although the deployment has ended.
        var (code, output, errors) = await site.Run("deployment", "roll-back", id, "--reason", "the last one too", "--yes");
        Assert.Equal(1, code);
        Assert.Contains("Nothing more can be rolled back.", output + errors);
        Assert.Contains("no package of it is kept", output + errors);
        await site.Package("foldline", "6.5.0", Put);
        Assert.Contains("1 device is being rolled back", await site.Must(
            "deployment", "roll-back", id, "--device", "DESK-FOREIGN", "--reason", "the last one too", "--yes"));
        await site.Admin.Becomes(id, foreign.Name, "undone");
        await site.Admin.Until(async () => (await Seen(site, id)).Status == "ended", "it has ended again");
        Assert.Equal("6.5.0", foreign.Read("opt/foldline/VERSION"));
    }

    [Fact]
    public async Task One_device_or_one_wave_goes_back_while_the_others_go_on_and_also_who_left_is_reached()
    {
        await using var site = await Site.Start();
        await site.Package("foldline", "7.1.0", Put);
        await site.Must("group", "new", "desks");
        AgentProcess[] desks = [await site.Device("DESK-1", "desks"), await site.Device("DESK-2", "desks"), await site.Device("DESK-3", "desks")];
        await site.Must("group", "new", "pilots");
        await site.Must("group", "member", "add", "--yes", "pilots", "DESK-1");
        var id = await site.Deploy("foldline", "desks", "--wave", "Pilots: group pilots; 100 % met", "--wave", "Rest: everyone else");
        foreach (var desk in desks)
        {
            await site.Admin.Becomes(id, desk.Name, "met");
        }

        await site.Must("deployment", "roll-back", id, "--device", "DESK-2", "--reason", "its screen stays dark", "--yes");
        await site.Admin.Becomes(id, "DESK-2", "undone");
        Assert.Equal((null, "7.1.0"), (desks[1].Read("opt/foldline/VERSION"), desks[0].Read("opt/foldline/VERSION")));
        Assert.NotEqual("rolling-back", (await Seen(site, id)).Status);
        await site.Must("deployment", "retry", id, "--device", "DESK-2", "--reason", "the screen was loose");
        await site.Admin.Becomes(id, "DESK-2", "met");
        Assert.Equal("7.1.0", desks[1].Read("opt/foldline/VERSION"));

        await site.Must("group", "member", "remove", "--yes", "desks", "DESK-3");
        await site.Admin.Becomes(id, "DESK-3", "left");
        Assert.Contains("has no wave 'Nobody'", (await site.Run("deployment", "roll-back", id, "--wave", "Nobody", "--reason", "x", "--yes")).Errors);
        await site.Must("deployment", "roll-back", id, "--wave", "rest", "--reason", "that floor only", "--yes");
        await site.Admin.Becomes(id, "DESK-2", "undone");
        await site.Admin.Becomes(id, "DESK-3", "undone");
        Assert.Equal(("7.1.0", null, null), (desks[0].Read("opt/foldline/VERSION"), desks[1].Read("opt/foldline/VERSION"), desks[2].Read(
            "opt/foldline/VERSION")));
    }

    [Fact]
    public async Task What_is_at_work_is_brought_back_when_it_has_finished_and_what_changed_nothing_is_left_alone()
    {
        await using var site = await Site.Start();
        await site.Package("plateglass", "1.0", Slow);
        var slow = await site.Device("STU-1");
        var never = await site.Device("STU-2", isStarted: false);
        var id = await site.Deploy("plateglass", Site.Enrolled);
        await slow.Appears("ran");
        await site.Admin.Becomes(id, slow.Name, "working");
        Assert.Contains("1 device is at work: it finishes and goes back then.", await site.Must(
            "deployment", "roll-back", id, "--reason", "too early", "--yes"));
        Assert.Contains("0 undone, 1 to go", (await Seen(site, id)).Sentence);
        slow.Write("go", "");
        await site.Admin.Becomes(id, slow.Name, "undone");
        await site.Admin.Until(async () => (await Seen(site, id)).Status == "ended", "all are back");
        Assert.Equal((null, "run"), (slow.Read("opt/plateglass/VERSION"), slow.Read("ran")));

        // Who had not begun is not touched: not by what was started, and not by what goes back.
        await never.Start();
        await site.Package("marker", "1.0", Put);
        await site.Admin.Becomes(await site.Deploy("marker", Site.Enrolled), never.Name, "met");
        Assert.Empty(await site.Admin.Attempts(id, never.Name));
        Assert.False(File.Exists(Path.Combine(never.Root, "ran")));
    }

    [Fact]
    public async Task A_deployment_that_would_put_it_there_again_is_named_and_can_be_paused_with_it_also_where_the_package_was_withdrawn()
    {
        await using var site = await Site.Start();
        await site.Package("foldline", "7.2.0", Put);
        var device = await site.Device("DESK-1");
        var first = await site.Deploy("foldline 7.2.0", Site.Enrolled);
        await site.Admin.Becomes(first, device.Name, "met");
        await site.Must("deployment", "start", "foldline 7.2.0", "--to", Site.Enrolled, "--name", "Foldline again", "--yes");
        Assert.Contains("'Foldline again' would put foldline 7.2.0 on 1 of these devices again. Add --pause-others", await site.Must(
            "deployment", "roll-back", first, "--preview"));
        await site.Must("deployment", "roll-back", first, "--pause-others", "--reason", "prints blank pages", "--yes");
        await site.Admin.Becomes(first, device.Name, "undone");
        Assert.Equal("paused", (await Only(site, "Foldline again")).Status);
        Assert.Null(device.Read("opt/foldline/VERSION"));

        await site.Must("deployment", "resume", "Foldline again", "--reason", "it was the printer");
        await site.Admin.Becomes("Foldline again", device.Name, "met");
        await site.Must("package", "withdraw", "--yes", "foldline 7.2.0", "--reason", "it was not the printer");
        await site.Must("deployment", "roll-back", "Foldline again", "--reason", "withdrawn", "--yes");
        await site.Admin.Becomes("Foldline again", device.Name, "undone");
        Assert.Null(device.Read("opt/foldline/VERSION"));
    }

    [Fact]
    public async Task What_changes_between_look_and_act_is_looked_at_again_and_never_acted_upon_unseen()
    {
        await using var site = await Site.Start();
        await site.Package("foldline", "7.2.0", Put);
        var device = await site.Device("DESK-1");
        var id = await site.Deploy("foldline 7.2.0", Site.Enrolled);
        await site.Admin.Becomes(id, device.Name, "met");
        await site.Admin.Until(async () => (await Seen(site, id)).Status == "standing", "it stands");

        // Who pauses and resumes it changes it each time, just before the act arrives.
        var quicker = 0;
        await using var between = await Between.Start(site.Service.Address, async (method, path) =>
        {
            if (method == "POST" && (path.EndsWith("/roll-back", StringComparison.Ordinal) || path.EndsWith("/halt", StringComparison.Ordinal))
                && quicker-- > 0)
            {
                await site.Must("deployment", (await Seen(site, id)).Status == "paused" ? "resume" : "pause", id, "--reason", "quicker");
            }
        });

        quicker = 1;
        var (code, output, errors) = await site.Run("deployment", "halt", id, "--reason", "prints blank pages", "--service", between.Address);
        Assert.True(code == 0, output + errors);
        Assert.Equal("halted", (await Seen(site, id)).Status);
        await site.Must("deployment", "resume", id, "--reason", "once more");

        quicker = int.MaxValue;
        (code, _, errors) = await site.Run("deployment", "roll-back", id, "--reason", "prints blank pages", "--yes", "--service", between.Address);
        Assert.Equal(3, code);
        Assert.Contains("Somebody changed this meanwhile", errors);
        Assert.NotEqual("rolling-back", (await Seen(site, id)).Status);
        Assert.StartsWith("7.2.0", device.Read("opt/foldline/VERSION"));

        quicker = 1;
        (code, output, errors) = await site.Run("deployment", "roll-back", id, "--reason", "prints blank pages", "--yes", "--service", between.Address);
        Assert.True(code == 0, output + errors);
        Assert.Contains("It changed meanwhile", errors);
        Assert.Equal(2, output.Split("had nothing before").Length - 1);
        await site.Admin.Becomes(id, device.Name, "undone");
    }

    [Fact]
    public async Task A_retry_of_many_does_what_it_can_and_says_of_whom_not()
    {
        await using var site = await Site.Start();
        await site.Package("notes", "2.0", "[ -e \"$BANDEJO_ROOT/full\" ] && exit 28\n" + Put);
        var full = await site.Device("DESK-1", isStarted: false);
        full.Write("full", "");
        await full.Start();
        var other = await site.Device("DESK-2");
        var id = await site.Deploy("notes", Site.Enrolled, "--tries", "1", "--halt", "never");
        await site.Admin.Becomes(id, full.Name, "failed");
        await site.Admin.Becomes(id, other.Name, "met");
        File.Delete(Path.Combine(full.Root, "full"));
        var said = await site.Must("deployment", "retry", id, "--device", "DESK-1", "DESK-2", "DESK-77");
        Assert.Contains("Another try is set for 1 device.", said);
        Assert.Contains("DESK-2): It is met", said);
        Assert.Contains("DESK-77): 'DESK-77' is no target", said);
        await site.Admin.Becomes(id, full.Name, "met");
        var (code, _, errors) = await site.Run("deployment", "retry", id, "--device", "DESK-1", "DESK-2");
        Assert.Equal(3, code);
        Assert.Contains("DESK-1, DESK-2: It is met", errors);
    }

    private static Task<RollBackPreview> Preview(Site site, string id, RollBackRequest request) =>
        site.Admin.Post($"/api/v1/deployments/{id}/roll-back/preview", request, ContractJson.Default.RollBackRequest, ContractJson.Default.RollBackPreview);

    private static async Task<DeploymentInfo> Seen(Site site, string id) =>
        (await site.Admin.Get($"/api/v1/deployments/{id}", ContractJson.Default.DeploymentDetails)).Deployment;

    private static async Task<DeploymentInfo> Only(Site site, string begin) =>
        (await site.Admin.Get("/api/v1/deployments?all=true", ContractJson.Default.IReadOnlyListDeploymentInfo))
            .Single(each => each.Name.StartsWith(begin, StringComparison.Ordinal));
}
