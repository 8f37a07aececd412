using System.Security.Cryptography;
using Bandejo.Contract.Device;
using Microsoft.IdentityModel.Tokens;

namespace Bandejo.Device;

/// <summary>
/// Keys of the curve P-256 (FIPS 186-5): by the operating system where it makes and reads them, and else in managed code. Not every system that runs programs
/// for Windows has them.
/// </summary>
public static class EllipticKeys
{
    /// <summary>The curve, by its number: not every system knows it by name.</summary>
    public static ECCurve P256 { get; } = ECCurve.CreateFromValue("1.2.840.10045.3.1.7");

    // Linux has them, always: what does without is left out of the program there.
    private static readonly bool SystemHasThem = !OperatingSystem.IsWindows() || Has();

    /// <summary>A new key.</summary>
    public static ECDsa Create()
    {
        var key = Empty();
        key.GenerateKey(P256);
        return key;
    }

    /// <summary>A public key.</summary>
    /// <exception cref="CryptographicException">It is no point of the curve.</exception>
    /// <exception cref="FormatException">It is not written as numbers are (RFC 4648, section 5).</exception>
    public static ECDsa Of(PublicKeyInfo key) => Read(each => each.ImportParameters(
        new ECParameters
        {
            Curve = P256, Q = new ECPoint { X = Base64UrlEncoder.DecodeBytes(key.X), Y = Base64UrlEncoder.DecodeBytes(key.Y) },
        }));

    /// <summary>A private key, as <see cref="AsymmetricAlgorithm.ExportPkcs8PrivateKeyPem"/> writes it.</summary>
    /// <exception cref="ArgumentException">It is written otherwise.</exception>
    /// <exception cref="CryptographicException">It is no key of this curve.</exception>
    public static ECDsa OfPem(string pem) => Read(each => each.ImportFromPem(pem));

    private static ECDsa Read(Action<ECDsa> import)
    {
        var key = Empty();
        try
        {
            import(key);
            return key;
        }
        catch
        {
            key.Dispose();
            throw;
        }
    }

    private static ECDsa Empty() => OperatingSystem.IsWindows() && !SystemHasThem ? new ManagedEcdsa() : ECDsa.Create();

    private static bool Has()
    {
        try
        {
            using var made = ECDsa.Create(P256);
            using var read = ECDsa.Create(made.ExportParameters(includePrivateParameters: false));
            var hash = new byte[SHA256.HashSizeInBytes];
            return read.VerifyHash(hash, made.SignHash(hash));
        }
        catch (Exception error) when (error is CryptographicException or PlatformNotSupportedException)
        {
            return false;
        }
    }
}
