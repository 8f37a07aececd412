using Bandejo.Contract.Api;
using Bandejo.Contract.Device;
using Bandejo.Core;
using Bandejo.Core.Site;
using Bandejo.Core.World;
using Bandejo.Server.Http;
using Bandejo.Server.World;

namespace Bandejo.Server.Access;

/// <summary>Who the service is over TLS: for whoever wants to know, and for whoever changes it.</summary>
internal static class IdentityRoutes
{
    public static void MapIdentity(this RouteGroupBuilder api, WebApplication app)
    {
        app.MapGet(DeviceProtocol.Prefix + "/authorities", (SiteAuthority authority) => authority.Trust is { } trust ? Results.Ok(trust) : Problems.Of(
            new Failure(ErrorKind.NotFound, "This service does not listen with TLS; nobody stands for it.")))
            .ExcludeFromDescription();
        api.MapGet("/identity", (SiteAuthority authority, WorldHost world) => Results.Ok(Info(authority, world)))
            .ForAll().WithName("getIdentity").WithSummary("Who this service is over TLS").Produces<IdentityInfo>();
        api.MapPost("/identity/roll-over", async (SiteAuthority authority, WorldHost world, HttpContext context, ReasonRequest request) =>
        {
            if (string.IsNullOrWhiteSpace(request.Reason))
            {
                return Problems.Of(new Failure(ErrorKind.Invalid, "Say why the service's identity is changed; it stays in the audit trail."));
            }

            var rolled = authority.RollOver();
            return rolled.Ok
                ? (await world.Change(context.Person(), decision => SiteSettings.Tell(decision, "identity-changed", $"{rolled.Value} {request.Reason}")))
                    .Answer(_ => Results.Ok(Info(authority, world)))
                : Problems.Of(rolled.Failure!);
        }).For().WithName("rollOverIdentity").WithSummary("Gives the service another identity; devices follow by themselves").Produces<IdentityInfo>();
    }

    private static IdentityInfo Info(SiteAuthority authority, WorldHost world)
    {
        var tag = authority.Trust?.Tag;
        var (heard, knowing) = world.Read(each => (each.Devices.Values.Count(device => device.Presence.TrustTag is not null), each.Devices.Values.Count(
            device => device.Presence.TrustTag is { } known && known == tag)));
        var shown = authority.Shown;
        return new IdentityInfo(
            authority.Name, shown is null ? null : new DateTimeOffset(shown.NotAfter.ToUniversalTime(), TimeSpan.Zero),
            shown is null ? [] : [.. NamesOf(shown)], authority.Before, heard, knowing);
    }

    private static IEnumerable<string> NamesOf(System.Security.Cryptography.X509Certificates.X509Certificate2 shown) =>
        shown.Extensions.OfType<System.Security.Cryptography.X509Certificates.X509SubjectAlternativeNameExtension>()
            .SelectMany(names => names.EnumerateDnsNames().Concat(names.EnumerateIPAddresses().Select(address => address.ToString())));
}
