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
    private static readonly bool SystemHasThem = Has();

    /// <summary>A new key.</summary>
    public static ECDsa Create()
    {
        var key = Empty();
        key.GenerateKey(ManagedEcdsa.P256);
        return key;
    }

    /// <summary>A public key.</summary>
    /// <exception cref="CryptographicException">It is no point of the curve.</exception>
    /// <exception cref="FormatException">It is not written as numbers are (RFC 4648, section 5).</exception>
    public static ECDsa Of(PublicKeyInfo key) => Read(each => each.ImportParameters(
        new ECParameters
        {
            Curve = ManagedEcdsa.P256, Q = new ECPoint { X = Base64UrlEncoder.DecodeBytes(key.X), Y = Base64UrlEncoder.DecodeBytes(key.Y) },
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

    private static ECDsa Empty() => SystemHasThem ? ECDsa.Create() : new ManagedEcdsa();

    private static bool Has()
    {
        try
        {
            using var made = ECDsa.Create(ManagedEcdsa.P256);
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
