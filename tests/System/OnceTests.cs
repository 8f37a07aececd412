using System.Net;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Kit;
using Xunit;

namespace Bandejo.System.Tests;

/// <summary>What is asked for with a key is done once, whatever becomes of the answer.</summary>
public sealed class OnceTests
{
    private const string Key = "Idempotency-Key";

    [Fact]
    public async Task A_change_with_a_key_is_made_once_and_a_repetition_has_the_same_answer_also_after_a_kill()
    {
        await using var site = await Site.StartApart();
        await site.Package("foldline", "7.2.0", "exit 0");
        using var device = new DeviceClient(site.Service.Address);
        await device.Join((await site.Admin.Post(
            "/api/v1/join-codes", new JoinCodeRequest(Site.Enrolled), ContractJson.Default.JoinCodeRequest, ContractJson.Default.JoinCodeInfo)).Code!, "DESK-1");
        var body = $$"""{"package":"foldline","groups":["{{Site.Enrolled}}"],"waves":[{"name":"all","pick":"everyone else"}],"name":"Nightly"}""";
        var first = await Start("\"nightly-1\"", body);
        Assert.True(first.Status == HttpStatusCode.Created, first.Body);
        Assert.Equal(first, await Start("\"nightly-1\"", body));
        Assert.Equal(first, await Start("nightly-1", body));
        await site.Process.Kill();
        await site.Process.Start();
        Assert.Equal(first, await Start("\"nightly-1\"", body));
        Assert.Single(await Deployments());

        // Another request under the same key is a mistake of the script; under another key it is another deployment.
        var used = await Start("\"nightly-1\"", body.Replace("Nightly", "Weekly"));
        Assert.Equal(HttpStatusCode.UnprocessableEntity, used.Status);
        Assert.Contains("urn:bandejo:problem:key-used", used.Body);
        Assert.Equal(HttpStatusCode.Created, (await Start("\"nightly-2\"", Other(1))).Status);
        Assert.Equal(2, (await Deployments()).Count);

        foreach (var wrong in (string[])["\"\"", $"\"{new string('x', 101)}\"", "\"a b\"", "\"a\", \"b\""])
        {
            var refused = await Start(wrong, body);
            Assert.True(refused.Status is HttpStatusCode.BadRequest, $"{wrong}: {refused}");
        }

        // What is refused was not made: the same key may be sent again when it can be.
        var later = """{"slug":"later","name":"Later","rule":"app foldline is \"7.2.0\" and group \"x\""}""";
        Assert.Equal(HttpStatusCode.UnprocessableEntity, (await Send("/api/v1/groups", "\"later-1\"", later)).Status);
        Assert.Equal(HttpStatusCode.Created, (await Send("/api/v1/groups", "\"later-1\"", """{"slug":"later","name":"Later"}""")).Status);

        // The key is one person's: somebody else's is another.
        Assert.Equal(HttpStatusCode.Created, (await site.Admin.Send(
            HttpMethod.Post, "/api/v1/accounts",
            """{"account":"mira-sol","name":"Mira","password":"four plain words here","roles":["operator"]}""")).Status);
        using var mira = await ApiClient.SignIn(site.Service.Address, "mira-sol", "four plain words here");
        Assert.Equal(
            HttpStatusCode.Created, (await mira.Send(HttpMethod.Post, "/api/v1/deployments", Other(2), (Key, "\"nightly-1\""))).Status);
        Assert.Equal(3, (await Deployments()).Count);

        // A secret is told once and kept nowhere: the repetition says that it was made, and makes no second.
        Assert.Equal(HttpStatusCode.Created, (await Send("/api/v1/join-codes", "\"code-1\"", "{}")).Status);
        var again = await Send("/api/v1/join-codes", "\"code-1\"", "{}");
        Assert.Equal(HttpStatusCode.Conflict, again.Status);
        Assert.Contains("urn:bandejo:problem:done-before", again.Body);
        Assert.Single(await site.Admin.Get("/api/v1/join-codes", ContractJson.Default.IReadOnlyListJoinCodeInfo));

        string Other(int priority) => body.Replace("}],", $"}}],\"priority\":{priority},").Replace("Nightly", $"Nightly {priority}");

        Task<(HttpStatusCode Status, string Body)> Start(string key, string json) => Send("/api/v1/deployments", key, json);

        Task<(HttpStatusCode Status, string Body)> Send(string path, string key, string json) =>
            site.Admin.Send(HttpMethod.Post, path, json, (Key, key));

        Task<IReadOnlyList<DeploymentInfo>> Deployments() =>
            site.Admin.Get("/api/v1/deployments?all=true", ContractJson.Default.IReadOnlyListDeploymentInfo);
    }

    [Fact]
    public async Task A_command_that_is_said_again_with_its_key_does_nothing_more()
    {
        await using var site = await Site.Start();
        await site.Package("foldline", "7.2.0", "exit 0");
        await site.Device("DESK-1", isStarted: false);
        string[] start = ["deployment", "start", "foldline", "--to", Site.Enrolled, "--name", "Tonight", "--yes", "-o", "json", "--once"];
        Assert.Equal(await site.Must([.. start, "tonight"]), await site.Must([.. start, "tonight"]));
        Assert.Single(await site.Admin.Get("/api/v1/deployments?all=true", ContractJson.Default.IReadOnlyListDeploymentInfo));
        Assert.Equal(await site.Must("group", "new", "pilots", "--once", "g1"), await site.Must("group", "new", "pilots", "--once", "g1"));
        var (code, _, errors) = await site.Run("group", "new", "others", "--once", "g1");
        Assert.Equal(3, code);
        Assert.Contains("This key was used for another request", errors);
        (code, _, errors) = await site.Run("group", "list", "--once", "a b");
        Assert.Equal(2, code);
        Assert.Contains("such as nightly-2026-12-01", errors);
    }

    [Fact]
    public async Task Many_at_once_with_one_key_make_one()
    {
        await using var site = await Site.Start();
        var answers = await Task.WhenAll(Enumerable.Range(0, 12).Select(
            _ => site.Admin.Send(HttpMethod.Post, "/api/v1/join-codes", """{"uses":3}""", (Key, "\"one\""))));
        Assert.Single(answers, answer => answer.Status == HttpStatusCode.Created);
        Assert.All(answers, answer => Assert.True(answer.Status is HttpStatusCode.Created or HttpStatusCode.Conflict, answer.ToString()));
        Assert.Single(await site.Admin.Get("/api/v1/join-codes", ContractJson.Default.IReadOnlyListJoinCodeInfo));
    }
}
