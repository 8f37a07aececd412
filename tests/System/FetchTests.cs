using System.Globalization;
using Bandejo.Kit;
using Xunit;

namespace Bandejo.System.Tests;

/// <summary>How files come to real agents, how many are changed at once, and how sleeping neighbours are woken.</summary>
public sealed class FetchTests
{
    private const string Install = "mkdir -p \"$T\" && echo \"$BANDEJO_VERSION\" > \"$T/VERSION\"";

    [Fact]
    public async Task Files_come_before_the_window_at_the_rate_that_was_asked_for_and_it_is_told_who_has_them()
    {
        await using var site = await Site.Start("--check-in-seconds", "1");
        var (quick, slow) = (await site.Device("ALD-DESK-001", facts: "kind: desk\nsite: Aldery"), await site.Device("ALD-DESK-002", facts: "kind: desk\nsite: Aldery"));
        slow.Write("run/metered", "yes");
        await site.Package("quill", "1.0", Install);
        await site.Must("calendar", "new", "nights", "--when", $"{Day(20)} 20:00-23:00");
        await site.Must("group", "calendar", "add", Site.Enrolled, "nights", "--yes");
        var id = await site.Deploy("quill 1.0", Site.Enrolled, "--fetch", "at most 1 MB/s; 5 of a site at once");
        await site.Admin.Until(async () => (await site.Must("deployment", "show", id)).Contains("Files: 1 of 2 have its files already."), "one has its files");
        await quick.Says("ahead of its start", 1);
        Assert.Null(quick.Read("opt/quill/VERSION"));

        // Its link is paid for by what goes over it: it has none of them, and says so when its window is open.
        await site.Must("calendar", "change", "nights", "--when", $"{Day(-1)} 00:00 to {Day(2)} 00:00", "--yes");
        await site.Admin.Becomes(id, quick.Name, "met");
        await site.Admin.Until(
            async () => (await site.Must("device", "why", slow.Name, "--deployment", id)).ReplaceLineEndings(" ").Contains("fetches none over a metered link"),
            "it says why it waits");
        Assert.Null(slow.Read("opt/quill/VERSION"));
        slow.Write("run/metered", "no");
        await site.Admin.Becomes(id, slow.Name, "met");
    }

    [Fact]
    public async Task So_many_of_a_site_are_changed_at_once_and_wrong_words_start_nothing()
    {
        await using var site = await Site.Start("--check-in-seconds", "1");
        await site.Package("quill", "1.0", $"while [ ! -e \"$(dirname \"$T\")/go\" ]; do sleep 0.1; done; {Install}");
        var agents = new[]
        {
            await site.Device("ALD-DESK-001", facts: "kind: desk\nsite: Aldery"), await site.Device("ALD-DESK-002", facts: "kind: desk\nsite: Aldery"),
            await site.Device("ALD-DESK-003", facts: "kind: desk\nsite: Aldery"),
        };
        foreach (var (option, wrong, says) in new[]
        {
            ("--at-once", "three", "How many are changed at once is written like '3 of a site'"), ("--fetch", "slowly", "Fetching is not asked for by 'slowly'."),
        })
        {
            var (code, _, errors) = await site.Run("deployment", "start", "quill 1.0", "--to", Site.Enrolled, option, wrong, "--yes");
            Assert.Equal(3, code);
            Assert.Contains(says, errors);
        }

        var preview = await site.Must("deployment", "start", "quill 1.0", "--to", Site.Enrolled, "--at-once", "1 of a site", "--preview");
        Assert.Contains("Waits: 2 devices. One of a site is changed at once; it starts when it is its turn", preview);
        Assert.Contains("May start at once: 1 device (ALD-DESK-001)", preview);
        var id = await site.Deploy("quill 1.0", Site.Enrolled, "--at-once", "1 of a site");
        await site.Admin.Becomes(id, agents[0].Name, "working");
        Assert.Contains("One device of Aldery is changed at once, and it is the turn of others", await site.Must("device", "why", agents[1].Name, "--deployment", id));
        foreach (var agent in agents)
        {
            await site.Admin.Becomes(id, agent.Name, "working");
            Assert.All(agents, other => Assert.True(other == agent || other.Read("opt/quill/VERSION") is null == Array.IndexOf(agents, other) > Array.IndexOf(agents, agent)));
            agent.Write("opt/go", "");
            await site.Admin.Becomes(id, agent.Name, "met");
        }
    }

    [Fact]
    public async Task A_device_that_sleeps_is_woken_by_a_neighbour()
    {
        await using var site = await Site.Start("--check-in-seconds", "1");
        var (awake, asleep) = (
            await site.Device("ALD-DESK-001", facts: "kind: desk\nsite: Aldery"),
            await site.Device("ALD-DESK-002", facts: "kind: desk\nsite: Aldery\nnetwork.mac: 02:00:00:00:00:02"));
        await site.Admin.Until(async () => (await site.Must("device", "list", "network.mac is known")).Contains(asleep.Name), "its address is known");
        await asleep.Kill();
        Assert.Contains("ALD-DESK-001 cannot be woken: its network address (the fact network.mac) is not known.", (await site.Run("device", "wake", awake.Name)).Errors);
        await site.Admin.Until(async () => (await site.Run("device", "wake", asleep.Name)).Output.Contains("ALD-DESK-001 was asked to wake ALD-DESK-002."), "it is woken");
        await site.Admin.Until(() => Task.FromResult(awake.Read("run/woken") == "02:00:00:00:00:02"), "the packet was sent");
        Assert.Contains("ALD-DESK-001 was asked to wake ALD-DESK-002.", await site.Must("journal", "--topic", "audit"));
    }

    [Fact]
    public async Task A_device_holds_so_many_calendars_and_with_one_more_nothing_starts()
    {
        await using var site = await Site.Start("--check-in-seconds", "1");
        var device = await site.Device("ALD-DESK-001", facts: "kind: desk\nsite: Aldery");
        await site.Package("quill", "1.0", Install);
        await site.Must("group", "new", "desks", "--rule", "kind is \"desk\"");
        for (var calendar = 0; calendar < 65; calendar++)
        {
            await site.Must("calendar", "new", $"c{calendar}", "--when", $"{Day(-1)} 00:00 to {Day(2)} 00:00");
        }

        await Rule(Site.Enrolled, 0, 40);
        await Rule("desks", 40, 25);
        var id = await site.Deploy("quill 1.0", Site.Enrolled);
        await site.Admin.Until(
            async () => (await site.Must("device", "why", device.Name, "--deployment", id)).Contains("65 calendars rule it, and a device holds 64; take some away"),
            "it says why it waits");
        Assert.Null(device.Read("opt/quill/VERSION"));
        await Rule("desks", 40, 24);
        await site.Admin.Becomes(id, device.Name, "met");

        async Task Rule(string group, int from, int count)
        {
            var revision = (await site.Admin.Http.GetAsync($"/api/v1/groups/{group}")).Headers.ETag!;
            using var request = new HttpRequestMessage(HttpMethod.Put, $"/api/v1/groups/{group}/calendars")
            {
                Content = new StringContent(
                    $"{{\"calendars\":[{string.Join(',', Enumerable.Range(from, count).Select(each => $"\"c{each}\""))}]}}", global::System.Text.Encoding.UTF8, "application/json"),
            };
            request.Headers.IfMatch.Add(revision);
            (await site.Admin.Http.SendAsync(request)).EnsureSuccessStatusCode();
        }
    }

    private static string Day(int days) => TimeProvider.System.GetUtcNow().AddDays(days).ToString("yyyy-MM-dd", CultureInfo.InvariantCulture);
}
