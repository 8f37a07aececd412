using System.Text.Json;

namespace Bandejo.Chaos.Tests;

/// <summary>A step that a device began.</summary>
public sealed record Step(string Device, string Attempt, string Name, string App, string Version, string Deployment, DateTimeOffset At, DateTimeOffset? HeardAt)
{
    /// <summary>How it ended; null where it was cut off.</summary>
    public int? Code { get; set; }
}

/// <summary>An attempt that a device began.</summary>
public sealed record Begun(string Device, string Attempt, string Deployment, int Number, string Kind, DateTimeOffset At, DateTimeOffset? HeardAt)
{
    /// <summary>Whether the orders that the device had last heard allowed it to start.</summary>
    public bool WasAllowed { get; init; }

    /// <summary>When those orders came.</summary>
    public DateTimeOffset OrdersAt { get; init; }

    public int Lease { get; init; }

    /// <summary>The outcome that the device wrote down; null where it was cut off.</summary>
    public string? Outcome { get; set; }
}

/// <summary>
/// What the fleet's own record says its devices did. Read by nothing but the words in it, so that it judges the programs and is not judged by them.
/// </summary>
public sealed class Record
{
    public List<Step> Steps { get; } = [];

    public List<Begun> Attempts { get; } = [];

    /// <summary>Reports that the service acknowledged, by device.</summary>
    public List<(string Device, string Name)> Acknowledged { get; } = [];

    /// <summary>The version of each app that is really there, by device.</summary>
    public Dictionary<string, Dictionary<string, string>> There { get; } = [];

    public static Record Read(string file)
    {
        var record = new Record();
        var orders = new Dictionary<string, (DateTimeOffset At, Dictionary<string, (bool MayStart, int Lease)> Orders)>();
        foreach (var text in File.ReadLines(file))
        {
            JsonElement line;
            try
            {
                line = JsonDocument.Parse(text).RootElement;
            }
            catch (JsonException)
            {
                // Cut off in the middle by the last kill; it was told to nobody.
                continue;
            }

            record.Take(line, orders);
        }

        return record;
    }

    private void Take(JsonElement line, Dictionary<string, (DateTimeOffset At, Dictionary<string, (bool MayStart, int Lease)> Orders)> orders)
    {
        var device = Text(line, "device")!;
        var at = line.GetProperty("at").GetDateTimeOffset();
        var there = There.TryGetValue(device, out var known) ? known : There[device] = [];
        foreach (var part in new[] { "put", "later" })
        {
            foreach (var file in line.TryGetProperty(part, out var files) ? files.EnumerateObject() : default)
            {
                if (file.Name.EndsWith("/VERSION", StringComparison.Ordinal))
                {
                    there[file.Name.Split('/')[1]] = file.Value.GetString()!;
                }
            }
        }

        foreach (var file in line.TryGetProperty("gone", out var gone) ? gone.EnumerateArray() : default)
        {
            there.Remove(file.GetString()!.Split('/')[1]);
        }

        switch (Text(line, "what"))
        {
            case "step-began":
                Steps.Add(new Step(
                    device, Text(line, "attempt")!, Text(line, "step")!, Text(line, "app")!, Text(line, "version")!, Text(line, "deployment") ?? "", at,
                    Moment(line, "heardAt")));
                break;
            case "step-ended":
                Steps.Last(step => step.Attempt == Text(line, "attempt") && step.Name == Text(line, "step")).Code = line.TryGetProperty("code", out var code)
                    ? code.GetInt32()
                    : -1;
                break;
            case "journal":
                Journal(device, line, line.GetProperty("entry"), at, orders);
                break;
        }
    }

    private void Journal(
        string device, JsonElement line, JsonElement entry, DateTimeOffset at, Dictionary<string,
        (DateTimeOffset At, Dictionary<string, (bool MayStart, int Lease)> Orders)> orders)
    {
        switch (Text(entry, "entry"))
        {
            case "orders":
                orders[device] = (at, Orders(entry.GetProperty("orders")));
                break;
            case "whole" when entry.GetProperty("state").TryGetProperty("orders", out var whole):
                orders[device] = (entry.GetProperty("state").GetProperty("confirmedAt").GetDateTimeOffset(), Orders(whole));
                break;
            case "began":
                var attempt = entry.GetProperty("attempt");
                var order = attempt.GetProperty("order");
                var key = KeyOf(order);
                var heard = orders.TryGetValue(device, out var known) ? known : (At: default, Orders: []);
                var isKnown = heard.Orders.TryGetValue(key, out var said);
                Attempts.Add(
                    new Begun(
                        device, Text(attempt, "id")!, Text(order, "deployment")!, order.GetProperty("number").GetInt32(), Text(order, "kind")!, at,
                        Moment(line, "heardAt")) { WasAllowed = isKnown && said.MayStart, OrdersAt = heard.At, Lease = said.Lease });
                break;
            case "ended":
                var report = entry.GetProperty("report");
                Attempts.Last(each => each.Attempt == Text(report, "id")).Outcome = Text(report, "outcome");
                break;
            case "acknowledged":
                Acknowledged.AddRange(entry.GetProperty("names").EnumerateArray().Select(name => (device, name.GetString()!)));
                break;
        }
    }

    private static Dictionary<string, (bool MayStart, int Lease)> Orders(JsonElement orders) =>
        orders.EnumerateArray().ToDictionary(KeyOf, order => (order.GetProperty("mayStart").GetBoolean(), order.GetProperty("leaseSeconds").GetInt32()));

    private static string KeyOf(JsonElement order) => $"{Text(order, "deployment")}/{order.GetProperty("number").GetInt32()}/{Text(order, "kind")}";

    private static string? Text(JsonElement element, string name) => element.TryGetProperty(name, out var value) ? value.GetString() : null;

    private static DateTimeOffset? Moment(JsonElement element, string name) => element.TryGetProperty(name, out var value) ? value.GetDateTimeOffset() : null;
}
