using System.Security.Cryptography;
using System.Text.Json;
using System.Text.Json.Serialization.Metadata;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Contract.Device;
using Bandejo.Core;
using Bandejo.Core.Site;
using Bandejo.Core.World;
using Bandejo.Server.Devices;
using Bandejo.Server.World;
using Bandejo.Store;
using Microsoft.IdentityModel.JsonWebTokens;
using Microsoft.IdentityModel.Tokens;

namespace Bandejo.Server.Access;

/// <summary>
/// The service's own keys, made at first start: a P-256 key (ES256, RFC 7518) that seals packages and the list of withdrawn ones for devices, and a secret
/// for short-lived device tokens (HS256), which are cheap to verify.
/// </summary>
internal sealed class SiteKeys(WorldHost world, TimeProvider time, DeviceOptions devices)
{
    private const string SealKeySetting = "key.seal";
    private const string TokenKeySetting = "key.device-token";
    private const string DeviceIssuer = "bandejo";
    private const int MostKnownTokens = 150_000;

    /// <summary>
    /// How long a device token is good: at least half an hour, and long enough for a dozen check-ins, so that devices that come seldom do not sign in each
    /// time.
    /// </summary>
    public TimeSpan DeviceTokenLife { get; } = TimeSpan.FromSeconds(Math.Max(1800, 12.0 * devices.CheckInSeconds));

    private readonly JsonWebTokenHandler _tokens = new() { SetDefaultTimesOnTokenCreation = false };
    private readonly System.Collections.Concurrent.ConcurrentDictionary<string, (string Device, DateTimeOffset Expires)> _knownTokens = new(
        StringComparer.Ordinal);
    private ECDsaSecurityKey? _seal;
    private SymmetricSecurityKey? _deviceTokens;

    /// <summary>What devices trust.</summary>
    public PublicKeyInfo SealKey => PublicOf(Seal.ECDsa);

    private ECDsaSecurityKey Seal => _seal ?? throw new InvalidOperationException("The keys are not made yet.");

    /// <summary>Reads the keys, or makes them at the first start.</summary>
    public async Task Prepare()
    {
        if (!world.Peek(each => each.SiteSettings.ContainsKey(SealKeySetting)))
        {
            using var key = ECDsa.Create(ECCurve.NamedCurves.nistP256);
            var (seal, tokens) = (Convert.ToBase64String(key.ExportPkcs8PrivateKey()), Convert.ToBase64String(RandomNumberGenerator.GetBytes(32)));
            _ = (await world.Change(null, decision => SiteSettings.KeepKeys(decision, [(SealKeySetting, seal), (TokenKeySetting, tokens)]))).Value;
        }

        var settings = world.Peek(each => each.SiteSettings);
        var ecdsa = ECDsa.Create();
        ecdsa.ImportPkcs8PrivateKey(Convert.FromBase64String(settings[SealKeySetting]), out _);
        _seal = new ECDsaSecurityKey(ecdsa) { KeyId = PublicOf(ecdsa).KeyId };
        _deviceTokens = new SymmetricSecurityKey(Convert.FromBase64String(settings[TokenKeySetting]));
    }

    /// <summary>The key that somebody has shown to be theirs.</summary>
    public static async Task<Outcome<KeyRecord>> ProvenKey(SigningKeyRequest request, string account)
    {
        var key = ReadKey(request.X, request.Y);
        return !key.Ok ? key.Failure! : await HoldsKey(request.Proof, key.Value, account) ? key.Value
            : new Failure(
                ErrorKind.Invalid,
                "The proof does not show that you have this key: it is a JWS (ES256) with it over {\"use\":\"signing-key\",\"account\":\"YOUR ACCOUNT\"}.");
    }

    /// <summary>A compact JWS by the service over a JSON text.</summary>
    public string Sign<T>(T content, JsonTypeInfo<T> form) =>
        _tokens.CreateToken(JsonSerializer.Serialize(content, form), new SigningCredentials(Seal, SecurityAlgorithms.EcdsaSha256));

    /// <summary>The list of withdrawn packages as devices get it.</summary>
    public string SignWithdrawn(long serial, IReadOnlyList<string> digests) =>
        Sign(new WithdrawnContent("withdrawn", serial, digests), ContractJson.Default.WithdrawnContent);

    /// <summary>The calendars that rule a device, as it holds them.</summary>
    public string SignCalendars(CalendarsContent content) => Sign(content, ContractJson.Default.CalendarsContent);

    /// <summary>A token with which a device may speak for a while.</summary>
    public string DeviceToken(string device) => _tokens.CreateToken(new SecurityTokenDescriptor
    {
        Issuer = DeviceIssuer,
        Claims = new Dictionary<string, object> { ["sub"] = device },
        Expires = (time.GetUtcNow() + DeviceTokenLife).UtcDateTime,
        SigningCredentials = new SigningCredentials(_deviceTokens!, SecurityAlgorithms.HmacSha256),
    });

    /// <summary>Whose device token this is; null where it does not hold.</summary>
    public async ValueTask<string?> DeviceOf(string token)
    {
        // A token that held once holds until it expires; looking at its signature again would only cost time.
        if (_knownTokens.TryGetValue(token, out var known))
        {
            return known.Expires > time.GetUtcNow() ? known.Device : null;
        }

        var result = await _tokens.ValidateTokenAsync(token, new TokenValidationParameters
        {
            ValidIssuer = DeviceIssuer,
            ValidateAudience = false,
            IssuerSigningKey = _deviceTokens,
            ValidAlgorithms = [SecurityAlgorithms.HmacSha256],
            LifetimeValidator = (_, expires, _, _) => expires > time.GetUtcNow().UtcDateTime,
        });
        if (!result.IsValid || result.Claims["sub"] is not string device)
        {
            return null;
        }

        if (_knownTokens.Count >= MostKnownTokens)
        {
            _knownTokens.Clear();
        }

        _knownTokens[token] = (device, new DateTimeOffset(result.SecurityToken.ValidTo, TimeSpan.Zero));
        return device;
    }

    /// <summary>Whether an assertion (RFC 7523) was signed by a key, for us, and is fresh. Returns its identity, which must not be seen twice.</summary>
    public async Task<Outcome<string>> Assertion(string assertion, KeyRecord key, string device)
    {
        using var ecdsa = PublicKey(key.X, key.Y);
        var now = time.GetUtcNow();
        var result = await _tokens.ValidateTokenAsync(assertion, new TokenValidationParameters
        {
            ValidIssuer = device,
            ValidAudience = DeviceProtocol.Audience,
            IssuerSigningKey = OnceKey(ecdsa),
            ValidAlgorithms = [SecurityAlgorithms.EcdsaSha256],
            LifetimeValidator = (_, expires, _, _) => expires > now.UtcDateTime && expires <= now.UtcDateTime.AddSeconds(DeviceProtocol.MaxAssertionAge + 60),
        });
        if (!result.IsValid || (result.Claims.TryGetValue("jti", out var jti) ? jti : null) is not string { Length: > 0 and <= 64 } id)
        {
            return new Failure(
                ErrorKind.Unauthenticated,
                "The assertion does not hold: it is not signed by this device's key, is not meant for this service, or is too old. Compare the clocks of "
                    + "device and service.");
        }

        return id;
    }

    /// <summary>Whether somebody has the private part of a key.</summary>
    public static async Task<bool> HoldsKey(string proof, KeyRecord key, string account)
    {
        if (Read(proof) is not { Alg: SecurityAlgorithms.EcdsaSha256 })
        {
            return false;
        }

        using var ecdsa = PublicKey(key.X, key.Y);
        var result = await new JsonWebTokenHandler().ValidateTokenAsync(proof, SignatureOnly(ecdsa));
        return result.IsValid && result.Claims.TryGetValue("use", out var use) && use as string == "signing-key"
            && result.Claims.TryGetValue("account", out var by) && by as string == account;
    }

    /// <summary>Whether a builder's JWS covers a package document. Returns the key's identity.</summary>
    public static async Task<Outcome<string>> VerifyBuild(string signature, byte[] document, Func<string, KeyRecord?> findKey)
    {
        var handler = new JsonWebTokenHandler();
        if (Read(signature) is not { Alg: SecurityAlgorithms.EcdsaSha256 } read)
        {
            return new Failure(ErrorKind.Invalid, "The signature of the package file cannot be read.");
        }

        if (findKey(read.Kid) is not { } key)
        {
            return new Failure(
                ErrorKind.Forbidden, $"The package file is signed with the key {read.Kid}, which belongs to no account that may build packages here.");
        }

        using var ecdsa = PublicKey(key.X, key.Y);
        var result = await handler.ValidateTokenAsync(signature, SignatureOnly(ecdsa));
        return result.IsValid && result.Claims.TryGetValue("digest", out var digest) && digest as string == Convert.ToHexStringLower(SHA256.HashData(document))
            ? key.KeyId
            : new Failure(ErrorKind.Invalid, "The signature does not fit the package file: it was changed after it was signed, or signed with another key.");
    }

    /// <summary>Whether a service's seal is by a key and covers a package.</summary>
    public static async Task<bool> HoldsSeal(string seal, KeyRecord key, string digest)
    {
        using var ecdsa = PublicKey(key.X, key.Y);
        var result = await new JsonWebTokenHandler().ValidateTokenAsync(seal, SignatureOnly(ecdsa));
        return result.IsValid && result.Claims.TryGetValue("digest", out var covered) && covered as string == digest;
    }

    /// <summary>A token without any check of its signature; null where it cannot be read.</summary>
    public static JsonWebToken? Read(string token)
    {
        try
        {
            return new JsonWebTokenHandler { MaximumTokenSizeInBytes = 64 * 1024 }.ReadJsonWebToken(token);
        }
        catch (Exception error) when (error is ArgumentException or SecurityTokenException or FormatException or JsonException)
        {
            return null;
        }
    }

    /// <summary>A public key from its coordinates; fails for a point that is not on the curve.</summary>
    public static ECDsa PublicKey(string x, string y) => ECDsa.Create(new ECParameters
    {
        Curve = ECCurve.NamedCurves.nistP256,
        Q = new ECPoint { X = Base64UrlEncoder.DecodeBytes(x), Y = Base64UrlEncoder.DecodeBytes(y) },
    });

    /// <summary>Checks coordinates and names the key by its RFC 7638 thumbprint.</summary>
    public static Outcome<KeyRecord> ReadKey(string x, string y)
    {
        try
        {
            using var key = PublicKey(x, y);
            var info = PublicOf(key);
            return new KeyRecord(info.KeyId, info.X, info.Y);
        }
        catch (Exception error) when (error is CryptographicException or FormatException or ArgumentException)
        {
            return new Failure(ErrorKind.Invalid, "The key is not a P-256 public key with coordinates in base64url.");
        }
    }

    /// <summary>Asks for nothing but that the signature is by this key: what is signed is for ever, and for nobody in particular.</summary>
    private static TokenValidationParameters SignatureOnly(ECDsa key) => new()
    {
        ValidateIssuer = false,
        ValidateAudience = false,
        ValidateLifetime = false,
        RequireExpirationTime = false,
        IssuerSigningKey = OnceKey(key),
        ValidAlgorithms = [SecurityAlgorithms.EcdsaSha256],
    };

    // The library keeps what it made of a key for longer than this key lives, unless it is told not to.
    private static ECDsaSecurityKey OnceKey(ECDsa key) => new(key) { CryptoProviderFactory = new CryptoProviderFactory { CacheSignatureProviders = false } };

    private static PublicKeyInfo PublicOf(ECDsa key)
    {
        var point = key.ExportParameters(includePrivateParameters: false).Q;
        string x = Base64UrlEncoder.Encode(point.X), y = Base64UrlEncoder.Encode(point.Y);
        var thumbprint = SHA256.HashData(System.Text.Encoding.ASCII.GetBytes($$"""{"crv":"P-256","kty":"EC","x":"{{x}}","y":"{{y}}"}"""));
        return new PublicKeyInfo(Base64UrlEncoder.Encode(thumbprint), x, y);
    }
}
