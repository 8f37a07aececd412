using Bandejo.Contract.Api;
using Bandejo.Core.Installers;
using Bandejo.Packaging;
using Spectre.Console;

namespace Bandejo.Cli;

/// <summary>Prints one inspection for people.</summary>
internal static class InspectionReport
{
    private const int MostRows = 12;

    public static void Print(Inspection each)
    {
        Say.Line($"[bold]{Markup.Escape(each.File)}[/]: {Markup.Escape(each.KindInWords)}, {Say.Size(each.Size)}");
        foreach (var finding in each.Findings)
        {
            Say.Line($"[{(finding.IsWarning ? "darkgoldenrod" : "red3")}]{(finding.IsWarning ? "Warning" : "Wrong")}:[/] {Markup.Escape(finding.Message)}");
        }

        Part("What it says", each.Told, told => [told.What, told.Value, Sure(told.Certainty), told.Source]);
        Part("How it is handled", each.Commands, command => [command.Verb, Shown(command.Run), Sure(command.Certainty), command.Source]);
        Part("What proves it", each.Proofs, proof => [proof.Key, proof.Subject, Sure(proof.Certainty), proof.Source]);
        Part("Settings it takes, off in a draft", each.Settings, setting => [
            setting.Name, setting.IsSecret ? "(secret)" : setting.Default.Length == 0 ? "(empty)" : setting.Default, "", setting.Switch]);
        Part("Parts that can be chosen", each.Features, feature => [feature.Name, feature.Title, feature.IsDefault ? "on" : "off", ""]);
        Part("What it asks of a device", each.Conditions, condition => [condition, "", "", ""]);
        Part("Other installers, to be packages of their own", each.Nested, nested => [
            nested.Size > 0 ? "inside" : "asked for", nested.Path, nested.Size > 0 ? Say.Size(nested.Size) : "", nested.What]);
        if (each.Contents is { } contents)
        {
            Say.Line(
                $"\n[bold]Inside[/]: {(contents.IsWhole ? "" : "at least ")}{Say.Number(contents.Files)} file{(contents.Files == 1 ? "" : "s")}"
                    + $"{(contents.Size > 0 ? $", {Say.Size(contents.Size)} unpacked" : "")}");
            foreach (var file in contents.First.Take(5))
            {
                Say.Line($"  [dim]{Markup.Escape(file.Path)}{(file.Size > 0 ? "  " + Say.Size(file.Size) : "")}[/]");
            }

            if (contents.Files > 5)
            {
                Say.Line($"  [dim]… and {Say.Number(contents.Files - 5)} more (--output json lists {InstallerContents.MaxListed})[/]");
            }
        }

        if (each.Open.Count > 0)
        {
            Say.Line("\n[bold]What it does not tell[/]");
            foreach (var open in each.Open)
            {
                Say.Line($"  {Markup.Escape(open.What)}\n    [dim]{Markup.Escape(open.Try)}[/]");
            }
        }
    }

    private static void Part<T>(string heading, IReadOnlyList<T> rows, Func<T, string[]> cells)
    {
        if (rows.Count == 0)
        {
            return;
        }

        Say.Line($"\n[bold]{Markup.Escape(heading)}[/]");
        var table = new Grid();
        table.AddColumn(new GridColumn { Padding = new Padding(2, 0, 2, 0), NoWrap = true }).AddColumn(new GridColumn { Padding = new Padding(0, 0, 2, 0) })
            .AddColumn(new GridColumn { Padding = new Padding(0, 0, 2, 0), NoWrap = true }).AddColumn(new GridColumn());
        foreach (var row in rows.Take(MostRows).Select(cells))
        {
            table.AddRow(Markup.Escape(row[0]), Markup.Escape(row[1]), row[2], $"[dim]{Markup.Escape(row[3])}[/]");
        }

        Say.Out.Write(table);
        if (rows.Count > MostRows)
        {
            Say.Line($"  [dim]… and {rows.Count - MostRows} more (--output json has all)[/]");
        }
    }

    private static string Sure(Certainty certainty) =>
        certainty switch { Certainty.Certain => "[green4]■ certain[/]", Certainty.Likely => "[dodgerblue2]▸ likely[/]", _ => "[darkgoldenrod]? guess[/]" };

    private static string Shown(IReadOnlyList<string> run) =>
        string.Join(' ', run.Select(word => word.Contains(' ') && !word.Contains('"') ? $"\"{word}\"" : word));
}
