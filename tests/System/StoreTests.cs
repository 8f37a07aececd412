using System.Text.RegularExpressions;
using Bandejo.Contract;
using Bandejo.Kit;
using Xunit;

namespace Bandejo.System.Tests;

/// <summary>One service and where it keeps its state: a file of its own, or a database of a PostgreSQL server.</summary>
public sealed class StoreTests
{
    [Theory]
    [InlineData(false)]
    [InlineData(true)]
    public async Task A_deployment_survives_a_kill_and_another_service_on_the_store_waits_its_turn(bool isServer)
    {
        using var server = isServer ? new PostgresServer() : null;
        string[] store = server is null ? [] : ["--store", server.Make("bandejo")];
        await using var site = await Site.StartApart(store);
        await site.Package("foldline", "7.2.0", "mkdir -p \"$T\" && echo 7.2.0 > \"$T/VERSION\"");
        var agent = await site.Device("DESK-001");
        var id = await site.Deploy("foldline", Site.Enrolled);
        await site.Admin.Becomes(id, "DESK-001", "met");
        await site.Admin.Until(
            async () => (await site.Admin.Get($"/api/v1/deployments/{id}", ContractJson.Default.DeploymentDetails)).Deployment.Status == "standing", "standing");
        await agent.Kill();
        var before = await Everything(site, id);

        var data = Path.Combine(site.Service.Folder, "data");
        await using var second = new ServiceProcess(["--data", data, .. store]);
        var starting = second.Start();
        await second.Logs("Another service (process ", "writes into", "This one waits until that one has ended.");
        Assert.False(starting.IsCompleted);
        Assert.Contains("End that one first", (await Command(["rebuild", "--data", data, .. store])).Errors);

        await site.Process.Kill();
        await starting;
        await second.Kill();
        await Says("The log is whole", ["check", "--data", data, .. store]);
        await Says("All tables were made anew from the log", ["rebuild", "--data", data, .. store]);
        await site.Service.Start();
        Assert.Equal(before, await Everything(site, id));

        // And it moves into a database of the other kind, and is served from there.
        await site.Process.Kill();
        using var other = new PostgresServer();
        var (from, to) = (server?.Database("bandejo") ?? Path.Combine(data, "bandejo.db"), server is null ? other.Make("moved") : Path.Combine(data, "moved.db"));
        await Says("All that is kept was copied", "copy-store", from, to);
        if (server is null)
        {
            await using var moved = new ServiceProcess("--data", data, "--store", to) { Listen = site.Service.Address };
            await moved.Start();
            Assert.Equal(before, await Everything(site, id));
        }
        else
        {
            await Says("all tables are what it makes of them", "check", "--store", server.Database("bandejo"));
        }
    }

    [Fact]
    public async Task A_wrong_word_to_the_service_program_is_told_what_would_be_right()
    {
        foreach (var (arguments, says, code) in new[]
        {
            (new[] { "chek" }, "Did you mean 'check'?", 2), (["serve"], "none starts the service", 2), (["copy-store", "a"], "TO is missing", 2),
            (["copy-store", "a", "b", "c"], "'c' is one word too many", 2), (["check", "--date", "x"], "Did you mean '--data'?", 2),
            (["check", "--data", "/nowhere/at/all"], "There is no database", 4), (["--store", "Host=db.example"], "Which database of the server?", 2),
            (["--store", "bandejo.db"], "names no database", 2), (["rebuild", "--store", "Host=127.0.0.1;Port=1;Database=a"], "Look whether it runs", 4),
        })
        {
            var (ended, output, errors) = await Command(arguments);
            Assert.Equal((code, ""), (ended, output));
            Assert.Contains(says, errors);
            Assert.DoesNotContain("   at ", errors);
        }
    }

    private static async Task<string> Everything(Site site, string deployment) => string.Join('\n', [
        await site.Must("deployment", "show", deployment, "-o", "json"), await site.Must("journal", "--topic", "any", "-o", "json"),
        await site.Must("device", "show", "DESK-001", "-o", "json") is var device ? WithoutHearing(device) : "", await site.Must("package", "list", "-o", "json"), await site.Must("group", "list", "-o", "json")]);

    /// <summary>When a device was last heard is kept late, and when it joined to the millisecond.</summary>
    private static string WithoutHearing(string device) => Regex.Replace(device, "\"(lastHeard|joined)\": \"[^\"]*\"", "");

    private static async Task Says(string words, params string[] arguments)
    {
        var (code, output, errors) = await Command(arguments);
        Assert.Equal((0, ""), (code, errors));
        Assert.Contains(words, output);
    }

    private static Task<(int Code, string Output, string Errors)> Command(params string[] arguments) => Programs.Run(Programs.Service, arguments);
}
