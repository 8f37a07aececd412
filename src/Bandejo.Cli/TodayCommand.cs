using System.CommandLine;
using Bandejo.Contract;
using Spectre.Console;

namespace Bandejo.Cli;

/// <summary><c>bandejo today</c></summary>
internal static class TodayCommand
{
    public static Command All() =>
        Shared.Table("today", "Shows what needs somebody, most urgent first, and what is moving", "today", async (parsed, client, cancellation) =>
    {
        var today = await client.Get("/api/v1/today", ContractJson.Default.TodayInfo, cancellation);
        var sheet = new Sheet("Kind", "#Devices", "What", "Next");
        foreach (var need in today.Needs)
        {
            sheet.Add(need.Kind, $"{need.Devices}", $"{need.Title}. {need.Detail}", need.Command);
        }

        sheet.Print(parsed.GetValue(Shared.Output)!, today, ContractJson.Default.TodayInfo, "Nothing needs you.");
        if (parsed.GetValue(Shared.Output) == "table")
        {
            Say.Line(Markup.Escape(
                $"\nMoving: {(today.Moving.Count == 0 ? "nothing" : string.Join(", ", today.Moving.Select(deployment => deployment.Name)))}."));
        }

        return ExitCode.Done;
    });
}
