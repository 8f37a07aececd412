using System.CommandLine;
using System.Globalization;
using Bandejo.Contract;
using Bandejo.Contract.Api;

namespace Bandejo.Cli;

/// <summary><c>bandejo trend</c></summary>
internal static class TrendCommands
{
    private static readonly Option<int> Days = new("--days") { Description = "How many days, up to 400", DefaultValueFactory = _ => 30 };

    public static Command All()
    {
        var app = new Argument<string>("app") { Description = "The app's short name" };
        var only = new Option<string?>("--app", "-a") { Description = "Only this app" };
        return Shared.Noun(
            "trend", "How things went from day to day",
            Shared.Table("compliance", "How much was proven at the end of each day", "trend compliance --days 14", (parsed, client, cancellation) =>
                Print(parsed, client, "compliance", parsed.GetValue(only), cancellation), only, Days),
            Shared.Table("fleet", "How many devices there were, by kind", "trend fleet", (parsed, client, cancellation) =>
                Print(parsed, client, "fleet", null, cancellation), Days),
            Shared.Table("versions", "How many devices had each version of an app", "trend versions foldline", (parsed, client, cancellation) =>
                Print(parsed, client, "versions", parsed.GetValue(app), cancellation), app, Days));
    }

    private static readonly string[] None = [];

    private static async Task<int> Print(ParseResult parsed, Client client, string what, string? app, CancellationToken cancellation)
    {
        var query = $"days={parsed.GetValue(Days)}{(app is null ? "" : $"&app={Uri.EscapeDataString(app)}")}";
        var trend = await client.Get($"/api/v1/trends/{what}?{query}", ContractJson.Default.TrendInfo, cancellation);
        var isShared = what == "compliance";
        var parts = trend.Parts.Select(part => $"#{char.ToUpperInvariant(part[0])}{part[1..]}");
        var sheet = new Sheet(["Day", .. parts, "#All", .. isShared ? ["#Share met"] : None]);
        foreach (var day in trend.Parts.Count == 0 ? [] : trend.Days)
        {
            var all = day.Counts.Sum();
            var share = all == 0 ? "–" : Say.Percent(day.Counts[0], all);
            sheet.Add([
                day.Day.ToString("ddd yyyy-MM-dd", CultureInfo.InvariantCulture), .. day.Counts.Select(count => $"{count}"), $"{all}",
                .. isShared ? [share] : None]);
        }

        sheet.Print(
            parsed.GetValue(Shared.Output)!, trend, ContractJson.Default.TrendInfo,
            "No device had it on any of these days.");
        return ExitCode.Done;
    }
}
