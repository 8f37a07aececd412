using System.Net;
using System.Net.NetworkInformation;
using System.Net.Security;
using System.Security.Cryptography;
using System.Security.Cryptography.X509Certificates;
using Bandejo.Contract.Device;
using Bandejo.Core;
using Bandejo.Core.Site;
using Bandejo.Core.World;
using Bandejo.Identity;
using Bandejo.Server.World;

namespace Bandejo.Server.Access;

/// <summary>
/// Who the service is over TLS: an authority of its own, made at the first start, and a short-lived certificate that it signs; or a certificate of the
/// organisation's. Goes by this machine's time, also on a demo clock. Files in <c>tls/</c> of the data folder, for the service's account alone.
/// </summary>
internal sealed class SiteAuthority : IDisposable
{
    private static readonly TimeSpan AuthorityLife = TimeSpan.FromDays(3650);
    private static readonly TimeSpan AuthorityRenewal = TimeSpan.FromDays(730);
    private static readonly TimeSpan CertificateLife = TimeSpan.FromDays(90);
    private static readonly TimeSpan CertificateRenewal = TimeSpan.FromDays(30);

    // Clocks of devices are not all right; a certificate that is good only from this second on would be refused by those that lag.
    private static readonly TimeSpan Lag = TimeSpan.FromDays(2);

    private readonly string _folder;
    private readonly TlsOptions _options;
    private readonly Lock _lock = new();
    private SslStreamCertificateContext? _current;
    private X509Certificate2? _shown;
    private TrustInfo? _trust;

    /// <param name="data">The data folder.</param>
    public SiteAuthority(string data, TlsOptions options)
    {
        _folder = Path.Combine(data, "tls");
        _options = options;
    }

    private static DateTimeOffset Now => TimeProvider.System.GetUtcNow();

    private string AuthorityFile => Path.Combine(_folder, "authority.pem");

    private string CrossFile => Path.Combine(_folder, "authority-by-its-predecessor.pem");

    private string CertificateFile => Path.Combine(_folder, "service.pem");

    private string BeforeFile => Path.Combine(_folder, "before.txt");

    /// <summary>What devices shall believe; null where the service does not listen with TLS.</summary>
    public TrustInfo? Trust => Volatile.Read(ref _trust);

    /// <summary>The name of the authority that stands for the service now; null where it does not listen with TLS.</summary>
    public string? Name => Trust?.Authorities[0].Name;

    /// <summary>What it shows now.</summary>
    public X509Certificate2? Shown => Volatile.Read(ref _shown);

    /// <summary>Authorities before this one.</summary>
    public IReadOnlyList<string> Before => File.Exists(BeforeFile) ? File.ReadAllLines(BeforeFile) : [];

    /// <summary>What a connection is begun with.</summary>
    public SslServerAuthenticationOptions ForConnection() => new() { ServerCertificateContext = Volatile.Read(ref _current) };

    /// <summary>Makes or reads what is needed, and renews what ends soon. Words for the audit trail where the authority is new; null else.</summary>
    /// <exception cref="IOException">A file cannot be read or written, or is not what it should be.</exception>
    public string? Prepare()
    {
        if (!_options.IsOn)
        {
            return null;
        }

        lock (_lock)
        {
            OwnFolder.Make(_folder);
            try
            {
                return _options.Certificate is { } file ? TakeGiven(file) : TakeOwn();
            }
            catch (CryptographicException error)
            {
                throw new IOException($"What the service is to show over TLS cannot be used ({_options.Certificate ?? _folder}): {error.Message}", error);
            }
        }
    }

    /// <summary>Makes another authority, signed by the present one too, so that devices that know only that one follow. Words for the audit trail.</summary>
    public Outcome<string> RollOver()
    {
        lock (_lock)
        {
            if (!_options.IsOn || _options.Certificate is not null)
            {
                return new Failure(
                    ErrorKind.Conflict,
                    _options.IsOn
                        ? "The service shows a certificate of the organisation's, which is renewed there."
                        : "The service does not listen with TLS; it has no identity to change.");
            }

            using var old = Read(AuthorityFile);
            using var made = NewAuthority();
            using var cross = Cross(made, old);
            var before = new Authority(old, IsOwn: true).Name;
            OwnFolder.Write(CrossFile, cross.ExportCertificatePem() + "\n" + (File.Exists(CrossFile) ? File.ReadAllText(CrossFile) : ""));
            OwnFolder.Write(BeforeFile, string.Join('\n', Before.Append(before).TakeLast(10)));
            OwnFolder.Write(AuthorityFile, Pem(made));
            File.Delete(CertificateFile);
            TakeOwn();
            return $"The service's identity was changed from {before} to {Name}.";
        }
    }

    public void Dispose() => _shown?.Dispose();

    private string? TakeOwn()
    {
        string? words = null;
        if (!File.Exists(AuthorityFile))
        {
            using var made = NewAuthority();
            OwnFolder.Write(AuthorityFile, Pem(made));
            words = $"The service made its identity {new Authority(made, IsOwn: true).Name}.";
        }

        using var authority = Read(AuthorityFile);
        if (authority.NotAfter.ToUniversalTime() - Now < AuthorityRenewal)
        {
            return RollOver().Value;
        }

        var names = Names();
        var certificate = File.Exists(CertificateFile) ? Read(CertificateFile) : null;
        if (certificate is null || certificate.NotAfter.ToUniversalTime() - Now < CertificateRenewal || !names.All(name => certificate.MatchesHostname(name))
            || certificate.IssuerName.Name != authority.SubjectName.Name)
        {
            certificate?.Dispose();
            using var made = NewCertificate(authority, names);
            OwnFolder.Write(CertificateFile, Pem(made));
            certificate = Read(CertificateFile);
        }

        var beside = new X509Certificate2Collection();
        if (File.Exists(CrossFile))
        {
            // Whoever knows only an authority of long ago is led on from one to the next.
            beside.ImportFromPem(File.ReadAllText(CrossFile));
        }

        Show(certificate, beside, new Authority(X509CertificateLoader.LoadCertificate(authority.RawData), IsOwn: true));
        return words;
    }

    /// <summary>Takes a file with a certificate, those that lead to its authority, and its key.</summary>
    private string? TakeGiven(string file)
    {
        var all = new X509Certificate2Collection();
        all.ImportFromPemFile(file);
        if (all.Count == 0)
        {
            throw new IOException($"{file} holds no certificate.");
        }

        var certificate = Read(file);
        var beside = new X509Certificate2Collection(all.Skip(1).ToArray());
        Show(certificate, beside, new Authority(all[^1], IsOwn: false));
        return null;
    }

    private void Show(X509Certificate2 certificate, X509Certificate2Collection beside, Authority authority)
    {
        List<Authority> authorities = [authority];
        if (_options.Announce is { } announced)
        {
            var all = new X509Certificate2Collection();
            all.ImportFromPemFile(announced);
            authorities.AddRange(all.Count == 0 ? throw new IOException($"{announced} holds no certificate.") : all.Select(each => new Authority(
                each, IsOwn: false)));
        }

        Volatile.Write(ref _shown, certificate);
        Volatile.Write(ref _current, SslStreamCertificateContext.Create(certificate, beside, offline: true));
        Volatile.Write(ref _trust, new TrustInfo(TrustTag.Of(authorities.Select(each => each.Name)), [.. authorities.Select(
            each => new AuthorityInfo(each.Name, each.Pem))]));
    }

    private static X509Certificate2 NewAuthority()
    {
        using var key = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        var request = new CertificateRequest($"CN=Bandejo authority {RandomNumberGenerator.GetHexString(8, lowercase: true)}", key, HashAlgorithmName.SHA256);
        request.CertificateExtensions.Add(new X509BasicConstraintsExtension(certificateAuthority: true, hasPathLengthConstraint: false, 0, critical: true));
        request.CertificateExtensions.Add(new X509KeyUsageExtension(X509KeyUsageFlags.KeyCertSign | X509KeyUsageFlags.CrlSign, critical: true));
        request.CertificateExtensions.Add(new X509SubjectKeyIdentifierExtension(request.PublicKey, critical: false));
        return request.CreateSelfSigned(Now - Lag, Now + AuthorityLife);
    }

    /// <summary>The new authority as its predecessor vouches for it.</summary>
    private static X509Certificate2 Cross(X509Certificate2 made, X509Certificate2 old)
    {
        var request = new CertificateRequest(made.SubjectName, made.PublicKey, HashAlgorithmName.SHA256);
        foreach (var extension in made.Extensions)
        {
            request.CertificateExtensions.Add(extension);
        }

        request.CertificateExtensions.Add(X509AuthorityKeyIdentifierExtension.CreateFromCertificate(
            old, includeKeyIdentifier: true, includeIssuerAndSerial: false));
        return request.Create(old, Now - Lag > old.NotBefore ? Now - Lag : old.NotBefore, old.NotAfter, Serial());
    }

    private static X509Certificate2 NewCertificate(X509Certificate2 authority, IReadOnlyList<string> names)
    {
        using var key = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        var request = new CertificateRequest($"CN={names[0]}", key, HashAlgorithmName.SHA256);
        request.CertificateExtensions.Add(new X509BasicConstraintsExtension(false, false, 0, critical: true));
        request.CertificateExtensions.Add(new X509KeyUsageExtension(X509KeyUsageFlags.DigitalSignature, critical: true));
        request.CertificateExtensions.Add(new X509EnhancedKeyUsageExtension([new Oid("1.3.6.1.5.5.7.3.1")], critical: false));
        request.CertificateExtensions.Add(X509AuthorityKeyIdentifierExtension.CreateFromCertificate(
            authority, includeKeyIdentifier: true, includeIssuerAndSerial: false));
        var alternatives = new SubjectAlternativeNameBuilder();
        foreach (var name in names)
        {
            if (IPAddress.TryParse(name, out var address))
            {
                alternatives.AddIpAddress(address);
            }
            else
            {
                alternatives.AddDnsName(name);
            }
        }

        request.CertificateExtensions.Add(alternatives.Build());
        using var bare = request.Create(authority, Now - Lag, Now + CertificateLife, Serial());
        return bare.CopyWithPrivateKey(key);
    }

    /// <summary>The names and addresses that this machine is reached by, those that were given first.</summary>
    private List<string> Names() =>
    [
        .. _options.Names.Concat([Environment.MachineName.ToLowerInvariant(), "localhost"])
            .Concat(
                NetworkInterface.GetAllNetworkInterfaces().SelectMany(each => each.GetIPProperties().UnicastAddresses).Select(each => each.Address)
                    .Where(address => !address.IsIPv6LinkLocal).Select(address => address.ToString()))
            .Concat(["127.0.0.1"]).Where(name => Uri.CheckHostName(name) != UriHostNameType.Unknown).Distinct(StringComparer.Ordinal)
    ];

    private static byte[] Serial()
    {
        var serial = RandomNumberGenerator.GetBytes(16);
        serial[0] &= 0x7F;
        return serial;
    }

    private static X509Certificate2 Read(string file) => X509Certificate2.CreateFromPemFile(file);

    private static string Pem(X509Certificate2 certificate) =>
        $"{certificate.ExportCertificatePem()}\n{certificate.GetECDsaPrivateKey()!.ExportPkcs8PrivateKeyPem()}\n";
}

/// <summary>How the service shows itself over TLS.</summary>
/// <param name="IsOn">It listens with TLS.</param>
/// <param name="Certificate">A file of the organisation's with certificate, chain and key (PEM); null for an authority of the service's own.</param>
/// <param name="Announce">A file with authorities that devices shall believe too, before the service shows a certificate of theirs; null for none.</param>
/// <param name="Names">Names by which it is reached, besides those of this machine.</param>
internal sealed record TlsOptions(bool IsOn, string? Certificate, string? Announce, IReadOnlyList<string> Names);

/// <summary>Looks once an hour whether what the service shows over TLS is to be renewed.</summary>
internal sealed partial class CertificateWatch(SiteAuthority authority, WorldHost world, ILogger<CertificateWatch> log) : BackgroundService
{
    private static readonly TimeSpan Pause = TimeSpan.FromHours(1);

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        using var timer = new PeriodicTimer(Pause);
        while (await timer.WaitForNextTickAsync(stoppingToken))
        {
            try
            {
                await Renew(authority, world);
            }
            catch (IOException error)
            {
                NotRenewed(log, error.Message);
            }
        }
    }

    /// <summary>Makes or renews what is needed; a new identity is in the audit trail.</summary>
    public static async Task Renew(SiteAuthority authority, WorldHost world)
    {
        if (authority.Prepare() is { } words)
        {
            var kept = await world.Change(null, decision => SiteSettings.Tell(decision, "identity-made", words));
            _ = kept.Value;
        }
    }

    [LoggerMessage(Level = LogLevel.Error, Message = "What the service shows over TLS could not be renewed: {Why}")]
    private static partial void NotRenewed(ILogger logger, string why);
}
