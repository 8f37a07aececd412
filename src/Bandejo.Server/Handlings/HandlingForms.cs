using Bandejo.Contract.Api;
using Bandejo.Contract.Device;
using Bandejo.Core.Packages;
using Bandejo.Core.Site;
using Bandejo.Core.World;

namespace Bandejo.Server.Handlings;

/// <summary>Handlings in the forms in which they travel.</summary>
internal static class HandlingForms
{
    /// <summary>How a device is told of it; null where there is nothing to tell.</summary>
    public static OrderHandling? ForOrder(KeptHandling? handling) =>
        handling is not { } values || values with { Settings = new Dictionary<string, string>() } is { IsEmpty: true } ? null
        : new OrderHandling(
            values.NobodySignedIn, values.LowPriority, values.Restart is { } restart ? WordOf(restart) : null, values.KeepsAll,
            values.Close.Count == 0 ? null : values.Close);

    public static HandlingInfo Info(HandlingRecord handling) => new(
        handling.Slug, handling.Name, handling.Values.NobodySignedIn switch { true => "nobody", false => "anybody", _ => "as-packaged" },
        handling.Values.LowPriority switch { true => "low", false => "usual", _ => "as-packaged" },
        handling.Values.Restart is { } restart ? WordOf(restart) : "as-packaged", handling.Values.KeepsAll ? "keep" : "as-packaged", handling.Values.Close,
        handling.Values.Settings, handling.Apps, handling.Values.InWords, handling.Revision);

    /// <summary>What a request asks for.</summary>
    public static HandlingAsk Ask(HandlingRequest request) =>
        new(
            request.Name, request.SignedIn, request.Priority, request.Restart, request.Reset, request.Close ?? [], request.Settings ?? new Dictionary<string,
            string>(), request.Apps ?? []);

    private static string WordOf(RestartRule rule) => Handling.Restarts.First(each => each.Value == rule).Key;
}
