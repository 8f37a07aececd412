using System.Security.Cryptography;
using Org.BouncyCastle.Asn1.X9;
using Org.BouncyCastle.Crypto.Digests;
using Org.BouncyCastle.Crypto.EC;
using Org.BouncyCastle.Crypto.Generators;
using Org.BouncyCastle.Crypto.Parameters;
using Org.BouncyCastle.Crypto.Signers;
using Org.BouncyCastle.Math;
using Org.BouncyCastle.Security;

namespace Bandejo.Device;

/// <summary>
/// A key of the curve P-256 that asks nothing of the operating system but chance, for systems that have no such keys. Signatures are deterministic (RFC 6979)
/// and written as r and s of 32 bytes each (IEEE P1363), as everywhere in the protocol.
/// </summary>
public sealed class ManagedEcdsa : ECDsa
{
    private const int Bytes = 32;

    private static readonly X9ECParameters Curve = CustomNamedCurves.GetByName("P-256");
    private static readonly ECDomainParameters Domain = new(Curve);

    private ECPublicKeyParameters? _public;
    private ECPrivateKeyParameters? _private;

    /// <summary>Has no key yet.</summary>
    public ManagedEcdsa()
    {
        LegalKeySizesValue = [new KeySizes(256, 256, 0)];
        KeySizeValue = 256;
    }

    /// <inheritdoc/>
    public override void GenerateKey(ECCurve curve)
    {
        Check(curve);
        var generator = new ECKeyPairGenerator();
        generator.Init(new ECKeyGenerationParameters(Domain, new SecureRandom()));
        var pair = generator.GenerateKeyPair();
        (_public, _private) = ((ECPublicKeyParameters)pair.Public, (ECPrivateKeyParameters)pair.Private);
    }

    /// <inheritdoc/>
    public override void ImportParameters(ECParameters parameters)
    {
        Check(parameters.Curve);
        try
        {
            var secret = parameters.D is { } number ? new ECPrivateKeyParameters(new BigInteger(1, number), Domain) : null;

            // Both refuse what is not of the curve.
            var point = parameters.Q is { X.Length: Bytes, Y.Length: Bytes }
                ? Curve.Curve.ValidatePoint(new BigInteger(1, parameters.Q.X), new BigInteger(1, parameters.Q.Y))
                : secret is not null ? Domain.G.Multiply(secret.D).Normalize()
                : throw new CryptographicException("The key has no point.");
            (_public, _private) = (new ECPublicKeyParameters(point, Domain), secret);
        }
        catch (ArgumentException error)
        {
            throw new CryptographicException("The key is none of the curve P-256.", error);
        }
    }

    /// <inheritdoc/>
    public override ECParameters ExportParameters(bool includePrivateParameters)
    {
        var point = Public.Q.Normalize();
        return new ECParameters
        {
            Curve = EllipticKeys.P256,
            Q = new ECPoint { X = point.AffineXCoord.GetEncoded(), Y = point.AffineYCoord.GetEncoded() },
            D = includePrivateParameters ? Number(Private.D) : null,
        };
    }

    /// <inheritdoc/>
    public override byte[] SignHash(byte[] hash)
    {
        var signer = new ECDsaSigner(new HMacDsaKCalculator(new Sha256Digest()));
        signer.Init(forSigning: true, Private);
        var numbers = signer.GenerateSignature(hash);
        return [.. Number(numbers[0]), .. Number(numbers[1])];
    }

    /// <inheritdoc/>
    public override bool VerifyHash(byte[] hash, byte[] signature)
    {
        if (signature.Length != 2 * Bytes)
        {
            return false;
        }

        var signer = new ECDsaSigner();
        signer.Init(forSigning: false, Public);
        return signer.VerifySignature(hash, new BigInteger(1, signature, 0, Bytes), new BigInteger(1, signature, Bytes, Bytes));
    }

    /// <inheritdoc/>
    protected override byte[] HashData(byte[] data, int offset, int count, HashAlgorithmName hashAlgorithm) =>
        CryptographicOperations.HashData(hashAlgorithm, data.AsSpan(offset, count));

    private ECPublicKeyParameters Public => _public ?? throw new CryptographicException("There is no key yet.");

    private ECPrivateKeyParameters Private => _private ?? throw new CryptographicException("The key is a public one.");

    private static byte[] Number(BigInteger number)
    {
        var bytes = number.ToByteArrayUnsigned();
        return [.. new byte[Bytes - bytes.Length], .. bytes];
    }

    private static void Check(ECCurve curve)
    {
        if (!curve.IsNamed || (curve.Oid.Value ?? EllipticKeys.P256.Oid.Value) != EllipticKeys.P256.Oid.Value)
        {
            throw new CryptographicException("The key is not of the curve P-256.");
        }
    }
}
