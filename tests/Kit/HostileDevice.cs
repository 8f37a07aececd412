using System.Net.Http.Headers;
using System.Net.Http.Json;
using System.Text;
using System.Text.Json;
using System.Text.Json.Nodes;
using Bandejo.Contract;
using Bandejo.Contract.Device;

namespace Bandejo.Kit;

/// <summary>A device that has joined, speaks the protocol, and breaks whichever of its rules a test tells it to.</summary>
public sealed class HostileDevice : IDisposable
{
    private readonly DeviceClient _client;
    private readonly HttpClient _http;

    private HostileDevice(string address)
    {
        _client = new DeviceClient(address);
        _http = new HttpClient { BaseAddress = new Uri(address) };
    }

    public string Id => _client.Id;

    /// <summary>A device that joins with a code and has a token.</summary>
    public static async Task<HostileDevice> Join(string address, string code, string name = "FAKE-01")
    {
        var device = new HostileDevice(address);
        await device._client.Join(code, name);
        await device.Renew();
        return device;
    }

    /// <summary>Takes another token, as a device does when its own has ended.</summary>
    public async Task Renew()
    {
        var answer = await _http.PostAsJsonAsync(
            DeviceProtocol.Prefix + "/token",
            new DeviceTokenRequest(_client.Assertion(TimeProvider.System.GetUtcNow().AddMinutes(1), id: Guid.NewGuid().ToString("N"))),
            ContractJson.Default.DeviceTokenRequest);
        var token = (await answer.EnsureSuccessStatusCode().Content.ReadFromJsonAsync(ContractJson.Default.DeviceTokenAnswer))!;
        _http.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue("Bearer", token.AccessToken);
    }

    /// <summary>A check-in with something of everything, for a deployment; to be broken.</summary>
    public JsonObject Message(long sequence, string deployment)
    {
        var now = TimeProvider.System.GetUtcNow();
        var attempt = new AttemptReport(
            "a" + sequence, deployment, 0, true, "install", now, now, "failed", "run", 9, "The step failed", "7.1.0", null, null, false);
        var request = new CheckInRequest(
            sequence, "f" + sequence,
            new FactReport(new Dictionary<string, string> { ["kind"] = "desk", ["label.floor"] = "3" }, [new ProgramReport("foldline", "7.1.0", "system")]), "",
            [new ProofReport(deployment, 0, "absent", null, "It is not there", now)],
            [attempt, attempt with { Id = "b" + sequence, HasEnded = false, EndedAt = null, Outcome = null, ExitCode = null }],
            [new UserReport("u" + sequence, "harm", "foldline", "It does not print", now)], null, [new WaitReport(deployment, "somebody is signed in")]);
        return JsonNode.Parse(JsonSerializer.Serialize(request, ContractJson.Default.CheckInRequest))!.AsObject();
    }

    /// <summary>Sends a check-in, whatever it is. Of one that is too long the service may close the line before it has come: that is 413 too.</summary>
    public async Task<(int Status, string Body)> CheckIn(string json)
    {
        try
        {
            using var answer = await _http.PostAsync(DeviceProtocol.Prefix + "/check-in", new StringContent(json, Encoding.UTF8, "application/json"));
            return ((int)answer.StatusCode, await answer.Content.ReadAsStringAsync());
        }
        catch (HttpRequestException) when (json.Length > DeviceProtocol.MaxMessage)
        {
            return (413, "");
        }
    }

    /// <summary>Breaks some of the parts of a message at random.</summary>
    public static void Break(JsonNode message, Random random)
    {
        for (var times = random.Next(1, 5); times > 0; times--)
        {
            var parts = new List<(JsonNode Of, string? Name, int At)>();
            Gather(message, parts);
            if (parts.Count == 0)
            {
                return;
            }

            var (of, name, at) = parts[random.Next(parts.Count)];
            var odd = Odd(random);
            if (of is JsonObject some)
            {
                switch (random.Next(6))
                {
                    case 0:
                        some.Remove(name!);
                        break;
                    case 1:
                        some[name + "\u202E"] = odd;
                        break;
                    default:
                        some[name!] = odd;
                        break;
                }
            }
            else if (of is JsonArray list)
            {
                list[at] = odd;
                for (var more = random.Next(20) == 0 ? 3000 : 0; more > 0; more--)
                {
                    list.Add(odd?.DeepClone());
                }
            }
        }
    }

    public void Dispose()
    {
        _client.Dispose();
        _http.Dispose();
    }

    private static void Gather(JsonNode? node, List<(JsonNode, string?, int)> parts)
    {
        if (node is JsonObject some)
        {
            foreach (var (name, value) in some.ToList())
            {
                parts.Add((some, name, 0));
                Gather(value, parts);
            }
        }
        else if (node is JsonArray list)
        {
            for (var at = 0; at < list.Count; at++)
            {
                parts.Add((list, null, at));
                Gather(list[at], parts);
            }
        }
    }

    private static JsonNode? Odd(Random random) => random.Next(16) switch
    {
        0 => null,
        1 => "",
        2 => new string('x', 20_000),
        3 => "../../etc/passwd",
        4 => "\u0000\u001B[31m\u202E",
        5 => -1,
        6 => long.MaxValue,
        7 => 0.5,
        8 => true,
        9 => new JsonArray(),
        10 => new JsonObject(),
        11 => new JsonArray(Enumerable.Range(0, 50).Select(_ => (JsonNode?)null).ToArray()),
        12 => "9999-12-31T23:59:59Z",
        13 => "0001-01-01T00:00:00Z",
        14 => JsonNode.Parse(new string('[', 40) + new string(']', 40)),
        _ => "D1001",
    };
}
