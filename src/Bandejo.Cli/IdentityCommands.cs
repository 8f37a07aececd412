using System.CommandLine;
using Bandejo.Contract;
using Bandejo.Contract.Api;

namespace Bandejo.Cli;

/// <summary><c>bandejo identity</c></summary>
internal static class IdentityCommands
{
    public static Command All() => Shared.Noun("identity", "Who the service is to devices and command lines over TLS", Show(), RollOver());

    private static Command Show() =>
        Shared.Verb(
            "show", "Shows the service's identity, until when its certificate is good, and how many devices know it", "identity show",
            async (parsed, client, cancellation) =>
        Print(parsed, await client.Get("/api/v1/identity", ContractJson.Default.IdentityInfo, cancellation)));

    private static Command RollOver()
    {
        var reason = new Option<string>("--reason", "-r") { Description = "Why; it stays in the audit trail", Required = true };
        return Shared.Verb(
            "roll-over", "Gives the service another identity; devices that know the present one follow by themselves, also after months",
            "identity roll-over --reason \"who had the old key has left\"", async (parsed, client, cancellation) =>
            Print(parsed, await client.Post(
                "/api/v1/identity/roll-over", new ReasonRequest(parsed.GetValue(reason)), ContractJson.Default.ReasonRequest, ContractJson.Default.IdentityInfo,
                cancellation)),
            reason);
    }

    private static int Print(ParseResult parsed, IdentityInfo info)
    {
        if (parsed.GetValue(Shared.Output) == "json")
        {
            Say.Json(info, ContractJson.Default.IdentityInfo);
            return ExitCode.Done;
        }

        if (info.Authority is null)
        {
            Console.WriteLine(
                "The service does not listen with TLS, so it has no identity to show. Start it with --listen https://…; that works from nothing.");
            return ExitCode.Done;
        }

        Console.WriteLine($"Identity     {info.Authority}");
        Console.WriteLine($"Certificate  good until {info.Until:yyyy-MM-dd}, renewed before");
        Console.WriteLine($"Reached as   {string.Join(", ", info.Names)}");
        Console.WriteLine($"Devices      {info.Knowing} of {info.Devices} that checked in since the service was started know this identity");
        if (info.Before.Count > 0)
        {
            Console.WriteLine($"Before       {string.Join(", ", info.Before)}");
        }

        return ExitCode.Done;
    }
}
