using System.CommandLine;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Spectre.Console;

namespace Bandejo.Cli;

/// <summary><c>bandejo wave-plan</c></summary>
internal static class WavePlanCommands
{
    private static readonly Argument<string> Slug = new("plan") { Description = "Its short name" };

    public static Command All() => Shared.Noun("wave-plan", "Wave plans: waves with gates that are kept for reuse", List(), Show(), Keep("new",
        "Keeps a wave plan under a name"), Keep("change", "Changes a wave plan; deployments keep their waves"), Remove());

    private static Command List() => Shared.Table("list", "Lists the wave plans", "wave-plan list", async (parsed, client, cancellation) =>
    {
        var plans = await client.Get("/api/v1/wave-plans", ContractJson.Default.IReadOnlyListWavePlanInfo, cancellation);
        var sheet = new Sheet("Plan", "Name", "Waves");
        foreach (var plan in plans)
        {
            sheet.Add(plan.Slug, plan.Name, string.Join(" / ", plan.Waves.Select(wave => $"{wave.Name} ({wave.Pick})")));
        }

        sheet.Print(
            parsed.GetValue(Shared.Output)!, plans, ContractJson.Default.IReadOnlyListWavePlanInfo,
            "No wave plan is kept yet. Keep one: bandejo wave-plan new careful --wave 'Pilots: 5 %; 100 % met for 1d' --wave 'Rest: everyone else'");
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
            Say.Line(
                $"{Markup.Escape(wave.Name)}  [dim]{Markup.Escape(wave.Pick)}{(wave.Hours is null ? "" : $" · opens {Markup.Escape(wave.Hours)}")}"
                    + $"{(wave.Deadline is null ? "" : $" · due {Markup.Escape(wave.Deadline)}")}[/]");
            if (wave.Gate is not null)
            {
                Say.Line($"  [dim]╱ gate: {Markup.Escape(wave.Gate)}[/]");
            }
        }

        return ExitCode.Done;
    }, Slug);

    private static Command Keep(string verb, string description)
    {
        var waves = Shared.Several(
            "--wave", "wave", "A wave as 'NAME: PICK; GATE'; the last needs no gate; '; opens Mon-Thu 08:00-16:00' says in which hours, '; due 3 d after "
                + "it opens' when its devices are late", "-w");
        waves.Required = true;
        var name = new Option<string?>("--name", "-n") { Description = "Its name for people [the short name]" };
        return Shared.Verb(
            verb, description, $"wave-plan {verb} careful --wave 'Pilots: 5 %; 100 % met for 1d' --wave 'Rest: everyone else'",
            async (parsed, client, cancellation) =>
        {
            var all = await client.Get("/api/v1/wave-plans", ContractJson.Default.IReadOnlyListWavePlanInfo, cancellation);
            var slug = parsed.GetValue(Slug)!;
            var there = all.FirstOrDefault(each => each.Slug == slug);
            if (there is null && verb == "change")
            {
                throw new WrongUseException($"There is no wave plan '{slug}'. Make it: bandejo wave-plan new {slug} …");
            }

            if (there is not null && verb == "new" && !await Shared.Agrees(
                parsed.GetValue(Shared.Yes),
                $"'{slug}' is there already, with {there.Waves.Count} wave{(there.Waves.Count == 1 ? "" : "s")}. Put this in its place? "
                    + "Deployments keep their waves.",
                cancellation))
            {
                return ExitCode.No;
            }

            var plan = await client.Change(
                HttpMethod.Put, $"/api/v1/wave-plans/{Uri.EscapeDataString(slug)}",
                new WavePlanRequest(StartCommand.Waves(parsed.GetValue(waves)!), parsed.GetValue(name) ?? there?.Name),
                ContractJson.Default.WavePlanRequest, ContractJson.Default.WavePlanInfo, there is null ? null : $"\"{there.Revision}\"", cancellation);
            Console.WriteLine(
                $"Kept '{plan.Slug}' with {plan.Waves.Count} wave{(plan.Waves.Count == 1 ? "" : "s")}. Use it: bandejo deployment start APP --to GROUP "
                    + $"--plan {plan.Slug}");
            return ExitCode.Done;
        }, verb == "new" ? [Slug, waves, name, Shared.Yes] : [Slug, waves, name]);
    }

    private static Command Remove() =>
        Shared.Verb("remove", "Forgets a wave plan; deployments keep their waves", "wave-plan remove careful", async (parsed, client, cancellation) =>
    {
        var plan = await client.Get($"/api/v1/wave-plans/{Uri.EscapeDataString(parsed.GetValue(Slug)!)}", ContractJson.Default.WavePlanInfo, cancellation);
        var revision = client.Revision;
        if (!await Shared.Agrees(
            parsed.GetValue(Shared.Yes), $"Forget '{plan.Slug}' with its {plan.Waves.Count} wave{(plan.Waves.Count == 1 ? "" : "s")}? Deployments keep theirs.",
            cancellation))
        {
            return ExitCode.No;
        }

        await client.Do(HttpMethod.Delete, $"/api/v1/wave-plans/{Uri.EscapeDataString(plan.Slug)}", revision, cancellation);
        Console.WriteLine($"'{plan.Slug}' is forgotten.");
        return ExitCode.Done;
    }, Slug, Shared.Yes);
}
