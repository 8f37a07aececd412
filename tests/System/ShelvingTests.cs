using System.Net;
using Bandejo.Clock;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Contract.Device;
using Bandejo.Kit;
using Xunit;

namespace Bandejo.System.Tests;

/// <summary>What is over leaves memory, and nobody sees a difference: all is shown as before, and can be done as before.</summary>
public sealed class ShelvingTests
{
    [Fact]
    public async Task A_deployment_that_is_over_leaves_memory_and_nothing_is_missing()
    {
        using var clock = new ClockFolder();
        await using var site = await Site.StartApart("--demo-clock", clock.File);
        using var time = DemoClock.Follow(clock.File);
        var code = (await site.Admin.Post(
            "/api/v1/join-codes", new JoinCodeRequest(Site.Enrolled, 9), ContractJson.Default.JoinCodeRequest, ContractJson.Default.JoinCodeInfo)).Code!;
        await site.Package("notes", "2.0", "exit 0");
        using DeviceClient one = new(site.Service.Address, time), two = new(site.Service.Address, time), three = new(site.Service.Address, time);
        DeviceClient[] devices = [one, two, three];
        for (var i = 0; i < devices.Length; i++)
        {
            await devices[i].Join(code, $"DESK-{i + 1}");
        }

        await site.Must("deployment", "start", "notes", "--to", Site.Enrolled, "--name", "Notes", "--yes");
        var id = (await site.Admin.Get("/api/v1/deployments", ContractJson.Default.IReadOnlyListDeploymentInfo)).Single().Id;
        var at = time.GetUtcNow();
        foreach (var device in devices)
        {
            await device.CheckIn(1, [Report("began", at, hasEnded: false), .. device == two ? [] : new[] { Report("began", at, hasEnded: true) }]);

            AttemptReport Report(string what, DateTimeOffset when, bool hasEnded) => new(
                $"a{Array.IndexOf(devices, device)}", id, 0, hasEnded, "install", when, hasEnded ? when : null, hasEnded ? "done" : null, "prove", hasEnded ? 0 : null, "", "",
                null, hasEnded ? new ProofReport(id, 0, "present", "2.0", "it is there", when) : null, false);
        }

        await site.Admin.Becomes(id, "DESK-1", "met");
        await site.Admin.Becomes(id, "DESK-3", "met");
        await site.Must("deployment", "end", "--yes", "Notes", "--reason", "over");
        var before = await Shown("DESK-1");
        await Stands("1 0");

        // A day later its orders have run out, and an hour after that it goes.
        await site.Must("clock", "advance", "30h");
        await Stands("0 1");
        Assert.Equal(before, await Shown("DESK-1"));
        await site.Process.Kill();
        await site.Process.Start();
        
        await Stands("0 1");
        Assert.Equal(before, await Shown("DESK-1"));
        await Stands("0 1");

        // A device that is removed is missing in figure and list.
        await site.Must("device", "remove", "DESK-3", "--yes");
        var details = await site.Admin.Get($"/api/v1/deployments/{id}", ContractJson.Default.DeploymentDetails);
        var targets = await site.Admin.Get($"/api/v1/deployments/{id}/targets", ContractJson.Default.PageTargetInfo);
        Assert.Equal(
            (2, 1, "DESK-1 met, DESK-2 working"),
            (details.Deployment.Waves[0].Devices, details.Deployment.States.Single(state => state.Name == "met").Count,
                string.Join(", ", targets.Items.Select(target => $"{target.DeviceName} {target.State}"))));
        await Stands("0 1");

        // What a device tells late of it is taken in.
        await two.CheckIn(2, [new AttemptReport(
            "a1", id, 0, true, "install", at, at, "done", "prove", 0, "", "", null, new ProofReport(id, 0, "present", "2.0", "it is there", at), false)]);
        await site.Admin.Becomes(id, "DESK-2", "met");
        await Stands("1 0");

        // It goes again, and can be rolled back from there.
        await site.Must("clock", "advance", "2h");
        await Stands("0 1");
        await site.Must("deployment", "roll-back", "Notes", "--reason", "not after all", "--yes");
        await Stands("1 0");
        Assert.Equal(
            "rolling-back", (await site.Admin.Get($"/api/v1/deployments/{id}", ContractJson.Default.DeploymentDetails)).Deployment.Status);

        Task Stands(string where) => ShelvingTests.Stands(site, where);

        async Task<string> Shown(string device)
        {
            var shown = new List<string>();
            foreach (var path in (string[])[
                $"/deployments/{id}", "/deployments?all=true", $"/deployments/{id}/targets", $"/deployments/{id}/targets?format=csv",
                $"/deployments/{id}/targets?state=met&sort=since", $"/deployments/{id}/targets?filter=kind%20is%20%22desk%22", $"/devices/{device}",
                $"/devices/{device}/why?deployment={id}", $"/devices/{device}/history", $"/deployments/{id}/acts",
                $"/compliance?by=deployment", $"/compliance/targets?deployment={id}&format=csv", $"/deployments/{id}/attempts"])
            {
                var (status, body) = await site.Admin.Send(HttpMethod.Get, "/api/v1" + path, null);
                Assert.True(status is HttpStatusCode.OK, $"{path}: {status} {body}");
                shown.Add($"{path}: {body}");
            }

            return string.Join('\n', shown);
        }
    }

    [Fact]
    public async Task A_device_that_comes_back_late_tells_of_all_that_is_over_and_a_stranger_has_nothing_fetched()
    {
        const int Deployments = 10;
        using var clock = new ClockFolder();
        await using var site = await Site.StartApart("--demo-clock", clock.File);
        using var time = DemoClock.Follow(clock.File);
        using DeviceClient late = new(site.Service.Address, time), stranger = new(site.Service.Address, time);
        await late.Join(await Code(), "LATE-1");
        for (var i = 0; i < Deployments; i++)
        {
            await site.Package($"app-{i}", "1.0", "exit 0");
            await site.Must("deployment", "start", $"app-{i}", "--to", Site.Enrolled, "--name", $"App {i}", "--yes");
        }

        var at = time.GetUtcNow();
        var ids = (await site.Admin.Get("/api/v1/deployments", ContractJson.Default.IReadOnlyListDeploymentInfo)).Select(each => each.Id).Order().ToList();
        await late.CheckIn(1);
        for (var i = 0; i < Deployments; i++)
        {
            await site.Must("deployment", "end", "--yes", $"App {i}", "--reason", "over");
        }

        await site.Must("clock", "advance", "30h");
        await Stands(site, $"0 {Deployments}");
        await stranger.Join(await Code(), "NEW-1");
        Assert.Equal(
            403, (await Assert.ThrowsAsync<Bandejo.Device.LinkException>(() => stranger.CheckIn(1, [Ended("x", ids[0])]))).Status);
        Assert.Equal(
            403, (await Assert.ThrowsAsync<Bandejo.Device.LinkException>(() => stranger.CheckIn(1, [], [Proof(ids[0])]))).Status);
        await Stands(site, $"0 {Deployments}");

        // What still holds is of no interest any more; how an attempt ended is, some deployments at a time.
        await late.CheckIn(2, [], [.. ids.Select(Proof)]);
        await Stands(site, $"0 {Deployments}");
        var outbox = ids.Select((id, i) => Ended($"a{i}", id)).ToList();
        var (sequence, turns) = (3, 0);
        while (outbox.Count > 0)
        {
            Assert.True(++turns < 9, "it does not come to an end");
            var acknowledged = (await late.CheckIn(sequence++, outbox)).Acknowledged;
            Assert.InRange(acknowledged.Count, 1, 4);
            outbox.RemoveAll(report => acknowledged.Contains($"{report.Id}/ended"));
        }

        foreach (var id in ids)
        {
            Assert.Equal("met", (await site.Admin.Becomes(id, "LATE-1", "met")).State);
            Assert.Single(await site.Admin.Attempts(id, "LATE-1"));
        }

        async Task<string> Code() => (await site.Admin.Post(
            "/api/v1/join-codes", new JoinCodeRequest(Site.Enrolled, 9), ContractJson.Default.JoinCodeRequest, ContractJson.Default.JoinCodeInfo)).Code!;

        AttemptReport Ended(string name, string id) => new(
            name, id, 0, true, "install", at, at, "done", "prove", 0, "", "", null, new ProofReport(id, 0, "present", "1.0", "it is there", at), false);

        ProofReport Proof(string id) => new(id, 0, "present", "1.0", "it is there", at);
    }

    [Fact]
    public async Task What_another_has_wholly_replaced_is_offered_to_be_ended_or_ends_where_asked()
    {
        await using var site = await Site.Start();
        foreach (var version in (string[])["1.0", "2.0", "3.0"])
        {
            await site.Package("notes", version, $"mkdir -p \"$T\"; echo {version} > \"$T/VERSION\"");
        }

        await site.Device("DESK-1", Site.Enrolled);
        await site.Device("DESK-2", Site.Enrolled);
        await site.Must("group", "new", "pilots");
        await site.Must("group", "member", "add", "--yes", "pilots", "DESK-1", "DESK-2");
        await site.Must("deployment", "start", "notes 1.0", "--to", Site.Enrolled, "--name", "First", "--yes");
        await Met("First");

        // One that reaches the same devices today by another group takes nobody's place: who joins tomorrow is the first one's.
        await site.Must("deployment", "start", "notes 2.0", "--to", "pilots", "--name", "Pilots", "--yes");
        await Met("Pilots");
        Assert.DoesNotContain("can be ended", await site.Must("today"));
        await site.Must(
            "deployment", "start", "notes 2.0", "--to", Site.Enrolled, "pilots", "--name", "Second", "--priority", "1", "--end-when-replaced", "--yes");
        await Met("Second");
        await ApiClient.Comes(async () => (await site.Must("today")).Contains("First can be ended", StringComparison.Ordinal), "the first can be ended");
        var today = await site.Must("today");
        Assert.Contains("'Second' has taken its place on all 2 devices", today);
        Assert.Contains("bandejo deployment end \"First\" --reason \"replaced\"", today);
        await site.Must("deployment", "end", "--yes", "First", "--reason", "replaced");
        Assert.DoesNotContain("First can be ended", await site.Must("today"));

        // Where it was asked for it ends by itself.
        await site.Must("deployment", "start", "notes 3.0", "--to", Site.Enrolled, "pilots", "--name", "Third", "--priority", "1", "--yes");
        await Met("Third");
        await site.Admin.Until(async () => (await Of("Second")).Status == "ended", "the second ends");
        Assert.Contains(
            "Ended by itself, as was asked for: 'Third' has taken its place on 2 devices", await site.Must("journal", "--deployment", "Second"));
        await site.Admin.Until(async () => (await Of("Third")).Status == "standing", "the third stands");

        async Task<DeploymentInfo> Of(string name) =>
            (await site.Admin.Get("/api/v1/deployments?all=true", ContractJson.Default.IReadOnlyListDeploymentInfo)).Single(each => each.Name == name);

        async Task Met(string name)
        {
            var id = (await Of(name)).Id;
            await site.Admin.Becomes(id, "DESK-1", "met");
            await site.Admin.Becomes(id, "DESK-2", "met");
        }
    }

    /// <summary>Waits until so many deployments are in memory and so many only kept: figures are those of a moment ago.</summary>
    private static Task Stands(Site site, string where) => ApiClient.Comes(async () => await Where(site) == where, $"in memory and only kept: {where}");

    private static async Task<string> Where(Site site)
    {
        var figures = (await site.Admin.Http.GetStringAsync("/metrics")).Split('\n').Where(
            line => line.StartsWith("bandejo_deployments{", StringComparison.Ordinal));
        return string.Join(' ', figures.OrderBy(line => line.Contains("kept", StringComparison.Ordinal)).Select(line => line.Split(' ')[1]));
    }
}
