using System.Net.Http.Json;
using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Contract.Device;
using Bandejo.Kit;

namespace Bandejo.Bench;

/// <summary>What calendars cost where nothing of them changes.</summary>
internal static class CalendarBench
{
    /// <summary>All that an agent of today can.</summary>
    public static readonly string[] All = [DeviceProtocol.CanHoldCalendars, DeviceProtocol.CanFetchAhead, DeviceProtocol.CanGiveNotice];

    /// <summary>Check-ins with nothing new where each device holds an order and the calendars, beside those without.</summary>
    public static Task Run(Report report, int size) => ServiceBench.Part(size, async (site, known, folder) =>
    {
        var (before, _) = await Rates(known);
        await site.Must("calendar", "new", "nights", "--when", "2099-03-02 20:00-23:00", "--zone", "UTC");
        await site.Must("group", "calendar", "add", "all", "nights", "--yes");
        await site.Package("foldline", "7.2.0", "echo", isReleased: true);
        await site.Admin.Post(
            "/api/v1/deployments",
            new DeploymentRequest("foldline 7.2.0", ["all"], [new WaveRequest("Everyone", "everyone else")], "Foldline by night", Halt: "never"),
            ContractJson.Default.DeploymentRequest, ContractJson.Default.DeploymentInfo);
        var (after, says) = await Rates(await Holding(site, known));
        var ratio = Report.Median(after) / Report.Median(before);
        report.Add(
            $"{size:N0} devices: check-in with nothing new, with an order and calendars", $"without them {Report.Median(before):N0}/s",
            $"{Report.Median(after):N0}/s ({says})", ratio, "at least 0.9", ratio >= 0.9);

        async Task<(IReadOnlyList<double> Counted, string Says)> Rates(IReadOnlyList<ServiceBench.Known> devices)
        {
            var requests = Path.Combine(folder, "idle");
            await File.WriteAllLinesAsync(requests, devices.Select(device => $"{device.Token}\t{ServiceBench.Body(device, "")}"));
            await Load.Run(site.Service.Address, DeviceProtocol.Prefix + "/check-in", requests);
            return await QuietRounds.Run(ServiceBench.MostRounds, _ => Load.Run(site.Service.Address, DeviceProtocol.Prefix + "/check-in", requests));
        }
    });

    /// <summary>The devices after they took their orders and calendars; none of them has anything new to hear then.</summary>
    private static async Task<IReadOnlyList<ServiceBench.Known>> Holding(Site site, IReadOnlyList<ServiceBench.Known> known)
    {
        using var http = new HttpClient { BaseAddress = new Uri(site.Service.Address) };
        var holding = known.ToArray();
        for (var number = 0; number < holding.Length; number++)
        {
            for (var isNew = true; isNew;)
            {
                var device = holding[number];
                using var request = new HttpRequestMessage(HttpMethod.Post, DeviceProtocol.Prefix + "/check-in")
                {
                    Content = JsonContent.Create(
                        new CheckInRequest(ServiceBench.Sequence, device.Digest, null, device.Tag, [], [], Can: All, CalendarsTag: device.Calendars ?? ""),
                        ContractJson.Default.CheckInRequest),
                };
                request.Headers.Authorization = new System.Net.Http.Headers.AuthenticationHeaderValue("Bearer", device.Token);
                using var sent = await http.SendAsync(request);
                sent.EnsureSuccessStatusCode();
                var answer = (await sent.Content.ReadFromJsonAsync(ContractJson.Default.CheckInAnswer))!;
                isNew = answer.Calendars is not null || answer.OrdersTag != device.Tag || device.Calendars is null;
                holding[number] = device with { Tag = answer.OrdersTag, Calendars = answer.Calendars is { } signed ? TagOf(signed) : device.Calendars };
            }
        }

        return holding;

        static string TagOf(string signed) => JsonSerializer.Deserialize(
            Microsoft.IdentityModel.Tokens.Base64UrlEncoder.DecodeBytes(signed.Split('.')[1]), ContractJson.Default.CalendarsContent)!.Tag;
    }
}
