using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Kit;
using Microsoft.Data.Sqlite;
using Xunit;

namespace Bandejo.System.Tests;

/// <summary>What one version of the service took, another keeps as it was, and starts with, whether it can read it or not.</summary>
public sealed class KeptTests
{
    private const string Put = "mkdir -p \"$T\" && echo \"$BANDEJO_VERSION\" > \"$T/VERSION\"";

    [Fact]
    public async Task What_was_started_stays_as_it_was_started_whatever_its_words_come_to_mean()
    {
        await using var site = await Site.StartApart();
        await site.Package("notes", "2.0", Put);
        await site.Device("DESK-1", isStarted: false);
        var id = await site.Deploy("notes", Site.Enrolled, "--tries", "5", "--wave", "First: 1 device; 50 % met for 2h", "--wave", "Rest: everyone else");
        var before = await Details(site, id);

        // As if the words, and what they leave open, had come to mean something else.
        await Rewrite(
            site,
            "UPDATE deployment SET plan_data = replace(replace(plan_data, '50 % met for 2h', '99 % met'), '\\u0022tries\\u0022:5', '\\u0022tries\\u0022:1')");
        var after = await Details(site, id);
        Assert.Equal(before.Chosen, after.Chosen);
        Assert.Equal(before.Deployment.Waves.Select(wave => wave.Gate), after.Deployment.Waves.Select(wave => wave.Gate));
        Assert.Contains("50 % met for 2 h", after.Deployment.Waves[0].Gate!.Replace("2h", "2 h", StringComparison.Ordinal));
    }

    [Fact]
    public async Task A_service_starts_upon_what_it_cannot_read_holds_it_and_says_so()
    {
        await using var site = await Site.StartApart();
        await site.Package("notes", "2.0", Put);
        await site.Package("quill", "1.0", Put);
        await site.Must("group", "new", "desks", "--rule", "kind is \"desk\"");
        var device = await site.Device("DESK-1");
        var kiosk = await site.Device("KIOSK-1", facts: "kind: kiosk");
        var done = await site.Deploy("notes", Site.Enrolled);
        await site.Admin.Becomes(done, device.Name, "met");
        await site.Admin.Becomes(done, kiosk.Name, "met");
        await site.Must("deployment", "start", "quill", "--to", Site.Enrolled, "--except", "desks", "--name", "Quill", "--yes");

        // As if a later version of the program had other words for rules, gates and whom a package fits.
        await Rewrite(
            site,
            "UPDATE device_group SET data = replace(data, 'kind is', 'whose kind resembles') WHERE slug = 'desks'",
            "UPDATE package SET data = replace(data, '\\u0022requires\\u0022:\\u0022yes\\u0022', '\\u0022requires\\u0022:\\u0022moon phase full\\u0022')",
            $"UPDATE deployment SET plan_data = replace(json_remove(plan_data, '$.Plan'), 'everyone else', 'whoever likes') WHERE id = '{done}'");

        var group = (await site.Admin.Get("/api/v1/groups", ContractJson.Default.IReadOnlyListGroupInfo)).Single(each => each.Slug == "desks");
        Assert.Contains("cannot be read by this one", group.Unreadable!);
        Assert.Equal((0, 2), (group.Devices, group.NotKnown));
        Assert.Contains("cannot be read", await site.Must("group", "show", "desks"));

        // What nobody can read excludes, and keeps everybody from starting; what was there is left as it is.
        var held = (await Details(site, done)).Deployment;
        Assert.Equal("paused", held.Status);
        Assert.Contains("cannot read what was started", held.Sentence);
        Assert.Contains("cannot read what was started", (await site.Run("deployment", "resume", done, "--reason", "go on")).Errors);
        Assert.NotEqual("paused", (await Details(site, "Quill")).Deployment.Status);
        Assert.Equal("2.0", device.Read("opt/notes/VERSION"));
        var preview = await site.Admin.Post(
            "/api/v1/deployments/preview", new DeploymentRequest("quill", [Site.Enrolled], [new("All", "everyone else")]),
            ContractJson.Default.DeploymentRequest, ContractJson.Default.DeploymentPreview);
        Assert.Equal(0, preview.Reached);
        Assert.Contains("cannot be read by this one", Assert.Single(preview.Out).Reason);

        // And it can be cleared up.
        await site.Must("group", "change", "desks", "--rule", "kind is \"kiosk\"");
        await site.Must("deployment", "roll-back", done, "--reason", "start it anew", "--yes");
        await site.Admin.Becomes(done, device.Name, "undone");
        Assert.Null(device.Read("opt/notes/VERSION"));
    }

    private static async Task Rewrite(Site site, params string[] statements)
    {
        await site.Process.Kill();
        await using (var connection = new SqliteConnection($"Data Source={Path.Combine(site.Service.Folder, "data", "bandejo.db")};Pooling=False"))
        {
            await connection.OpenAsync();
            foreach (var statement in statements)
            {
                await using var command = connection.CreateCommand();
                command.CommandText = statement;
                Assert.True(await command.ExecuteNonQueryAsync() > 0, statement);
            }
        }

        await site.Service.Start();
        await site.Admin.Until(async () => (await site.Run("group", "list")).Code == 0, "it is there again");
    }

    private static Task<DeploymentDetails> Details(Site site, string id) => site.Admin.Get($"/api/v1/deployments/{id}", ContractJson.Default.DeploymentDetails);
}
