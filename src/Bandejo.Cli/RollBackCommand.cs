using System.CommandLine;
using System.CommandLine.Parsing;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Spectre.Console;

namespace Bandejo.Cli;

/// <summary><c>bandejo deployment roll-back</c></summary>
internal static class RollBackCommand
{
    private static readonly Option<string[]> Device = Shared.Names("--device", "device", "Only these devices");
    private static readonly Option<string?> Wave = new("--wave", "-w") { Description = "Only the devices of this wave" };
    private static readonly Option<bool> PauseOthers = new(
        "--pause-others") { Description = "Pause the deployments that would put there again what is taken back" };
    private static readonly Option<bool> Preview = new(
        "--preview", "-p") { Description = "Only say who would go back to what, and who cannot, and change nothing" };

    public static Command RollBack(Argument<string> deployment, Option<string> reason) => Shared.Verb(
        "roll-back", "Brings each device back to what it had before; all that it changed, a wave, or some; also after its end",
        "deployment roll-back D1001 --reason \"crashes on start\"", async (parsed, client, cancellation) =>
        {
            var path = $"/api/v1/deployments/{Uri.EscapeDataString(parsed.GetValue(deployment)!)}";
            var request = new RollBackRequest(
                parsed.GetValue(reason), parsed.GetValue(Device) is { Length: > 0 } devices ? devices : null, parsed.GetValue(Wave),
                parsed.GetValue(PauseOthers));
            var looks = 0;
            return await Shared.LookingFirst(async () =>
            {
                if (looks++ > 0)
                {
                    Console.Error.WriteLine("It changed meanwhile; this is what a roll back comes to now.");
                }

                var preview = await client.Post(
                    $"{path}/roll-back/preview", request, ContractJson.Default.RollBackRequest, ContractJson.Default.RollBackPreview, cancellation);
                var isJson = parsed.GetValue(Shared.Output) == "json";
                if (parsed.GetValue(Preview))
                {
                    if (isJson)
                    {
                        Say.Json(preview, ContractJson.Default.RollBackPreview);
                    }
                    else
                    {
                        Print(preview, request.PauseOthers);
                    }

                    return preview.NotPossible is null ? ExitCode.Done : ExitCode.No;
                }

                if (!isJson)
                {
                    Print(preview, request.PauseOthers);
                }

                if (preview.NotPossible is not null)
                {
                    return ExitCode.No;
                }

                if (!await Shared.Agrees(parsed.GetValue(Shared.Yes), $"Roll back {Say.Devices(preview.Devices)}?", cancellation))
                {
                    return ExitCode.No;
                }

                // What was agreed to is what was shown; where it changed since, it is shown and asked again.
                var answer = await client.Change(
                    HttpMethod.Post, $"{path}/roll-back", request, ContractJson.Default.RollBackRequest, ContractJson.Default.ActAnswer,
                    $"\"{preview.Revision}\"", cancellation);
                if (isJson)
                {
                    Say.Json(answer, ContractJson.Default.ActAnswer);
                }
                else
                {
                    Say.Line(
                        $"{Say.Devices(answer.Devices)} {(answer.Devices == 1 ? "is" : "are")} being rolled back. {Markup.Escape(answer.Deployment.Sentence)}");
                }

                return ExitCode.Done;
            });
        }, deployment, Device, Wave, reason, PauseOthers, Preview, Shared.Yes);

    private static void Print(RollBackPreview preview, bool isPausing)
    {
        if (preview.NotPossible is { } against)
        {
            Say.Line($"[red3]Stands against it:[/] {Markup.Escape(against)}");
        }

        foreach (var part in preview.Parts)
        {
            var names = $"[dim]({Markup.Escape(string.Join(", ", part.Sample))}{(part.Devices > part.Sample.Count ? ", …" : "")})[/]";
            Say.Line(part.Kind == "impossible" ? $"[red3]{Markup.Escape(part.Says)}[/] {names}" : $"{Markup.Escape(part.Says)} {names}");
        }

        foreach (var again in preview.Again)
        {
            Say.Line(
                $"[darkgoldenrod]Note:[/] {Markup.Escape(again.Says)} {(isPausing ? "It is paused with this." : "Add --pause-others to pause it with this.")}");
        }
    }
}
