using System.CommandLine;
using Bandejo.Contract;
using Bandejo.Contract.Api;

namespace Bandejo.Cli;

/// <summary><c>bandejo compliance</c></summary>
internal static class ComplianceCommands
{
    public static Command All() => Shared.Noun("compliance", "What is proven, what is not, and what nobody knows", Show(), Check(), Export());

    private static Command Show()
    {
        var by = Shared.Choice("--by", "What to count by", "fleet", "app", "group", "deployment");
        return Shared.Table("show", "Shows counts", "compliance show --by app", async (parsed, client, cancellation) =>
        {
            var rows = await client.Get(
                parsed.At($"/api/v1/compliance?by={parsed.GetValue(by)}"), ContractJson.Default.IReadOnlyListComplianceRow, cancellation);
            if (Say.IsForScripts)
            {
                return Figures(rows);
            }

            var sheet = new Sheet("What", "Met", "#Unmet", "#Late", "#Unknown", "~#Not needed", "~#Left out");
            foreach (var row in rows)
            {
                var counts = row.Counts;
                sheet.Add(
                    row.Name, Say.Share(counts.Met, counts.Bottom), $"{counts.Unmet}",
                    $"{counts.Late}{(counts.LateUnknown > 0 ? $" + {counts.LateUnknown} silent" : "")}", $"{counts.Unknown}", $"{counts.NotNeeded}",
                    $"{counts.LeftOut}");
            }

            sheet.Print(parsed.GetValue(Shared.Output)!, rows, ContractJson.Default.IReadOnlyListComplianceRow, "Nothing is deployed.");
            return ExitCode.Done;
        }, by, AsOf.Option);
    }

    /// <summary>A figure in each column.</summary>
    private static int Figures(IReadOnlyList<ComplianceRow> rows)
    {
        var sheet = new Sheet("What", "#Met", "#Of", "#Unmet", "#Late", "#Late unknown", "#Unknown", "#Not needed", "#Left out");
        foreach (var row in rows)
        {
            var counts = row.Counts;
            sheet.Add(
                row.Name, $"{counts.Met}", $"{counts.Bottom}", $"{counts.Unmet}", $"{counts.Late}", $"{counts.LateUnknown}", $"{counts.Unknown}",
                $"{counts.NotNeeded}", $"{counts.LeftOut}");
        }

        sheet.Print("csv", rows, ContractJson.Default.IReadOnlyListComplianceRow, "");
        return ExitCode.Done;
    }

    private static Command Check()
    {
        var deployment = new Option<string?>("--deployment", "-d") { Description = "Only this deployment" };
        var least = new Option<int>("--least") { Description = "The least percentage that must be met", DefaultValueFactory = _ => 100 };
        return Shared.Verb(
            "check", "Exit code 0 if enough is met and nothing is late, 1 if not", "compliance check --least 95", async (parsed, client, cancellation) =>
        {
            ComplianceInfo counts;
            string name;
            if (parsed.GetValue(deployment) is { } named)
            {
                var details = await client.Get($"/api/v1/deployments/{Uri.EscapeDataString(named)}", ContractJson.Default.DeploymentDetails, cancellation);
                (counts, name) = (details.Deployment.Compliance, $"'{details.Deployment.Name}'");
            }
            else
            {
                var rows = await client.Get("/api/v1/compliance?by=fleet", ContractJson.Default.IReadOnlyListComplianceRow, cancellation);
                (counts, name) = (rows[0].Counts, "the fleet");
            }

            var asked = Math.Clamp(parsed.GetValue(least), 0, 100);
            var needed = ((asked * counts.Bottom) + 99) / 100;
            var late = counts.Late + counts.LateUnknown;
            var holds = counts.Met >= needed && late == 0;
            Console.WriteLine(
                $"{(holds ? "Holds" : "Does not hold")} for {name}: {Say.Share(counts.Met, counts.Bottom)} met, {needed} needed for {asked} %; {late} late.");
            return holds ? ExitCode.Done : ExitCode.No;
        }, deployment, least);
    }

    private static Command Export()
    {
        var deployment = new Option<string?>("--deployment", "-d") { Description = "Only this deployment" };
        var app = new Option<string?>("--app", "-a") { Description = "Only this app" };
        var group = new Option<string?>("--group", "-g") { Description = "Only devices of this group" };
        var only = new Option<string?>("--only") { Description = "late, unmet, unknown, or open for both" };
        return Shared.Table(
            "export", "Prints every target behind the figures, as CSV or JSON", "compliance export --only late --output csv",
            async (parsed, client, cancellation) =>
        {
            var query = string.Concat(
                new[]
                {
                    ("deployment", parsed.GetValue(deployment)), ("app", parsed.GetValue(app)), ("group", parsed.GetValue(group)),
                    ("only", parsed.GetValue(only)),
                }
                .Where(pair => pair.Item2 is not null).Select(pair => $"&{pair.Item1}={Uri.EscapeDataString(pair.Item2!)}"));
            var format = parsed.GetValue(Shared.Output) == "json" ? "json" : "csv";
            await using var output = Say.Raw();
            await client.Print(parsed.At($"/api/v1/compliance/targets?format={format}{query}"), output, cancellation);
            return ExitCode.Done;
        }, deployment, app, group, only, AsOf.Option);
    }
}
