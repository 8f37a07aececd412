using System.Diagnostics;
using System.Net.Http.Headers;
using System.Security.Cryptography;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Contract.Device;
using Bandejo.Kit;

namespace Bandejo.Bench;

/// <summary>A payload as devices fetch it from the service, against the web server's own answer with a file.</summary>
internal static class ContentBench
{
    private const int Payload = 200 << 20;

    /// <summary>How many rounds there are at most.</summary>
    private const int MostRounds = 9;

    public static async Task Run(Report report)
    {
        await using var site = await Site.StartApart();
        var folder = await PayloadFolder.Make(site);
        await folder.Write(Payload, 0);
        await site.Must("package", "build", folder.Path);

        // A device is given only what an order of its names.
        await site.Must("package", "release", "plateglass 11.3.0", "--reason", "for the figures");
        await site.Deploy("plateglass", Site.Enrolled);
        var code = await site.Admin.Post(
            "/api/v1/join-codes", new JoinCodeRequest(Site.Enrolled, 1), ContractJson.Default.JoinCodeRequest, ContractJson.Default.JoinCodeInfo);
        using var device = new DeviceClient(site.Service.Address);
        await device.Join(code.Code!, "DESK-1");
        await device.CheckIn(1);
        string digest;
        await using (var stream = File.OpenRead(folder.Payload))
        {
            digest = Convert.ToHexStringLower(await SHA256.HashDataAsync(stream));
        }

        var (address, process) = await Bare.Start(new() { [Bare.FileVariable] = folder.Payload });
        try
        {
            foreach (var clients in new[] { 1, 8 })
            {
                await Fetch($"{site.Service.Address}{DeviceProtocol.Prefix}/files/{digest}", device.Link.Token, clients);
                await Fetch($"{address}/file", null, clients);
                var (rounds, says) = await QuietRounds.Run(MostRounds, async _ => (
                    Bare: await Fetch($"{address}/file", null, clients),
                    Ours: await Fetch($"{site.Service.Address}{DeviceProtocol.Prefix}/files/{digest}", device.Link.Token, clients)));
                var ratio = Report.Median(rounds.Select(round => round.Ours / round.Bare));
                report.Add(
                    $"content direct, 200 MB to {(clients == 1 ? "a device" : $"{clients} devices at once")}",
                    $"the web server's own answer with a file {Report.Median(rounds.Select(round => round.Bare)):N0} MB/s",
                    $"{Report.Median(rounds.Select(round => round.Ours)):N0} MB/s ({says})", ratio, "at least 0.9", ratio >= 0.9);
            }
        }
        finally
        {
            process.Kill();
            process.Dispose();
        }
    }

    /// <summary>Megabytes a second at which so many fetch the file three times each.</summary>
    private static async Task<double> Fetch(string address, string? token, int clients)
    {
        const int Times = 3;
        using var http = new HttpClient();
        http.DefaultRequestHeaders.Authorization = token is null ? null : new AuthenticationHeaderValue("Bearer", token);
        var start = Stopwatch.GetTimestamp();
        await Task.WhenAll(Enumerable.Range(0, clients).Select(_ => Task.Run(async () =>
        {
            var room = new byte[1 << 18];
            for (var time = 0; time < Times; time++)
            {
                await using var stream = await http.GetStreamAsync(address);
                var all = 0L;
                for (int read; (read = await stream.ReadAsync(room)) > 0; all += read)
                {
                }

                if (all != Payload)
                {
                    throw new InvalidOperationException($"{address} answered with {all:N0} bytes of {Payload:N0}.");
                }
            }
        })));
        return (double)Payload * Times * clients / 1e6 / Stopwatch.GetElapsedTime(start).TotalSeconds;
    }
}
