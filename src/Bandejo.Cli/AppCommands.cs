using System.CommandLine;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Spectre.Console;

namespace Bandejo.Cli;

/// <summary><c>bandejo app</c></summary>
internal static class AppCommands
{
    private const int BarWidth = 40;

    private static readonly Argument<string> App = new("app") { Description = "The app's short name" };

    public static Command All() => Shared.Noun("app", "Apps: what is in the catalogue, and which versions are in the field", List(), Show());

    private static Command List() =>
        Shared.Table("list", "Lists the apps with their newest package and the versions in the field", "app list", async (parsed, client, cancellation) =>
    {
        var apps = await client.Get("/api/v1/apps", ContractJson.Default.IReadOnlyListAppInfo, cancellation);
        var sheet = new Sheet("App", "Name", "~Publisher", "Newest package", "#Devices", "~#Versions", "In the field");
        foreach (var app in apps)
        {
            var newest = app.Packages[0];
            sheet.Add(
                app.App, app.Name, app.Publisher, $"{newest.Version} ({newest.State})", $"{app.Versions.Sum(version => version.Count)}",
                $"{app.Versions.Count}", app.Versions.MaxBy(version => version.Count) is { } most ? $"{most.Name} on {most.Count}" : "");
        }

        sheet.Print(
            parsed.GetValue(Shared.Output)!, apps, ContractJson.Default.IReadOnlyListAppInfo,
            "The catalogue is empty. Build a package: bandejo package new FOLDER, then bandejo package build FOLDER");
        return ExitCode.Done;
    });

    private static Command Show() =>
        Shared.Verb("show", "Shows an app: its versions in the field and its packages", "app show quillmark", async (parsed, client, cancellation) =>
    {
        var app = await client.Get($"/api/v1/apps/{Uri.EscapeDataString(parsed.GetValue(App)!)}", ContractJson.Default.AppInfo, cancellation);
        if (parsed.GetValue(Shared.Output) == "json")
        {
            Say.Json(app, ContractJson.Default.AppInfo);
            return ExitCode.Done;
        }

        var devices = app.Versions.Sum(version => version.Count);
        Say.Line($"[bold]{Markup.Escape(app.Name)}[/]  [dim]{app.App} · {Markup.Escape(app.Publisher)} · {Markup.Escape(app.Category)}[/]");
        Say.Line($"On {Say.Devices(devices)} in {app.Versions.Count} version{(app.Versions.Count == 1 ? "" : "s")}.\n");
        var width = app.Versions.Select(version => version.Name.Length).DefaultIfEmpty(0).Max();
        foreach (var version in app.Versions)
        {
            var bar = new string('▇', Math.Max(1, (int)Math.Round(BarWidth * (double)version.Count / app.Versions.Max(each => each.Count))));
            var standing = version.Standing == "unknown" ? "" : version.Standing;
            Say.Line($"  {Markup.Escape(version.Name.PadRight(width))}  {version.Count,5}  [dim]{standing,-6}[/]  [darkcyan]{bar}[/]");
        }

        Console.WriteLine();
        var packages = new Sheet("Version", "State", "Built", "By", "Digest");
        foreach (var package in app.Packages)
        {
            packages.Add(package.Version, package.State, Say.When(package.BuiltAt), package.BuiltBy, package.Digest[..12]);
        }

        packages.PrintTable();
        return ExitCode.Done;
    }, App);
}
