using System.Net.Security;
using System.Security.Authentication;
using System.Security.Cryptography;
using System.Security.Cryptography.X509Certificates;
using Bandejo.Contract.Device;
using Bandejo.Device;
using Bandejo.Identity;

namespace Bandejo.Agent;

/// <summary>
/// The service that this machine joined, and nobody else: known by the authorities that were pinned at joining, or, where none were, by a certificate that this
/// machine's own authorities stand for. What the service says later of its authorities is believed because it was said over such a connection.
/// </summary>
internal sealed class PinnedService : IServiceTrust
{
    private readonly Home _home;
    private AgentIdentity _identity;

    public PinnedService(Home home, AgentIdentity identity)
    {
        _home = home;
        _identity = identity;
        Check(new Uri(identity.Service), identity.IsPlain);
    }

    /// <inheritdoc/>
    public string? Tag => _identity.Authorities is { Count: > 0 } pinned ? TrustTag.Of(pinned.Select(authority => authority.Name)) : null;

    /// <summary>Refuses an address at which anybody on the way could command this machine.</summary>
    /// <exception cref="InvalidDataException">It is not on this machine, has no TLS, and nobody has said that this is meant.</exception>
    public static void Check(Uri address, bool isPlain)
    {
        if (address.Scheme == "http" && !address.IsLoopback && !isPlain)
        {
            throw new InvalidDataException(
                $"{address} has no TLS: whoever is on the way to it, or answers in its place, could command this machine as root. Give the service an "
                    + $"https address, or say --without-tls to accept that.");
        }
    }

    /// <summary>Connections that are made with this service alone.</summary>
    public SocketsHttpHandler Handler() => AskedConnections.Handler(Believe);

    /// <inheritdoc/>
    public void Take(TrustInfo trust)
    {
        var authorities = trust.Authorities.Select(each => Authority.Read(each.Certificate, each.Name)).OfType<Authority>().ToList();
        if (authorities.Count == 0 || authorities.Count < trust.Authorities.Count || _identity.Authorities is null)
        {
            return;
        }

        Keep(_identity with { Authorities = [.. authorities.Select(authority => new AuthorityInfo(authority.Name, authority.Pem))] });
    }

    /// <summary>The authority of a name, as whoever answers at an address has it; nothing else of the answer is believed.</summary>
    /// <exception cref="LinkException">Nobody answers, or the service there is not of that authority.</exception>
    public static async Task<Authority> Fetch(Uri address, string name, CancellationToken cancellation)
    {
        using var http = new HttpClient(AskedConnections.Handler((_, _, _) => { })) { BaseAddress = address, Timeout = TimeSpan.FromSeconds(30) };
        using var key = EllipticKeys.Create();
        var shown = await new HttpLink(http, key, TimeProvider.System).Authorities(cancellation);
        var known = shown.Select(each => Authority.IsName(each.Name) ? each.Name : "something that is no name");
        return shown.Select(each => Authority.Read(each.Certificate, name)).OfType<Authority>().FirstOrDefault()
            ?? throw new LinkException(
                $"Whoever answers at {address} is not the service {name}; it says it is "
                    + $"{(shown.Count == 0 ? "nobody" : string.Join(" or ", known))}. Nothing was sent to it.",
                0);
    }

    private void Believe(X509Certificate2? shown, X509Certificate2Collection beside, SslPolicyErrors errors)
    {
        var problem = Problem(shown, beside, errors);
        if (problem is not null && _home.Identity() is { } kept && kept.Authorities is not null && kept != _identity)
        {
            // Somebody has accepted another identity meanwhile.
            _identity = kept;
            problem = Problem(shown, beside, errors);
        }

        if (problem is not null)
        {
            throw new AuthenticationException(
                $"Whoever answers at {_identity.Service} is not the service that this machine joined: {problem}. Nothing that it says is believed. If the "
                    + $"service was given another identity, look it up there (bandejo identity show) and say: bandejo-agent accept IDENTITY");
        }
    }

    private string? Problem(X509Certificate2? shown, X509Certificate2Collection beside, SslPolicyErrors errors)
    {
        if (_identity.Authorities is not { Count: > 0 } pinned)
        {
            return errors == SslPolicyErrors.None ? null : $"this machine trusts no certificate that it shows ({errors})";
        }

        return new ServiceIdentity([.. pinned.Select(each => Authority.Read(each.Certificate, each.Name)).OfType<Authority>()])
            .Problem(shown, beside, new Uri(_identity.Service).Host);
    }

    private void Keep(AgentIdentity identity)
    {
        _home.Keep(identity);
        _identity = identity;
    }
}
