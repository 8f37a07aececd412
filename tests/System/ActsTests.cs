using System.Net;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Kit;
using Xunit;

namespace Bandejo.System.Tests;

/// <summary>What a person does is done to what they saw, and what was withdrawn stays so.</summary>
public sealed class ActsTests
{
    private const string Put = "mkdir -p \"$T\" && echo \"$BANDEJO_VERSION\" > \"$T/VERSION\"";

    [Fact]
    public async Task A_paused_deployment_takes_its_order_back_and_a_device_that_comes_later_waits()
    {
        await using var site = await Site.Start();
        await site.Must("group", "new", "all", "--rule", "yes");
        await site.Device("A-1", isStarted: false);
        await site.Package("foldline", "7.2.0", "mkdir -p \"$T\" && echo \"$BANDEJO_VERSION\" > \"$T/VERSION\"");
        var deployment = await site.Deploy("foldline", "all", "--wave", "Everyone: everyone else");
        await site.Admin.Becomes(deployment, "A-1", "ready");
        await site.Must("deployment", "pause", deployment, "--reason", "the printers are on strike");
        var held = await site.Admin.Becomes(deployment, "A-1", "waiting");
        Assert.Contains("paused (the printers are on strike)", held.Reason);
        var late = await site.Device("A-2");
        Assert.DoesNotContain("A-2", await site.Must("deployment", "targets", deployment));
        await site.Must("deployment", "resume", deployment);
        await site.Admin.Becomes(deployment, late.Name, "met");
        Assert.Equal("7.2.0", late.Read("opt/foldline/VERSION"));
    }

    [Fact]
    public async Task A_device_that_nobody_sorted_gets_nothing_until_somebody_does()
    {
        await using var site = await Site.Start();
        await site.Must("group", "new", "all", "--rule", "yes");
        await site.Package("foldline", "7.2.0", "true");
        var code = (
            await site.Admin.Post("/api/v1/join-codes", new JoinCodeRequest(), ContractJson.Default.JoinCodeRequest, ContractJson.Default.JoinCodeInfo)).Code!;
        using var device = new DeviceClient(site.Service.Address);
        await device.Join(code, "STRAY-01");
        Assert.Contains("STRAY-01 (unsorted)", await site.Must("device", "list"));
        Assert.Contains(
            "Unsorted: nobody has put it into a listed group yet (STRAY-01)",
            (await site.Run("deployment", "start", "foldline", "--to", "all", "--preview")).Output);
        await site.Device("A-1", isStarted: false);
        var deployment = await site.Deploy("foldline", "all", "--wave", "Everyone: everyone else");
        Assert.DoesNotContain("STRAY-01", await site.Must("deployment", "targets", deployment));
        await site.Must("group", "member", "add", "--yes", Site.Enrolled, "STRAY-01");
        await site.Admin.Becomes(deployment, "STRAY-01", "ready");
    }

    [Fact]
    public async Task An_approval_is_for_the_gate_that_was_looked_at()
    {
        await using var site = await Site.Start();
        var first = await site.Device("ALD-DESK-001");
        await site.Device("ALD-DESK-002");
        await site.Package("foldline", "7.1.0", Put);
        await site.Must("group", "new", "pilots");
        await site.Must("group", "member", "add", "--yes", "pilots", "ALD-DESK-001");
        var deployment = await site.Deploy(
            "foldline 7.1.0", Site.Enrolled, "--wave", "Pilots: group pilots; 100 % met, then approval", "--wave",
            "Rest: everyone else; 100 % met, then approval", "--wave", "Later: everyone else");
        await site.Admin.Becomes(deployment, first.Name, "met");
        await site.Admin.Until(async () => (await Seen()).Waves[0].State == "wants-approval", "the first gate waits");
        var seen = await Seen();

        // Somebody else is quicker, and the next gate fills.
        await site.Must("deployment", "approve", deployment, "--reason", "printed fine");
        await site.Admin.Until(async () => (await Seen()).Waves[1].State == "wants-approval", "the second gate waits");
        foreach (var act in new[] { "approve", "advance" })
        {
            var stale = await site.Admin.Send(HttpMethod.Post, $"/api/v1/deployments/{deployment}/{act}", """{"reason":"about the first"}""", (
                "If-Match", $"\"{seen.Revision}\""));
            Assert.Equal(HttpStatusCode.PreconditionFailed, stale.Status);
            Assert.Contains("look at it again", stale.Body);
            Assert.Equal(
                HttpStatusCode.PreconditionFailed,
                (await site.Admin.Send(HttpMethod.Post, $"/api/v1/deployments/{deployment}/{act}", """{"reason":"blindly"}""")).Status);
        }

        Assert.Equal("wants-approval", (await Seen()).Waves[1].State);
        Assert.Equal(
            HttpStatusCode.OK,
            (
                await site.Admin.Send(HttpMethod.Post, $"/api/v1/deployments/{deployment}/approve", """{"reason":"the second too"}""", (
                    "If-Match", $"\"{(await Seen()).Revision}\""))).Status);

        async Task<DeploymentInfo> Seen() => (await site.Admin.Get($"/api/v1/deployments/{deployment}", ContractJson.Default.DeploymentDetails)).Deployment;
    }

    [Fact]
    public async Task A_rollout_whose_package_was_withdrawn_goes_on_no_more_and_says_so_before_it_is_asked()
    {
        await using var site = await Site.Start();
        var device = await site.Device("ALD-DESK-001");
        await site.Package("foldline", "7.1.0", Put);
        await site.Package("foldline", "7.2.0", "exit 9");
        await site.Admin.Becomes(await site.Deploy("foldline 7.1.0", Site.Enrolled), device.Name, "met");
        var deployment = await site.Deploy("foldline 7.2.0", Site.Enrolled, "--tries", "1");
        await site.Admin.Becomes(deployment, device.Name, "failed");
        await site.Must("package", "withdraw", "--yes", "foldline 7.2.0", "--reason", "it eats umlauts");
        foreach (var act in new[] { "resume", "advance", "retry" })
        {
            var (code, _, errors) = await site.Run("deployment", act, deployment, "--reason", "once more");
            Assert.Equal(3, code);
            Assert.Contains("was withdrawn and starts nowhere any more", errors);
        }

        var acts = await site.Admin.Get($"/api/v1/deployments/{deployment}/acts", ContractJson.Default.IReadOnlyListActPreview);
        Assert.All(acts.Where(act => act.Act is "resume" or "advance" or "retry" or "approve"), act => Assert.Contains("was withdrawn", act.NotPossible));

        // What was withdrawn can be taken away all the same.
        await site.Must("deployment", "end", "--yes", deployment, "--reason", "withdrawn");
        await site.Package("quill", "1.0", Put);
        var quill = await site.Deploy("quill 1.0", Site.Enrolled);
        await site.Admin.Becomes(quill, device.Name, "met");
        await site.Must("package", "withdraw", "--yes", "quill 1.0", "--reason", "it has a hole");
        await site.Admin.Becomes(await site.Deploy("quill 1.0", Site.Enrolled, "--gone"), device.Name, "met");
        Assert.Null(device.Read("opt/quill/VERSION"));
    }
}
