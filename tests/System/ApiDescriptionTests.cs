using System.Net;
using System.Text.Json;
using System.Text.Json.Nodes;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Kit;
using Xunit;

namespace Bandejo.System.Tests;

/// <summary>What the description of the API says is so: whoever makes a client from it can call everything.</summary>
public sealed class ApiDescriptionTests
{
    /// <summary>Bodies that somebody must make anew each time: drafts, what was built, reports, keys.</summary>
    private static readonly HashSet<string> WithoutExample =
    [
        "addPackage", "addTrial", "writeDraftManifest", "captureIntoDraft", "setDraftAfter", "createDraftFromInside", "buildDraft", "addOwnSigningKey",
    ];

    /// <summary>What stands against an example here and may: it was done before, or there is nothing to do.</summary>
    private static readonly Dictionary<string, string> MayBeRefused = new()
    {
        ["rollOverIdentity"] = "TLS", ["retryTargets"] = "failed", ["rollBackDeployment"] = "nothing to roll back",
        ["approveDeployment"] = "approval", ["advanceDeployment"] = "wave", ["releasePackage"] = "released", ["changeClock"] = "clock", ["letGoPackage"] = "must stay",
    };

    [Fact]
    public async Task Each_operation_says_who_it_is_who_may_what_it_takes_and_how_it_refuses()
    {
        await using var site = await Site.Start();
        var document = await Document(site);
        var operations = Operations(document).ToList();
        Assert.True(operations.Count > 100, $"only {operations.Count}");
        Assert.Distinct(operations.Select(each => each.Id));
        Assert.All(operations, each => Assert.Matches("^[a-z][A-Za-z]+$", each.Id));
        foreach (var (_, _, id, operation) in operations)
        {
            Assert.False(string.IsNullOrWhiteSpace(operation["summary"]?.ToString()), $"{id} has no summary");
            Assert.True(operation["x-roles"] is not null || operation["security"] is JsonArray { Count: 0 }, $"{id}: who may?");
            foreach (var parameter in operation["parameters"]?.AsArray() ?? [])
            {
                Assert.False(string.IsNullOrWhiteSpace(parameter!["description"]?.ToString()), $"{id}: what is {parameter["name"]}?");
            }

            var body = operation["requestBody"]?["content"]?["application/json"];
            Assert.True(body is null || body["example"] is not null || WithoutExample.Contains(id), $"{id} has no example");
            foreach (var (status, answer) in operation["responses"]!.AsObject().Where(each => each.Key[0] is '4' or '5'))
            {
                Assert.Equal(
                    "#/components/schemas/Problem", answer!["content"]!["application/problem+json"]!["schema"]!["$ref"]!.ToString());
            }
        }

        Assert.Equal("bearer", document["components"]!["securitySchemes"]!["token"]!["scheme"]!.ToString());
        var types = document["components"]!["schemas"]!["Problem"]!["properties"]!["type"]!["enum"]!.AsArray().Select(each => each!.ToString()).ToList();
        Assert.Contains("urn:bandejo:problem:stale", types);
    }

    [Fact]
    public async Task Each_example_works_as_it_stands()
    {
        await using var site = await Site.Start();
        await site.Package("foldline", "7.2.0", "exit 0");
        await site.Admin.Post(
            "/api/v1/groups", new GroupRequest("pilots", "Pilots", null, IsForTesting: true), ContractJson.Default.GroupRequest,
            ContractJson.Default.GroupInfo);
        using var device = new DeviceClient(site.Service.Address);
        var code = await site.Admin.Post(
            "/api/v1/join-codes", new JoinCodeRequest("pilots"), ContractJson.Default.JoinCodeRequest, ContractJson.Default.JoinCodeInfo);
        await device.Join(code.Code!, "ALD-DESK-001");
        var operations = Operations(await Document(site)).ToDictionary(each => each.Id);
        using var mira = new ApiClient(site.Service.Address);
        var deployment = "";

        // What is made first stands first; what ends something stands last.
        string[] first = ["createAccount", "signIn", "createToken", "createGroup", "previewDeployment", "startDeployment"];
        string[] last = ["rollBackDeployment", "endDeployment", "letGoPackage", "withdrawPackage", "changeOwnPassword"];
        var order = first.Concat(operations.Keys.Except(first).Except(last)).Concat(last).Where(id => Example(id) is not null).ToList();
        Assert.True(order.Count > 30);
        foreach (var id in order)
        {
            var (method, path, _, _) = operations[id];
            var address = path.Replace("{deployment}", deployment).Replace("{package}", "foldline").Replace("{account}", "mira-sol")
                .Replace("{device}", "ALD-DESK-001").Replace("{slug}", id.Contains("Members") ? "pilots" : id.Contains("Group") ? "reading-rooms" : "quiet");
            var (status, answer) = await (id == "changeOwnPassword" ? mira : site.Admin).Send(
                new HttpMethod(method.ToUpperInvariant()), address, Example(id), ("If-Match", "*"));
            var isRefused = status is HttpStatusCode.Conflict or HttpStatusCode.UnprocessableEntity or HttpStatusCode.NotFound
                && MayBeRefused.TryGetValue(id, out var why) && answer.Contains(why, StringComparison.OrdinalIgnoreCase);
            Assert.True((int)status is >= 200 and < 300 || isRefused, $"{id}: {status} {answer}");
            deployment = id == "startDeployment" ? JsonNode.Parse(answer)!["id"]!.ToString() : deployment;
            if (id == "createToken")
            {
                mira.Http.DefaultRequestHeaders.Authorization = new("Bearer", JsonNode.Parse(answer)!["secret"]!.ToString());
            }
        }

        string? Example(string id) => operations[id].Operation["requestBody"]?["content"]?["application/json"]?["example"]?.ToJsonString();
    }

    /// <summary>What the service answers is in the words and fields of its description: asked of what stands in the document as lists and single things.</summary>
    [Fact]
    public async Task Words_that_are_answered_are_those_that_the_description_names()
    {
        await using var site = await Site.Start();
        await site.Package("foldline", "7.2.0", "exit 0");
        await site.Device("DESK-1");
        var id = await site.Deploy("foldline 7.2.0", Site.Enrolled);
        await site.Admin.Until(async () => (await site.Admin.Http.GetStringAsync($"/api/v1/deployments/{id}/targets")).Contains("\"tries\":1"), "it was tried");
        var document = await Document(site);
        var seen = 0;
        foreach (var (method, path, _, operation) in Operations(document).Where(each => each.Method == "get"))
        {
            var address = path.Replace("{deployment}", id).Replace("{device}", "DESK-1").Replace("{package}", "foldline").Replace("{slug}", Site.Enrolled)
                .Replace("{what}", "fleet").Replace("{app}", "foldline");
            var schema = operation["responses"]?["200"]?["content"]?["application/json"]?["schema"];
            if (schema is null || address.Contains('{', StringComparison.Ordinal))
            {
                continue;
            }

            var (status, body) = await site.Admin.Send(new HttpMethod(method.ToUpperInvariant()), address);
            if (status == HttpStatusCode.OK)
            {
                Holds(JsonNode.Parse(body), schema, path);
                seen++;
            }
        }

        Assert.True(seen > 25, $"only {seen} answers were looked at");

        void Holds(JsonNode? value, JsonNode schema, string where)
        {
            var form = schema["$ref"] is { } named ? document["components"]!["schemas"]![named.ToString().Split('/')[^1]]! : schema;
            if (form["oneOf"] is JsonArray forms)
            {
                if (value is not null)
                {
                    Holds(value, forms.Single(each => each!["type"]?.ToString() != "null")!, where);
                }

                return;
            }

            Assert.True(
                form["enum"] is not JsonArray words || words.Any(word => JsonNode.DeepEquals(word, value)), $"{where}: '{value}' is none of {form["enum"]}");
            if (value is JsonArray list)
            {
                foreach (var each in list)
                {
                    Holds(each, form["items"]!, where + "[]");
                }
            }
            else if (value is JsonObject thing && form["properties"] is JsonObject fields)
            {
                Assert.All(form["required"]?.AsArray() ?? [], name => Assert.True(thing.ContainsKey(name!.ToString()), $"{where}.{name} is missing"));
                foreach (var (name, inner) in thing)
                {
                    Assert.True(fields.ContainsKey(name), $"{where}.{name} is not described");
                    Holds(inner, fields[name]!, $"{where}.{name}");
                }
            }
        }
    }

    private static async Task<JsonNode> Document(Site site) => JsonNode.Parse(await site.Admin.Http.GetStringAsync("/api/v1/openapi.json"))!;

    private static IEnumerable<(string Method, string Path, string Id, JsonNode Operation)> Operations(JsonNode document) =>
        document["paths"]!.AsObject().SelectMany(path => path.Value!.AsObject().Select(
            each => (each.Key, path.Key, each.Value!["operationId"]!.ToString(), each.Value!)));
}
