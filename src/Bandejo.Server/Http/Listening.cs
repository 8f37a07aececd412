using System.Net;
using Bandejo.Server.Access;
using Microsoft.AspNetCore.Server.Kestrel.Core;
using Microsoft.AspNetCore.Server.Kestrel.Https;

namespace Bandejo.Server.Http;

/// <summary>Where the service listens.</summary>
internal static class Listening
{
    /// <summary>The addresses of a setting, set apart by semicolons; null where one of them is none.</summary>
    public static IReadOnlyList<Uri>? Read(string text)
    {
        // What the web server understands as any address is no host in an address otherwise.
        var parts = text.Split(';', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries)
            .Select(part => part.Replace("://*", "://0.0.0.0", StringComparison.Ordinal).Replace("://+", "://0.0.0.0", StringComparison.Ordinal)).ToList();
        var addresses = parts.Select(
            part => Uri.TryCreate(part, UriKind.Absolute, out var uri) && uri.Scheme is "http" or "https" && uri.AbsolutePath == "/" ? uri : null)
            .ToList();
        return addresses.Count == 0 || addresses.Contains(null) ? null : [.. addresses.OfType<Uri>()];
    }

    /// <summary>Listens at all addresses, at those with https as who the service is.</summary>
    public static void ListenAt(this KestrelServerOptions kestrel, IEnumerable<Uri> addresses, Func<SiteAuthority> authority, Places places)
    {
        foreach (var address in addresses)
        {
            void As(ListenOptions listen)
            {
                listen.Use(next => connection => places.Hold(connection, () => next(connection)));
                if (address.Scheme == "https")
                {
                    listen.UseHttps(new TlsHandshakeCallbackOptions { OnConnection = _ => ValueTask.FromResult(authority().ForConnection()) });
                }
            }

            if (address.Host == "localhost")
            {
                kestrel.ListenLocalhost(address.Port, As);
            }
            else if (IPAddress.TryParse(address.Host.Trim('[', ']'), out var ip))
            {
                kestrel.Listen(ip, address.Port, As);
            }
            else
            {
                kestrel.ListenAnyIP(address.Port, As);
            }
        }
    }
}
