using System.Globalization;
using System.Net;
using System.Text.Json;
using System.Text.Json.Nodes;
using Bandejo.Contract;
using Bandejo.Kit;
using Xunit;

namespace Bandejo.System.Tests;

/// <summary>
/// Goes over every operation of the API's document and of the device protocol, and over every field, with what nobody should send: never a fault of the
/// service, never something half kept. Of each field a third is sent, another of each, so that all is sent somewhere; everything everywhere where it is asked
/// for (<c>make thorough</c>).
/// </summary>
public sealed class EveryFieldTests
{
    private static readonly string Long = new('x', 300_000);

    private static readonly JsonNode?[] Odd =
    [
        null, JsonValue.Create(""), JsonValue.Create("\0"), JsonValue.Create("\u202e\u001b[31mred"), JsonValue.Create("\u0661\u0662\u0663"),
        JsonValue.Create("../../etc/passwd"), JsonValue.Create("%00%2e%2e"), JsonValue.Create(" "), JsonValue.Create("'; DROP TABLE device; --"),
        JsonValue.Create(-1), JsonValue.Create(int.MaxValue), JsonValue.Create(int.MinValue), JsonValue.Create(long.MaxValue), JsonValue.Create(1e308),
        JsonValue.Create(1.5), JsonValue.Create(true), JsonValue.Create("0001-01-01T00:00:00Z"),
        JsonValue.Create("9999-12-31T23:59:59Z"), JsonValue.Create("P9999999D"), JsonValue.Create("99999999999 d"), JsonValue.Create(Long), new JsonArray(),
        new JsonArray((JsonNode?)null), new JsonArray(new JsonArray()), new JsonObject(), new JsonObject { ["x"] = null },
    ];

    private static readonly string[] OddTexts = [
        "", "0", "-1", "99999999999999999999", "\u0661\u0662", "../..", "%00", "a%00b", "\u202e", "any", "csv", "json", "null", new string('y', 5000),
        "kind is \"desk\"", "((((", "'"];

    /// <summary>What is sent of all this the so-manieth time.</summary>
    private static IEnumerable<T> Some<T>(IReadOnlyList<T> all, int turn) => Thorough.IsAsked ? all : all.Where((_, at) => (at + turn) % 3 == 0);

    [Fact]
    public async Task No_input_is_a_fault_of_the_service_and_nothing_is_half_kept()
    {
        await using var site = await Site.StartApart();
        await site.Package("foldline", "7.1.0", "mkdir -p \"$T\" && echo \"$BANDEJO_VERSION\" > \"$T/VERSION\"");
        using var device = new DeviceClient(site.Service.Address);
        await device.Join(
            (
                await site.Admin.Post(
                    "/api/v1/join-codes", new Contract.Api.JoinCodeRequest(Site.Enrolled), ContractJson.Default.JoinCodeRequest,
                    ContractJson.Default.JoinCodeInfo)).Code!,
            "ALD-DESK-001");
        await device.CheckIn(1);
        var deployment = await site.Deploy("foldline 7.1.0", Site.Enrolled);
        var faults = new List<string>();
        var document = JsonNode.Parse(await site.Admin.Http.GetStringAsync("/api/v1/openapi.json"))!;
        var (asked, turn) = (0, 0);
        foreach (var (path, operations) in document["paths"]!.AsObject())
        {
            foreach (var (method, operation) in operations!.AsObject())
            {
                // A line stays open, and signing out ends the test.
                if (path is "/api/v1/events" or "/api/v1/session" or "/api/v1/account/password" || operation!["operationId"]?.ToString() == "-")
                {
                    continue;
                }

                var base_ = Known(path, deployment);
                foreach (var parameter in operation["parameters"]?.AsArray().Where(each => each!["in"]!.ToString() != "header") ?? [])
                {
                    foreach (var odd in Some(OddTexts, turn++))
                    {
                        var (name, place) = (parameter!["name"]!.ToString(), parameter["in"]!.ToString());
                        var address = place == "query"
                            ? $"{base_}?{name}={Uri.EscapeDataString(odd)}"
                            : Known(path.Replace($"{{{name}}}", Uri.EscapeDataString(odd.Length == 0 ? "-" : odd)), deployment);
                        await Ask(method, address, Body(document, operation), name, odd);
                    }
                }

                if (Body(document, operation) is not JsonObject body)
                {
                    continue;
                }

                foreach (var odd in path.EndsWith("/tokens", StringComparison.Ordinal) ? Odd[..5] : Odd)
                {
                    await Ask(method, base_, odd, "the whole body", odd?.ToJsonString() ?? "null");
                }

                foreach (var field in Fields(body))
                {
                    // Wrong passwords are answered ever more slowly, as they should be: a few must do.
                    foreach (var odd in path.EndsWith("/tokens", StringComparison.Ordinal) ? Odd[..5] : Some(Odd, turn++))
                    {
                        var changed = (JsonObject)body.DeepClone();
                        Put(changed, field, odd?.DeepClone());
                        await Ask(method, base_, changed, string.Join('.', field), odd?.ToJsonString() ?? "null");
                    }
                }
            }
        }

        foreach (var odd in Odd)
        {
            foreach (var field in new[] { "sequence", "factsDigest", "facts", "ordersTag", "proofs", "attempts", "said", "trustTag" })
            {
                var request = JsonNode.Parse("""{"sequence":99999999999999,"factsDigest":"x","ordersTag":"","proofs":[],"attempts":[]}""")!.AsObject();
                request[field] = odd?.DeepClone();
                await Device("check-in", request, field, odd);
            }

            foreach (var (path, text) in new[]
            {
                ("proofs", """{"deployment":"D","order":0,"answer":"present","version":"1","why":"w","at":"2026-01-01T00:00:00Z"}"""),
                (
                    "attempts",
                    """{"id":"a9","deployment":"D","order":0,"hasEnded":true,"kind":"install","startedAt":"2026-01-01T00:00:00Z","endedAt":"2026-01-01T00:00:00Z","outcome":"failed","phase":"run","exitCode":1,"message":"m","before":"","beforePackage":null,"proof":null,"hasLog":false}"""),
                ("said", """{"id":"w9","kind":"harm","app":"foldline","text":"t","at":"2026-01-01T00:00:00Z"}"""),
            })
            {
                var whole = JsonNode.Parse(text.Replace("\"D\"", $"\"{deployment}\""))!.AsObject();
                foreach (var field in whole.Select(pair => pair.Key).ToList())
                {
                    var one = (JsonObject)whole.DeepClone();
                    one[field] = odd?.DeepClone();
                    var request = JsonNode.Parse("""{"sequence":99999999999999,"factsDigest":"x","ordersTag":"","proofs":[],"attempts":[]}""")!.AsObject();
                    request[path] = new JsonArray(one);
                    await Device("check-in", request, $"{path}.{field}", odd);
                }
            }

            foreach (
                var (field, of) in new[] { ("facts", "kind"), ("facts", "label.room"), ("programs", "name"), ("programs", "version"), ("programs", "source") })
            {
                var request = JsonNode.Parse(
                    """{"sequence":99999999999999,"factsDigest":"y","ordersTag":"","proofs":[],"attempts":[],"facts":{"facts":{"kind":"desk"},"programs":[{"name":"Foldline","version":"1","source":"system"}]}}""")
                    !.AsObject();
                request["factsDigest"] = Guid.NewGuid().ToString("N");
                (field == "facts" ? request["facts"]!["facts"]!.AsObject() : request["facts"]!["programs"]![0]!.AsObject())[of] = odd?.DeepClone();
                await Device("check-in", request, $"{field}.{of}", odd);
            }

            foreach (
                var (path, text) in new[]
                {
                    ("join", """{"protocol":1,"code":"c","key":{"keyId":"","x":"x","y":"y"},"name":"n","facts":{"facts":{},"programs":[]}}"""),
                    ("token", """{"assertion":"a.b.c"}"""),
                })
            {
                var whole = JsonNode.Parse(text)!.AsObject();
                foreach (var field in Fields(whole))
                {
                    var changed = (JsonObject)whole.DeepClone();
                    Put(changed, field, odd?.DeepClone());
                    await Device(path, changed, string.Join('.', field), odd);
                }
            }
        }

        Assert.True(asked > 3000, $"Only {asked} requests were made.");
        Assert.True(faults.Count == 0, $"{faults.Count} of {asked}:\n{string.Join('\n', faults.Take(40))}");

        // What was kept is whole: the service starts on it again, and answers for all of it.
        await site.Process.Kill();
        await site.Service.Start();
        foreach (
            var list in new[]
            {
                "groups", "devices", "packages", "deployments", "accounts", "wave-plans", "handlings", "join-codes", "bench", "apps",
                "journal?topic=any&limit=1000", "audit?limit=1000", "today", "compliance",
            })
        {
            Assert.Equal(HttpStatusCode.OK, (await site.Admin.Send(HttpMethod.Get, "/api/v1/" + list)).Status);
        }

        async Task Ask(string method, string address, JsonNode? body, string field, string odd)
        {
            asked++;
            var (status, _) = await site.Admin.Send(new HttpMethod(method.ToUpperInvariant()), address, body?.ToJsonString() ?? (
                method is "get" or "delete" ? null : "null"));
            if ((int)status is >= 500 or < 200)
            {
                faults.Add($"{(int)status} {method} {(address.Length > 100 ? address[..100] : address)} {field} = {(odd.Length > 40 ? odd[..40] + "…" : odd)}");
            }
        }

        async Task Device(string path, JsonObject body, string field, JsonNode? odd)
        {
            asked++;
            using var client = new ApiClient(site.Service.Address, device.Link.Token);
            var (status, _) = await client.Send(HttpMethod.Post, "/device/v1/" + path, body.ToJsonString());
            if ((int)status >= 500)
            {
                var text = odd?.ToJsonString() ?? "null";
                faults.Add($"{(int)status} device {path} {field} = {(text.Length > 40 ? text[..40] + "…" : text)}");
            }
        }
    }

    /// <summary>An address in which everything that varies is something that is there.</summary>
    private static string Known(string path, string deployment) =>
        path.Replace("{deployment}", deployment).Replace("{device}", "ALD-DESK-001").Replace("{slug}", Site.Enrolled).Replace("{package}", "foldline")
            .Replace("{app}", "foldline").Replace("{account}", "root-admin")
        .Replace("{id}", "x1").Replace("{draft}", "d1").Replace("{trial}", "1").Replace("{other}", "foldline").Replace("{key}", "k1");

    /// <summary>A body with every field that the document has for it, each with something of its kind.</summary>
    private static JsonNode? Body(JsonNode document, JsonNode operation) =>
        operation["requestBody"]?["content"]?["application/json"]?["schema"] is { } schema ? Example(document, schema, 0) : null;

    private static JsonNode? Example(JsonNode document, JsonNode schema, int depth)
    {
        if (schema["$ref"]?.ToString() is { } reference)
        {
            return Example(document, document["components"]!["schemas"]![reference.Split('/')[^1]]!, depth);
        }

        if ((schema["oneOf"] ?? schema["anyOf"])?.AsArray() is { } choices)
        {
            return Example(document, choices.First(each => each!["type"]?.ToString() != "null")!, depth);
        }

        var type = schema["type"] is JsonArray several ? several.First(each => each!.ToString() != "null")!.ToString() : schema["type"]?.ToString();
        switch (type)
        {
            case "object" when schema["properties"]?.AsObject() is { } properties && depth < 4:
                var made = new JsonObject();
                foreach (var (name, property) in properties)
                {
                    made[name] = Example(document, property!, depth + 1);
                }

                return made;
            case "object":
                return new JsonObject();
            case "array":
                return new JsonArray(Example(document, schema["items"]!, depth + 1));
            case "integer" or "number":
                return JsonValue.Create(1);
            case "boolean":
                return JsonValue.Create(false);
            default:
                return JsonValue.Create(schema["format"]?.ToString() == "date-time" ? "2027-01-01T00:00:00Z" : "foldline");
        }
    }

    private static IEnumerable<object[]> Fields(JsonNode node)
    {
        foreach (
            var (name, value) in node is JsonObject map ? map.Select(pair => ((object)pair.Key, pair.Value))
                : node is JsonArray list ? list.Select((each, i) => ((object)i, each))
                : [])
        {
            yield return [name];
            foreach (var inner in value is JsonObject or JsonArray ? Fields(value) : [])
            {
                yield return [name, .. inner];
            }
        }
    }

    private static void Put(JsonNode root, object[] field, JsonNode? value)
    {
        var at = field[..^1].Aggregate(root, (node, part) => part is string name ? node[name]! : node[(int)part]!);
        if (field[^1] is string last)
        {
            at.AsObject()[last] = value;
        }
        else
        {
            at.AsArray()[Convert.ToInt32(field[^1], CultureInfo.InvariantCulture)] = value;
        }
    }
}
