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
        if (parsed.GetValue(Shared.Output) != "table")
        {
            var sheet = new Sheet("Kind", "#Devices", "What", "Command");
            foreach (var need in today.Needs)
            {
                sheet.Add(need.Kind, $"{need.Devices}", $"{need.Title}. {need.Detail}", need.Command);
            }

            sheet.Print(parsed.GetValue(Shared.Output)!, today, ContractJson.Default.TodayInfo, "");
            return ExitCode.Done;
        }

        foreach (var need in today.Needs)
        {
            Say.Line($"[bold]{Markup.Escape(need.Title)}[/]{(need.Since is { } since ? $"  [dim]{Say.When(since)}[/]" : "")}");
            Say.Line(Markup.Escape(need.Detail));
            Say.Line($"[dim]{Markup.Escape(need.Command)}[/]\n");
        }

        Say.Line(Markup.Escape(
            $"{(today.Needs.Count == 0 ? "Nothing needs you. " : "")}"
                + $"Moving: {(today.Moving.Count == 0 ? "nothing" : string.Join(", ", today.Moving.Select(deployment => deployment.Name)))}."));

        return ExitCode.Done;
    });
}
