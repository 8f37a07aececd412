using System.CommandLine;
using Bandejo.Contract;
using Bandejo.Contract.Api;

namespace Bandejo.Cli;

/// <summary><c>bandejo journal</c></summary>
internal static class JournalCommands
{
    private static readonly Option<string> Topic = Shared.Choice(
        "--topic",
        "journal (decisions), target (every change of state), device, package, group (who came and went), audit (administrators and auditors) or any",
        "journal", "target", "device", "package", "group", "audit", "any");

    private static readonly Option<int> Limit = new("--limit", "-l") { Description = "How many lines", DefaultValueFactory = _ => 30 };

    /// <summary>What is found by, each with its name in the address.</summary>
    private static readonly (Option<string?> Option, string Name)[] By =
    [
        (new("--deployment", "-d") { Description = "Only this deployment" }, "deployment"),
        (new("--device") { Description = "Only this device" }, "device"),
        (new("--group", "-g") { Description = "Only who came into this group and who left it, or what was done with it" }, "group"),
        (new("--app", "-a") { Description = "Only what is of this app" }, "app"),
        (new("--by") { Description = "Only what this person did" }, "by"),
        (new("--what") { Description = "Only this kind of event, such as halted; several between commas" }, "what"),
        (new("--words") { Description = "Only where all these words stand in the text or the reason" }, "words"),
        (new("--from") { Description = "From then on: a day, \"2026-11-03 09:00\", or how long ago (3d)" }, "from"),
        (new("--to") { Description = "Up to then; of a day, its end" }, "to"),
    ];

    public static Command All()
    {
        var command = Shared.Table(
            "journal", "Shows what was decided, by whom, and on which figures; newest last", "journal --deployment D1001", Show,
            [.. By.Select(each => each.Option), Topic, Limit]);
        command.Subcommands.Add(AuditCommands.Verify());
        command.Subcommands.Add(AuditCommands.Export());
        return command;
    }

    private static async Task<int> Show(ParseResult parsed, Client client, CancellationToken cancellation)
    {
        var topic = parsed.GetValue(Topic)!;
        var isAudit = topic == "audit";
        var isTold = parsed.GetResult(Topic) is { Implicit: false };
        var query = (isAudit || !isTold ? "" : $"&topic={topic}") + string.Concat(
            By.Where(each => parsed.GetValue(each.Option) is not null)
                .Select(each => $"&{each.Name}={Uri.EscapeDataString(Sent(each.Name, parsed.GetValue(each.Option)!))}"));
        var page = await Lines(client, $"/api/v1/{(isAudit ? "audit" : "journal")}?", query, parsed.GetValue(Limit), cancellation);
        var sheet = new Sheet("~#No", "When", "Deployment", "By", "What");
        foreach (var line in page.Items.Reverse())
        {
            sheet.Add($"{line.Number}", Say.When(line.At), line.Deployment ?? "", line.By ?? "service", line.Text + (
                line.Reason is null ? "" : $" Reason: {line.Reason}"));
        }

        sheet.Print(
            parsed.GetValue(Shared.Output)!, page, ContractJson.Default.PageEventInfo,
            By.Any(each => parsed.GetValue(each.Option) is not null) ? "Nothing fits." : "Nothing yet.");
        if (page.Next is not null && parsed.GetValue(Shared.Output) == "table")
        {
            await Console.Error.WriteLineAsync($"There is more before these {page.Items.Count}: --limit {page.Items.Count * 10}, or --to with a moment.");
        }

        return ExitCode.Done;
    }

    /// <summary>So many of the newest lines as were asked for, a page after the other.</summary>
    private static async Task<Page<EventInfo>> Lines(Client client, string path, string query, int limit, CancellationToken cancellation)
    {
        if (limit < 1)
        {
            throw new WrongUseException("At least 1 line is shown (--limit).");
        }

        var (lines, cursor) = (new List<EventInfo>(), (string?)null);
        do
        {
            var most = Math.Min(ApiLimits.MaxPageSize, limit - lines.Count);
            var page = await client.Get(
                $"{path}limit={most}{(cursor is null ? "" : $"&cursor={cursor}")}{query}", ContractJson.Default.PageEventInfo, cancellation);
            lines.AddRange(page.Items);
            cursor = page.Next;
        }
        while (cursor is not null && lines.Count < limit);

        return new Page<EventInfo>(lines, cursor, lines.Count);
    }

    private static string Sent(string name, string typed) => name is "from" or "to" ? Moments.Sent(typed) : typed;
}
