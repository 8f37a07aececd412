using System.Net;
using System.Net.Sockets;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Kit;
using Xunit;

namespace Bandejo.System.Tests;

/// <summary>Who gets in, to what, and what is asked before a door is opened wider.</summary>
public sealed class DoorsTests
{
    [Fact]
    public async Task Whoever_opens_connections_and_asks_nothing_takes_none_from_people_and_devices()
    {
        await using var site = await Site.Start("--connections", "16");
        using var device = new DeviceClient(site.Service.Address);
        await device.Join(
            (
                await site.Admin.Post(
                    "/api/v1/join-codes", new JoinCodeRequest(Site.Enrolled), ContractJson.Default.JoinCodeRequest, ContractJson.Default.JoinCodeInfo)).Code!);
        var at = new Uri(site.Service.Address);
        var held = new List<TcpClient>();
        for (var i = 0; i < 60; i++)
        {
            // Half of them say nothing, half say half of something.
            var client = new TcpClient();
            await client.ConnectAsync(at.Host, at.Port, TestContext.Current.CancellationToken);
            if (i % 2 == 0)
            {
                await client.GetStream().WriteAsync("GET /api/v1/today HTTP/1.1\r\nHost: x\r\nX-"u8.ToArray(), TestContext.Current.CancellationToken);
            }

            held.Add(client);
            if (i % 10 == 9)
            {
                using var fresh = new HttpClient();
                Assert.Equal("ready", await fresh.GetStringAsync(new Uri(at, "/healthz/ready"), TestContext.Current.CancellationToken));
                await device.CheckIn(i);
                Assert.Equal(0, (await site.Run("today")).Code);
            }
        }

        held.ForEach(client => client.Dispose());
    }

    [Theory]
    [InlineData("people", HttpStatusCode.Unauthorized, HttpStatusCode.OK)]
    [InlineData("10.20.0.0/16", HttpStatusCode.Forbidden, HttpStatusCode.Forbidden)]
    [InlineData("10.20.0.0/16,127.0.0.1", HttpStatusCode.OK, HttpStatusCode.OK)]
    public async Task Figures_and_description_can_be_kept_to_people_or_addresses(string door, HttpStatusCode stranger, HttpStatusCode signedIn)
    {
        await using var site = await Site.StartApart("--figures-for", door);
        using var http = new HttpClient { BaseAddress = new Uri(site.Service.Address) };
        foreach (var path in new[] { "/metrics", "/api/v1/openapi.json" })
        {
            Assert.Equal(stranger, (await http.GetAsync(path, TestContext.Current.CancellationToken)).StatusCode);
            Assert.Equal(signedIn, (await site.Admin.Send(HttpMethod.Get, path)).Status);
        }

        Assert.Equal(HttpStatusCode.OK, (await http.GetAsync("/healthz/live", TestContext.Current.CancellationToken)).StatusCode);
    }

    [Fact]
    public async Task A_mark_for_testing_asks_first_says_what_it_opens_and_can_be_taken_away()
    {
        await using var site = await Site.Start();
        await site.Package("notes", "2.1", "exit 0", isReleased: false);
        await site.Device("DESK-1", isStarted: false);
        await site.Device("DESK-2", isStarted: false);
        var (code, _, errors) = await site.Run("group", "change", Site.Enrolled, "--testing");
        Assert.Equal(2, code);
        Assert.Contains(
            "Packages that nobody tried or released may reach the 2 devices in it, now 1: notes 2.1. Mark 'enrolled' for testing? Nothing was done", errors);
        await site.Must("group", "change", Site.Enrolled, "--testing", "--yes");
        await site.Must("deployment", "start", "notes 2.1", "--to", Site.Enrolled, "--name", "Notes early", "--yes");
        Assert.Contains("What was started before goes on: 'Notes early'", await site.Must("group", "change", Site.Enrolled, "--not-for-testing"));
        Assert.False((await site.Admin.Get($"/api/v1/groups/{Site.Enrolled}", ContractJson.Default.GroupInfo)).IsForTesting);
        Assert.Contains(
            "reaches only groups marked for testing",
            (await site.Run("deployment", "start", "notes 2.1", "--to", Site.Enrolled, "--name", "Again", "--yes")).Output);
        var trail = await site.Must("journal", "--topic", "audit");
        Assert.Contains("It is for testing now: Packages that nobody tried or released may reach the 2 devices", trail);
        Assert.Contains("It is not for testing any more", trail);
    }
}
