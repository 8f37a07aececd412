using System.CommandLine;
using System.Globalization;
using Bandejo.Contract;
using Bandejo.Contract.Api;

namespace Bandejo.Cli;

/// <summary><c>bandejo clock</c></summary>
internal static class ClockCommands
{
    public static Command All() => Shared.Noun("clock", "The service's clock; a demo's can run fast and be brought forward", Show(), Set(), Advance());

    private static Command Show() =>
        Shared.Verb("show", "Shows what time it is for the service, and how fast its clock runs", "clock show", async (parsed, client, cancellation) =>
        Print(await client.Get("/api/v1/clock", ContractJson.Default.ClockInfo, cancellation), parsed.GetValue(Shared.Output)!));

    private static Command Set()
    {
        var speed = new Option<double>(
            "--speed") { Description = "How many times as fast as the real time, 0 to 100000; 0 stands still", Required = true };
        return Shared.Verb("set", "Sets how fast a demo clock runs", "clock set --speed 600", async (parsed, client, cancellation) =>
            Print(
                await client.Post(
                    "/api/v1/clock", new ClockRequest(parsed.GetValue(speed)), ContractJson.Default.ClockRequest, ContractJson.Default.ClockInfo, cancellation),
                parsed.GetValue(Shared.Output)!),
            speed);
    }

    private static Command Advance()
    {
        var by = new Argument<string?>("by") { Description = "How far, such as 2h or 3d", Arity = ArgumentArity.ZeroOrOne };
        var to = new Option<string?>("--to") { Description = "To this moment instead, such as 2026-12-01T18:00 (UTC)" };
        return Shared.Verb("advance", "Brings a demo clock forward and waits until it is there", "clock advance 2h", async (parsed, client, cancellation) =>
        {
            DateTimeOffset? moment = null;
            if (parsed.GetValue(to) is { } text)
            {
                moment = DateTimeOffset.TryParse(text, CultureInfo.InvariantCulture, DateTimeStyles.AssumeUniversal, out var read)
                    ? read
                    : throw new WrongUseException($"'{text}' is not a moment such as 2026-12-01T18:00.");
            }

            if ((moment is null) == (parsed.GetValue(by) is null))
            {
                throw new WrongUseException("Say how far, such as 'clock advance 2h', or where to, with --to.");
            }

            client.TakesLong();
            var clock = await client.Post(
                "/api/v1/clock", new ClockRequest(null, moment, parsed.GetValue(by)), ContractJson.Default.ClockRequest, ContractJson.Default.ClockInfo,
                cancellation);
            while (clock.Goal is not null)
            {
                // Devices are led there step by step; each is given the time to do what it would have done.
                await Task.Delay(TimeSpan.FromMilliseconds(50), cancellation);
                clock = await client.Get("/api/v1/clock", ContractJson.Default.ClockInfo, cancellation);
            }

            return Print(clock, parsed.GetValue(Shared.Output)!);
        }, by, to);
    }

    private static int Print(ClockInfo clock, string output)
    {
        if (output == "json")
        {
            Say.Json(clock, ContractJson.Default.ClockInfo);
        }
        else
        {
            Console.WriteLine(
                $"{Now.Day(clock.Now)}{(clock.IsDemo ? $", a demo clock, {Now.InWords(clock.Speed)}" : ", the real time")}"
                    + $"{(clock.Goal is { } goal ? $", on its way to {Now.Day(goal)}" : "")}");
        }

        return ExitCode.Done;
    }
}
