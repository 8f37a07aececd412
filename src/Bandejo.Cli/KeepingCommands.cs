using System.CommandLine;
using Bandejo.Contract;
using Bandejo.Contract.Api;

namespace Bandejo.Cli;

/// <summary><c>bandejo keeping</c></summary>
internal static class KeepingCommands
{
    private const double MegaByte = 1e6;

    public static Command All()
    {
        var history = new Option<int?>("--history-days") { Description = "How targets, devices, groups and attempts were: 30 to 3650 days" };
        var logs = new Option<int?>("--log-days") { Description = "The logs of attempts: 1 to 3650 days" };
        return Shared.Noun(
            "keeping", "How long what was is kept; decisions and the audit trail are kept for ever",
            Shared.Verb("show", "Shows how long, and what went the last time", "keeping show", async (parsed, client, cancellation) =>
                Print(await client.Get("/api/v1/keeping", ContractJson.Default.KeepingInfo, cancellation), parsed.GetValue(Shared.Output)!)),
            Shared.Verb("change", "Says how long from now on", "keeping change --history-days 400", async (parsed, client, cancellation) =>
            {
                if (parsed.GetValue(history) is null && parsed.GetValue(logs) is null)
                {
                    throw new WrongUseException("Say how long, with --history-days or --log-days.");
                }

                var before = await client.Get("/api/v1/keeping", ContractJson.Default.KeepingInfo, cancellation);
                var request = new KeepingRequest(parsed.GetValue(history) ?? before.HistoryDays, parsed.GetValue(logs) ?? before.LogDays);
                return Print(
                    await client.Change(
                        HttpMethod.Put, "/api/v1/keeping", request, ContractJson.Default.KeepingRequest, ContractJson.Default.KeepingInfo, null, cancellation),
                    parsed.GetValue(Shared.Output)!);
            }, history, logs),
            Shared.Verb("run", "Lets what is kept no longer go now; the service does so by itself once a day", "keeping run",
                async (parsed, client, cancellation) =>
            {
                client.TakesLong();
                await client.Do(HttpMethod.Post, "/api/v1/keeping/run", null, cancellation);
                return Print(await client.Get("/api/v1/keeping", ContractJson.Default.KeepingInfo, cancellation), parsed.GetValue(Shared.Output)!);
            }));
    }

    private static int Print(KeepingInfo kept, string output)
    {
        if (output == "json")
        {
            Say.Json(kept, ContractJson.Default.KeepingInfo);
            return ExitCode.Done;
        }

        Console.WriteLine(
            $"How it was is kept for {kept.HistoryDays} days, and known from {Say.When(kept.From)} on. Logs of attempts are kept for {kept.LogDays} days.\n"
                + (kept.LastAt is null
                    ? "Nothing was looked at yet; it is once a day."
                    : $"Looked at {Say.When(kept.LastAt)}: {kept.Rows:N0} row{(kept.Rows == 1 ? "" : "s")} of what was went, "
                        + $"and {kept.Logs:N0} log{(kept.Logs == 1 ? "" : "s")} ({kept.LogBytes / MegaByte:N1} MB)."));
        return ExitCode.Done;
    }
}
