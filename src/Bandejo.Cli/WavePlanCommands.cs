using System.CommandLine;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Spectre.Console;

namespace Bandejo.Cli;

/// <summary><c>bandejo wave-plan</c></summary>
internal static class WavePlanCommands
{
    private static readonly Argument<string> Slug = new("plan") { Description = "Its short name" };

    public static Command All() => Shared.Noun("wave-plan", "Wave plans: waves with gates that are kept for reuse", List(), Show(), Save(), Remove());

    private static Command List() => Shared.Verb("list", "Lists the wave plans", "wave-plan list", async (parsed, client, cancellation) =>
    {
        var plans = await client.Get("/api/v1/wave-plans", ContractJson.Default.IReadOnlyListWavePlanInfo, cancellation);
        var sheet = new Sheet("Plan", "Name", "Waves");
        foreach (var plan in plans)
        {
            sheet.Add(plan.Slug, plan.Name, string.Join(" / ", plan.Waves.Select(wave => $"{wave.Name} ({wave.Pick})")));
        }

        sheet.Print(
            parsed.GetValue(Shared.Output)!, plans, ContractJson.Default.IReadOnlyListWavePlanInfo,
            "No wave plan is kept yet. Keep one: bandejo wave-plan save careful --wave 'Pilots: 5 %; 100 % met for 1d' --wave 'Rest: everyone else'");
        return ExitCode.Done;
    });

    private static Command Show() =>
        Shared.Verb("show", "Shows the waves of a plan and their gates", "wave-plan show careful", async (parsed, client, cancellation) =>
    {
        var plan = await client.Get($"/api/v1/wave-plans/{Uri.EscapeDataString(parsed.GetValue(Slug)!)}", ContractJson.Default.WavePlanInfo, cancellation);
        if (parsed.GetValue(Shared.Output) == "json")
        {
            Say.Json(plan, ContractJson.Default.WavePlanInfo);
            return ExitCode.Done;
        }

        Say.Line($"[bold]{Markup.Escape(plan.Name)}[/]  [dim]{plan.Slug}[/]");
        foreach (var wave in plan.Waves)
        {
            Say.Line($"{Markup.Escape(wave.Name)}  [dim]{Markup.Escape(wave.Pick)}[/]");
            if (wave.Gate is not null)
            {
                Say.Line($"  [dim]╱ gate: {Markup.Escape(wave.Gate)}[/]");
            }
        }

        return ExitCode.Done;
    }, Slug);

    private static Command Save()
    {
        var waves = new Option<string[]>(
            "--wave", "-w") { Description = "A wave as 'NAME: PICK; GATE'; the last needs no gate", Required = true, AllowMultipleArgumentsPerToken = true };
        var name = new Option<string?>("--name", "-n") { Description = "Its name for people [the short name]" };
        return Shared.Verb(
            "save", "Keeps a wave plan, or changes it", "wave-plan save careful --wave 'Pilots: 5 %; 100 % met for 1d' --wave 'Rest: everyone else'",
            async (parsed, client, cancellation) =>
        {
            var path = $"/api/v1/wave-plans/{Uri.EscapeDataString(parsed.GetValue(Slug)!)}";
            string? revision = null;
            try
            {
                await client.Get(path, ContractJson.Default.WavePlanInfo, cancellation);
                revision = client.Revision;
            }
            catch (RefusedException refused) when (refused.Problem.Status == 404)
            {
                // It is a new one.
            }

            var plan = await client.Change(
                HttpMethod.Put, path, new WavePlanRequest(StartCommand.Waves(parsed.GetValue(waves)!), parsed.GetValue(name)),
                ContractJson.Default.WavePlanRequest, ContractJson.Default.WavePlanInfo, revision, cancellation);
            Console.WriteLine(
                $"Kept '{plan.Slug}' with {plan.Waves.Count} wave{(plan.Waves.Count == 1 ? "" : "s")}. Use it: bandejo deployment start APP --to GROUP "
                    + $"--plan {plan.Slug}");
            return ExitCode.Done;
        }, Slug, waves, name);
    }

    private static Command Remove() =>
        Shared.Verb("remove", "Forgets a wave plan; deployments keep their waves", "wave-plan remove careful", async (parsed, client, cancellation) =>
    {
        var path = $"/api/v1/wave-plans/{Uri.EscapeDataString(parsed.GetValue(Slug)!)}";
        await client.Get(path, ContractJson.Default.WavePlanInfo, cancellation);
        await client.Do(HttpMethod.Delete, path, client.Revision, cancellation);
        Console.WriteLine($"'{parsed.GetValue(Slug)}' is forgotten.");
        return ExitCode.Done;
    }, Slug);
}
