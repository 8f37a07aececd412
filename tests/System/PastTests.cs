using System.Net;
using System.Text.Json;
using Bandejo.Clock;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Contract.Device;
using Bandejo.Kit;
using Xunit;

namespace Bandejo.System.Tests;

/// <summary>What was shown at a moment is what is shown of it later; and an auditor can prove that nobody changed what is written down.</summary>
public sealed class PastTests
{
    private const string Install = "mkdir -p \"$T\"; echo 2.0 > \"$T/VERSION\"";

    [Fact]
    public async Task What_was_shown_is_shown_later_as_it_was()
    {
        await using var site = await Site.Start();
        await site.Package("notes", "2.0", Install);
        await site.Device("DESK-1", facts: "kind: desk\nmodel: Folio 5");
        await site.Device("DESK-2", facts: "kind: desk\nmodel: Folio 4");
        await site.Must("group", "new", "desks", "--rule", "kind is \"desk\"");
        await site.Must("group", "new", "pilots");
        await site.Must("group", "member", "add", "--yes", "pilots", "DESK-1");
        await site.Must(
            "deployment", "start", "notes 2.0", "--to", "desks", "--name", "Notes", "--halt", "never", "--wave", "Pilots: group pilots; 100 % met, then approval",
            "--wave", "Rest: everyone else", "--yes");
        var id = (await site.Admin.Get("/api/v1/deployments", ContractJson.Default.IReadOnlyListDeploymentInfo)).Single().Id;
        await site.Admin.Becomes(id, "DESK-1", "met");
        await site.Admin.Becomes(id, "DESK-2", "waiting");
        await site.Admin.Until(async () => (await Deployment("")).Deployment.Waves[0].State == "wants-approval", "the gate waits for approval");

        // What is asked at one moment, and when that was: nothing may have changed in between.
        var (at, before) = (TimeProvider.System.GetUtcNow(), await Shown(""));
        for (var after = await Shown(""); after != before; after = await Shown(""))
        {
            (at, before) = (TimeProvider.System.GetUtcNow(), after);
        }

        await Task.WhenAll(Enumerable.Range(0, 3).Select(_ => Shown("")));
        await site.Must("deployment", "approve", "Notes", "--reason", "seen");
        await site.Admin.Becomes(id, "DESK-2", "met");
        await site.Must("group", "member", "remove", "--yes", "pilots", "DESK-1");
        await site.Must("group", "change", "desks", "--rule", "kind is \"desk\" and model is \"Folio 5\"");
        Assert.NotEqual(before, await Shown(""));
        await site.Must("device", "remove", "DESK-1", "--yes");
        await site.Must("deployment", "end", "--yes", "Notes", "--reason", "over");
        var asOf = $"asOf={Uri.EscapeDataString(at.ToString("O"))}";
        Assert.Equal(before, await Shown(asOf));

        // The terminal says loudly that it is not now, and the rest of the history of the device that stays.
        var (code, output, errors) = await site.Run("deployment", "show", "Notes", "--as-of", at.UtcDateTime.ToString("yyyy-MM-dd'T'HH:mm:ss.fffffff'Z'"));
        Assert.Equal((0, true, true), (code, errors.Contains("As it was on", StringComparison.Ordinal), output.Contains("waits for approval", StringComparison.Ordinal)));
        var steps = await site.Admin.Get("/api/v1/devices/DESK-2/history", ContractJson.Default.IReadOnlyListTargetStepInfo);
        Assert.Contains(steps, step => step is { From: null, State: "waiting", DeploymentName: "Notes", Wave: "Rest" });
        Assert.Contains(steps, step => step is { State: "met" });

        foreach (var (asked, says) in (IEnumerable<(string, string)>)[
            ("nonsense", "is no moment. Write a day"), ("2001-01-01", "nothing is known of 1 Jan 2001"), ("2201-01-01", "is still to come")])
        {
            var (status, body) = await site.Admin.Send(HttpMethod.Get, $"/api/v1/compliance?asOf={asked}");
            Assert.True(status is HttpStatusCode.UnprocessableEntity or HttpStatusCode.NotFound, body);
            Assert.Contains(says, body);
        }

        // From day to day.
        var trend = await site.Admin.Get("/api/v1/trends/fleet", ContractJson.Default.TrendInfo);
        Assert.Equal("desk 1", $"{Assert.Single(trend.Parts)} {trend.Days[^1].Counts[0]}");
        trend = await site.Admin.Get("/api/v1/trends/versions?app=notes", ContractJson.Default.TrendInfo);
        Assert.Equal("2.0 1", $"{Assert.Single(trend.Parts)} {trend.Days[^1].Counts[0]}");
        Assert.Equal([0, 0, 0, 0], (await site.Admin.Get("/api/v1/trends/compliance", ContractJson.Default.TrendInfo)).Days[^1].Counts);
        Assert.Contains("2.0", await site.Must("trend", "versions", "notes"));

        Task<DeploymentDetails> Deployment(string query) => site.Admin.Get($"/api/v1/deployments/{id}?{query}", ContractJson.Default.DeploymentDetails);

        async Task<string> Shown(string query)
        {
            var details = await Deployment(query);
            var targets = await site.Admin.Get($"/api/v1/deployments/{id}/targets?{query}", ContractJson.Default.PageTargetInfo);
            var device = await site.Admin.Get($"/api/v1/devices/DESK-1?{query}", ContractJson.Default.DeviceDetails);
            var text = new List<string>
            {
                JsonSerializer.Serialize(details.Deployment with { Revision = 0 }, ContractJson.Default.DeploymentInfo),
                string.Join('\n', targets.Items.Select(Words)),
                $"{device.Device.Name} {device.Device.Kind} {device.Device.Model} {device.Device.Os} {device.Device.Met} {device.Device.Unmet} {device.Device.Joined:s}",
                string.Join(' ', device.Groups), string.Join(' ', device.Facts), string.Join(' ', device.Programs), string.Join('\n', device.Targets.Select(Words)),
            };
            foreach (var by in (string[])["fleet", "app", "group", "deployment"])
            {
                text.Add(string.Join(' ', await site.Admin.Get($"/api/v1/compliance?by={by}&{query}", ContractJson.Default.IReadOnlyListComplianceRow)));
            }

            foreach (var group in await site.Admin.Get($"/api/v1/groups?{query}", ContractJson.Default.IReadOnlyListGroupInfo))
            {
                var members = await site.Admin.Get($"/api/v1/groups/{group.Slug}/devices?{query}", ContractJson.Default.PageDeviceInfo);
                text.Add($"{group}: {string.Join(' ', members.Items.Select(member => $"{member.Name} {member.Kind} {member.Met} {member.Unmet}"))}");
            }

            return string.Join('\n', text);
        }

        static string Words(TargetInfo target) => $"{target.DeviceName} {target.State} {target.Reason} {target.Wave} {target.Since:O} {target.Tries} {target.Before}";
    }

    [Fact]
    public async Task An_auditor_proves_that_the_trail_is_whole_and_changes_nothing()
    {
        await using var site = await Site.StartApart();
        await site.Admin.Post(
            "/api/v1/accounts", new AccountRequest("wren", "Wren", "long-enough-1", ["auditor"]), ContractJson.Default.AccountRequest,
            ContractJson.Default.AccountInfo);
        Assert.Contains("entries are as they were written", await site.Must("journal", "verify"));
        var file = Path.Combine(site.Temporary, "audit.jsonl");
        await File.WriteAllTextAsync(file, await site.Must("journal", "export"), TestContext.Current.CancellationToken);
        await site.Must("group", "new", "later");
        Assert.Contains("Holds:", await site.Must("journal", "verify", "--proof", file));

        // What somebody changed in the file shows, wherever.
        var lines = await File.ReadAllLinesAsync(file, TestContext.Current.CancellationToken);
        foreach (var (changed, says) in (IEnumerable<(IEnumerable<string>, string)>)[
            ([lines[0].Replace("\"text\":\"", "\"text\":\"Not ", StringComparison.Ordinal), .. lines[1..]], "A line is not as it was exported"),
            (lines[1..], "and the file has"), (lines[..^1], "The last line has no proof"),
            ([.. lines[..^1], lines[^1].Replace("\"use\":\"audit\"", "\"use\":\"other\"", StringComparison.Ordinal)], "The signature of the proof does not hold")])
        {
            await File.WriteAllLinesAsync(file, changed, TestContext.Current.CancellationToken);
            var (code, output, _) = await site.Run("journal", "verify", "--proof", file);
            Assert.Equal(1, code);
            Assert.Contains(says, output);
        }

        // And what somebody changed in the database.
        await File.WriteAllLinesAsync(file, lines, TestContext.Current.CancellationToken);
        await using (var connection = new Microsoft.Data.Sqlite.SqliteConnection($"Data Source={Path.Combine(site.Service.Folder, "data", "bandejo.db")}"))
        {
            await connection.OpenAsync(TestContext.Current.CancellationToken);
            await using var command = connection.CreateCommand();
            command.CommandText = "UPDATE event SET actor = 'somebody' WHERE number = (SELECT number FROM audit_chain WHERE entry = 2)";
            await command.ExecuteNonQueryAsync(TestContext.Current.CancellationToken);
        }

        var (no, said, _) = await site.Run("journal", "verify", "--proof", file);
        Assert.Equal(1, no);
        Assert.Contains("Entry 2 (event", said);
        using var auditor = await ApiClient.SignIn(site.Service.Address, "wren", "long-enough-1");
        Assert.Equal(HttpStatusCode.OK, (await auditor.Send(HttpMethod.Get, "/api/v1/audit?words=later&by=root-admin&from=2001-01-01", null)).Status);
        Assert.Equal(HttpStatusCode.Forbidden, (await auditor.Send(HttpMethod.Post, "/api/v1/groups", """{"slug":"mine","name":"Mine"}""")).Status);
    }

    [Fact]
    public async Task What_is_over_goes_by_itself_and_decisions_stay()
    {
        using var clock = new ClockFolder();
        await using var site = await Site.Start("--demo-clock", clock.File);
        using var time = DemoClock.Follow(clock.File);
        using var device = new DeviceClient(site.Service.Address, time);
        var join = new JoinCodeRequest(Site.Enrolled);
        await device.Join(
            (await site.Admin.Post("/api/v1/join-codes", join, ContractJson.Default.JoinCodeRequest, ContractJson.Default.JoinCodeInfo)).Code!, "DESK-1");
        await site.Package("notes", "2.0", "exit 0");
        await site.Must("deployment", "start", "notes", "--to", Site.Enrolled, "--name", "Notes", "--yes");
        var id = (await site.Admin.Get("/api/v1/deployments", ContractJson.Default.IReadOnlyListDeploymentInfo)).Single().Id;
        var at = time.GetUtcNow();
        await device.CheckIn(1, [
            new AttemptReport("a1", id, 0, false, "install", at, null, null, "run", null, "", "", null, null, true),
            new AttemptReport(
                "a1", id, 0, true, "install", at, at, "done", "prove", 0, "", "", null, new ProofReport(id, 0, "present", "2.0", "it is there", at), true)]);
        await device.Link.SendLog("a1", new MemoryStream("this is said in the log"u8.ToArray()), TestContext.Current.CancellationToken);
        await site.Admin.Becomes(id, "DESK-1", "met");
        await site.Must("device", "join-code", "new", "--hours", "1");

        var (code, _, errors) = await site.Run("keeping", "change", "--history-days", "5");
        Assert.Equal((3, true), (code, errors.Contains("30 to 3650 days", StringComparison.Ordinal)));
        await site.Must("keeping", "change", "--history-days", "30", "--log-days", "7");
        await site.Must("clock", "advance", "5d");
        await site.Must("keeping", "run");
        Assert.Equal(HttpStatusCode.OK, (await site.Admin.Send(HttpMethod.Get, "/api/v1/attempts/a1/log", null)).Status);

        // A week later the log is gone, and is said to be gone.
        await site.Must("clock", "advance", "3d");
        Assert.Contains("and 1 log (", await site.Must("keeping", "run"));
        Assert.Equal(HttpStatusCode.NotFound, (await site.Admin.Send(HttpMethod.Get, "/api/v1/attempts/a1/log", null)).Status);
        Assert.Contains("met", await site.Must("compliance", "show", "--as-of", "8d"));

        // After a month what was, too; from then on all is known, and what was decided stays.
        await site.Must("clock", "advance", "30d");
        await site.Must("keeping", "run");
        var (no, _, says) = await site.Run("compliance", "show", "--as-of", "38d");
        Assert.Equal((3, true), (no, says.Contains("What was is kept from", StringComparison.Ordinal)));
        var rows = await site.Admin.Get("/api/v1/compliance?by=deployment&asOf=29d", ContractJson.Default.IReadOnlyListComplianceRow);
        Assert.Equal(1, Assert.Single(rows).Counts.Bottom);
        Assert.Contains("started", await site.Must("journal", "--what", "started"));
        Assert.Contains("rows of what was", await site.Must("journal", "--what", "forgot"));
        await ApiClient.Comes(
            async () => (await site.Admin.Http.GetStringAsync("/metrics")).Split('\n').Any(
                line => line.StartsWith("bandejo_forgotten_rows", StringComparison.Ordinal) || line.StartsWith("bandejo_forgotten ", StringComparison.Ordinal)
                    || line.StartsWith("bandejo_forgotten{", StringComparison.Ordinal)),
            "what went stands in the figures");
        Assert.Contains("entries are as they were written", await site.Must("journal", "verify"));
    }
}
