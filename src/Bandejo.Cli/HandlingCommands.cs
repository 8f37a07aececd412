using System.CommandLine;
using System.CommandLine.Parsing;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Spectre.Console;

namespace Bandejo.Cli;

/// <summary><c>bandejo handling</c></summary>
internal static class HandlingCommands
{
    private static readonly Argument<string> Slug = new("handling") { Description = "Its short name" };
    private static readonly Option<string?> Name = new("--name", "-n") { Description = "Its name for people [the short name]" };
    private static readonly Option<string> SignedIn = new(
        "--signed-in") { Description = "anybody, or nobody: it waits until nobody is signed in", DefaultValueFactory = _ => "as-packaged" };
    private static readonly Option<string> Priority = new(
        "--priority") { Description = "usual, or low: it yields to everything else on the device", DefaultValueFactory = _ => "as-packaged" };
    private static readonly Option<string> Restart = new("--restart")
    {
        Description = "as-told (by the installer's exit code), always or never", DefaultValueFactory = _ => "as-packaged",
    };
    private static readonly Option<string> Reset = new("--reset")
    {
        Description = "keep: nothing is deleted after it was taken away, whatever the package would delete", DefaultValueFactory = _ => "as-packaged",
    };
    private static readonly Option<string[]> Close = Shared.Names("--close", "program", "Programs that are closed as well, such as rivals");
    private static readonly Option<string[]> For = Shared.Names("--for", "app", "Apps that are handled so unless a deployment says otherwise");
    private static readonly Option<bool> Preview = new("--preview", "-p") { Description = "Only say whom it would concern, and change nothing" };

    public static Command All() =>
        Shared.Noun(
            "handling", "Handlings: who is waited for, restarts, rivals, values of settings; kept by name and used by any package", List(), Show(),
                Keep("new", "Keeps a handling under a name"), Keep("change", "Changes a handling"),
            Remove());

    private static Command List() => Shared.Table("list", "Lists the handlings", "handling list", async (parsed, client, cancellation) =>
    {
        var all = await client.Get("/api/v1/handlings", ContractJson.Default.IReadOnlyListHandlingInfo, cancellation);
        var sheet = new Sheet("Handling", "What it does", "Apps");
        foreach (var each in all)
        {
            sheet.Add(each.Slug, each.Says, string.Join(", ", each.Apps));
        }

        sheet.Print(
            parsed.GetValue(Shared.Output)!, all, ContractJson.Default.IReadOnlyListHandlingInfo,
            "No handling is kept yet. Keep one: bandejo handling new after-hours --signed-in nobody --restart never --for foldline");
        return ExitCode.Done;
    });

    private static Command Show() =>
        Shared.Verb("show", "Shows a handling and whose it is", "handling show after-hours", async (parsed, client, cancellation) =>
    {
        var handling = await client.Get(PathOf(parsed), ContractJson.Default.HandlingInfo, cancellation);
        if (parsed.GetValue(Shared.Output) == "json")
        {
            Say.Json(handling, ContractJson.Default.HandlingInfo);
            return ExitCode.Done;
        }

        Say.Line($"[bold]{Markup.Escape(handling.Name)}[/]  [dim]{handling.Slug}[/]");
        foreach (var (what, says) in new[]
        {
            ("signed in", handling.SignedIn), ("priority", handling.Priority), ("restart", handling.Restart), ("reset", handling.Reset),
            ("closes", string.Join(", ", handling.Close)),
            ("settings", string.Join(", ", handling.Settings.Select(pair => $"{pair.Key} {pair.Value}"))), ("apps", string.Join(", ", handling.Apps)),
        })
        {
            if (says is not ("" or "as-packaged"))
            {
                Say.Line($"  {what,-10} {Markup.Escape(says)}");
            }
        }

        return ExitCode.Done;
    }, Slug);

    private static Command Keep(string verb, string description) => Shared.Verb(
        verb, description + ", after saying whom that concerns",
        $"handling {verb} after-hours --signed-in nobody --restart never --close mailbird --for foldline", async (parsed, client, cancellation) =>
        {
            var all = await client.Get("/api/v1/handlings", ContractJson.Default.IReadOnlyListHandlingInfo, cancellation);
            var there = all.FirstOrDefault(each => each.Slug == parsed.GetValue(Slug));
            if (there is null && verb == "change")
            {
                throw new WrongUseException($"There is no handling '{parsed.GetValue(Slug)}'. Make it: bandejo handling new {parsed.GetValue(Slug)} …");
            }

            var revision = there is null ? null : $"\"{there.Revision}\"";
            var request = new HandlingRequest(
                parsed.GetValue(Name), parsed.GetValue(SignedIn)!, parsed.GetValue(Priority)!, parsed.GetValue(Restart)!, parsed.GetValue(Reset)!,
                parsed.GetValue(Close), SettingOptions.Read(parsed), parsed.GetValue(For));
            var concerns = await client.Post(
                $"{PathOf(parsed)}/concerns", request, ContractJson.Default.HandlingRequest, ContractJson.Default.HandlingConcerns, cancellation);
            if (parsed.GetValue(Preview))
            {
                if (parsed.GetValue(Shared.Output) == "json")
                {
                    Say.Json(concerns, ContractJson.Default.HandlingConcerns);
                }
                else
                {
                    Say.Line(Markup.Escape(concerns.Says));
                }

                return ExitCode.Done;
            }

            if ((concerns.Deployments.Count > 0 || (there is not null && verb == "new"))
                && !await Shared.Agrees(parsed.GetValue(Shared.Yes), $"{concerns.Says} {(revision is null ? "Keep" : "Change")} '{parsed.GetValue(Slug)}'?",
                    cancellation))
            {
                Console.Error.WriteLine("Nothing was changed.");
                return ExitCode.No;
            }

            var handling = await client.Change(
                HttpMethod.Put, PathOf(parsed), request, ContractJson.Default.HandlingRequest, ContractJson.Default.HandlingInfo, revision, cancellation);
            Say.Line(Markup.Escape($"'{handling.Slug}' is kept: {handling.Says}. {concerns.Says}"));
            return ExitCode.Done;
        }, Slug, Name, SignedIn, Priority, Restart, Reset, Close, SettingOptions.Setting, For, Preview, Shared.Yes);

    private static Command Remove() =>
        Shared.Verb("remove", "Forgets a handling; its apps behave as packaged again", "handling remove after-hours", async (parsed, client, cancellation) =>
    {
        var handling = await client.Get(PathOf(parsed), ContractJson.Default.HandlingInfo, cancellation);
        var revision = client.Revision;
        if (!await Shared.Agrees(
            parsed.GetValue(Shared.Yes),
                $"Forget '{handling.Slug}'?{(handling.Apps.Count == 0 ? "" : $" {string.Join(", ", handling.Apps)} behave as packaged again.")}",
            cancellation))
        {
            return ExitCode.No;
        }

        await client.Do(HttpMethod.Delete, $"/api/v1/handlings/{Uri.EscapeDataString(handling.Slug)}", revision, cancellation);
        Console.WriteLine($"'{handling.Slug}' is forgotten.");
        return ExitCode.Done;
    }, Slug, Shared.Yes);

    private static string PathOf(ParseResult parsed) => $"/api/v1/handlings/{Uri.EscapeDataString(parsed.GetValue(Slug)!)}";
}
