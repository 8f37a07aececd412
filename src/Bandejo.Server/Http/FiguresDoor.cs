using System.Net;
using Bandejo.Core;

namespace Bandejo.Server.Http;

/// <summary>Who may read the figures for monitoring and the description of the API: anybody, whoever is signed in, or some addresses.</summary>
/// <param name="IsForPeople">Whoever is signed in.</param>
/// <param name="Networks">Only from these addresses; empty for any.</param>
internal sealed record FiguresDoor(bool IsForPeople, IReadOnlyList<IPNetwork> Networks)
{
    public static FiguresDoor Open { get; } = new(false, []);

    /// <summary>Reads the setting: <c>anybody</c>, <c>people</c>, or addresses and networks set apart by commas; null for something else.</summary>
    public static FiguresDoor? Read(string text)
    {
        if (text is "anybody" or "people")
        {
            return new FiguresDoor(text == "people", []);
        }

        var parts = text.Split(',', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries);
        var networks = parts.Select(
            part =>
                IPNetwork.TryParse(part, out var network) ? network
                    : IPAddress.TryParse(part, out var address) ? new IPNetwork(address, address.GetAddressBytes().Length * 8)
                    : (IPNetwork?)null)
            .ToList();
        return networks.Count == 0 || networks.Contains(null) ? null : new FiguresDoor(false, [.. networks.OfType<IPNetwork>()]);
    }

    /// <summary>Why a request is not answered; null where it is.</summary>
    public Failure? Against(HttpContext context)
    {
        var address = context.Connection.RemoteIpAddress is { IsIPv4MappedToIPv6: true } mapped ? mapped.MapToIPv4() : context.Connection.RemoteIpAddress;
        return IsForPeople && context.User.Identity?.IsAuthenticated != true
            ? new Failure(ErrorKind.Unauthenticated, "This is kept to people who are signed in (figures-for).")
            : Networks.Count > 0 && (address is null || !Networks.Any(network => network.Contains(address)))
                ? new Failure(ErrorKind.Forbidden, "This is kept to other addresses than yours (figures-for).")
                : null;
    }
}

internal static class FiguresDoorUse
{
    /// <summary>Keeps figures and description to those that they are for.</summary>
    public static void UseFiguresDoor(this WebApplication app, FiguresDoor door) => app.Use((context, next) =>
        context.Request.Path.StartsWithSegments("/metrics") || (context.Request.Path.Value?.EndsWith("/openapi.json", StringComparison.Ordinal) ?? false)
            ? door.Against(context) is { } against ? Problems.Of(against).ExecuteAsync(context) : next(context) : next(context));
}
