using System.Net.Security;
using System.Security.Authentication;
using System.Security.Cryptography.X509Certificates;

namespace Bandejo.Identity;

/// <summary>
/// Connections for which a rule of our own decides whom to believe, and which lead nowhere else: no redirect is followed, nothing is remembered.
/// </summary>
public static class AskedConnections
{
    /// <summary>Says whether who answers is believed.</summary>
    /// <param name="shown">The certificate that was shown.</param>
    /// <param name="beside">What was shown beside it.</param>
    /// <param name="errors">What this machine's own authorities find wrong with it.</param>
    /// <exception cref="AuthenticationException">It is not believed; the message says why.</exception>
    public delegate void Believe(X509Certificate2? shown, X509Certificate2Collection beside, SslPolicyErrors errors);

    /// <summary>A handler whose connections are asked <paramref name="believe"/> before anything is sent.</summary>
    public static SocketsHttpHandler Handler(Believe believe) => new()
    {
        AllowAutoRedirect = false,
        UseCookies = false,
        PooledConnectionIdleTimeout = TimeSpan.FromMinutes(10),
        SslOptions = new SslClientAuthenticationOptions
        {
            RemoteCertificateValidationCallback = (_, certificate, chain, errors) =>
            {
                believe(
                    certificate as X509Certificate2,
                    [.. chain?.ChainPolicy.ExtraStore ?? [], .. chain?.ChainElements.Select(element => element.Certificate) ?? []], errors);
                return true;
            },
        },
    };
}
