using System.Security.Cryptography;
using System.Security.Cryptography.X509Certificates;

namespace Bandejo.Identity;

/// <summary>An authority whose certificates are believed to be the service's.</summary>
/// <param name="Certificate">Its certificate.</param>
/// <param name="IsOwn">It is the service's own and signs for nobody else, so that the name by which the service is reached does not matter. An organisation's
/// signs for many; there the name must fit too.</param>
public sealed record Authority(X509Certificate2 Certificate, bool IsOwn)
{
    private const string Letters = "abcdefghijklmnopqrstuvwxyz234567";

    /// <summary>
    /// How the authority is told from any other: <c>o</c> for a service's own, <c>n</c> for an organisation's, and 160 bits of the SHA-256 of its certificate
    /// in 32
    /// letters of the base32 alphabet (RFC 4648, in lower case). People compare it, and join codes carry it.
    /// </summary>
    public string Name => (IsOwn ? "o" : "n") + Base32(SHA256.HashData(Certificate.RawData).AsSpan(0, 20));

    /// <summary>The certificate as text (PEM, RFC 7468).</summary>
    public string Pem => Certificate.ExportCertificatePem();

    /// <summary>Whether a text can be the name of an authority.</summary>
    public static bool IsName(string text) => text?.Length == 33 && text[0] is 'o' or 'n' && text.Skip(1).All(Letters.Contains);

    /// <summary>The authority of that certificate and name; null where the text is no certificate, or another.</summary>
    public static Authority? Read(string pem, string name)
    {
        try
        {
            var authority = new Authority(X509Certificate2.CreateFromPem(pem), name.StartsWith('o'));
            return authority.Name == name ? authority : null;
        }
        catch (CryptographicException)
        {
            return null;
        }
    }

    private static string Base32(ReadOnlySpan<byte> bytes)
    {
        var text = new char[bytes.Length * 8 / 5];
        var (held, bits, at) = (0, 0, 0);
        foreach (var each in bytes)
        {
            held = (held << 8) | each;
            for (bits += 8; bits >= 5; bits -= 5)
            {
                text[at++] = Letters[(held >> (bits - 5)) & 31];
            }
        }

        return new string(text);
    }
}

/// <summary>
/// Who a service has to be: whoever shows a certificate that one of these authorities stands for, and nobody else, whatever this machine believes otherwise.
/// </summary>
public sealed class ServiceIdentity(IReadOnlyList<Authority> authorities)
{
    /// <summary>The authorities.</summary>
    public IReadOnlyList<Authority> Authorities => authorities;

    /// <summary>Why a certificate is not the service's, as the end of a sentence; null where it is.</summary>
    /// <param name="shown">What was shown; null for nothing.</param>
    /// <param name="beside">What was shown beside it.</param>
    /// <param name="host">The name or address by which the service was called.</param>
    public string? Problem(X509Certificate2? shown, X509Certificate2Collection beside, string host)
    {
        if (shown is null)
        {
            return "it shows no certificate";
        }

        using var chain = new X509Chain();
        chain.ChainPolicy.RevocationMode = X509RevocationMode.NoCheck;
        chain.ChainPolicy.TrustMode = X509ChainTrustMode.CustomRootTrust;
        // Authorities need not be roots: which certificate of the way is believed is decided here, not by whether it signed itself.
        chain.ChainPolicy.VerificationFlags = X509VerificationFlags.AllowUnknownCertificateAuthority;
        chain.ChainPolicy.DisableCertificateDownloads = true;
        chain.ChainPolicy.ApplicationPolicy.Add(new Oid("1.3.6.1.5.5.7.3.1"));
        chain.ChainPolicy.ExtraStore.AddRange(beside);
        foreach (var authority in authorities)
        {
            chain.ChainPolicy.CustomTrustStore.Add(authority.Certificate);
        }

        var isBuilt = chain.Build(shown);
        var wrong = chain.ChainElements.SelectMany(element => element.ChainElementStatus)
            .Where(status => status.Status is not (X509ChainStatusFlags.PartialChain or X509ChainStatusFlags.UntrustedRoot)).ToList();
        if (wrong.Exists(status => status.Status == X509ChainStatusFlags.NotTimeValid))
        {
            return $"its certificate was good from {shown.NotBefore.ToUniversalTime():yyyy-MM-dd} to {shown.NotAfter.ToUniversalTime():yyyy-MM-dd}; look at "
                + $"the clock of this machine and at the service";
        }

        var stands = authorities.FirstOrDefault(authority => chain.ChainElements.Any(element => element.Certificate.RawDataMemory.Span.SequenceEqual(
            authority.Certificate.RawDataMemory.Span)));
        if (!isBuilt || wrong.Count > 0 || stands is null)
        {
            return $"it shows a certificate of {shown.Issuer} that nobody known here stands for";
        }

        return stands.IsOwn || shown.MatchesHostname(host) ? null : $"its certificate is not for {host}";
    }
}
