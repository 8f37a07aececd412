using System.Security.Cryptography;
using System.Text;
using Bandejo.Contract.Device;
using Microsoft.IdentityModel.JsonWebTokens;
using Microsoft.IdentityModel.Tokens;
using Xunit;

namespace Bandejo.Device.Tests;

/// <summary>Keys where the operating system has none are worth what its own are, and are the same to everybody else.</summary>
public sealed class EllipticKeyTests
{
    private static readonly byte[] Text = Encoding.UTF8.GetBytes("sample");

    public static TheoryData<string, string> Pairs { get; } = new() { { "system", "managed" }, { "managed", "system" }, { "managed", "managed" } };

    [Theory]
    [MemberData(nameof(Pairs))]
    public void What_one_signs_the_other_believes_and_nothing_else(string signs, string believes)
    {
        for (var number = 0; number < 20; number++)
        {
            using var key = Made(signs);
            key.GenerateKey(EllipticKeys.P256);
            using var known = Made(believes);
            known.ImportParameters(key.ExportParameters(includePrivateParameters: false));
            var signature = key.SignData(Text, HashAlgorithmName.SHA256);
            Assert.Equal(64, signature.Length);
            Assert.True(known.VerifyData(Text, signature, HashAlgorithmName.SHA256));
            Assert.False(known.VerifyData((byte[])[.. Text, 0], signature, HashAlgorithmName.SHA256));
            signature[number * 3] ^= 1;
            Assert.False(known.VerifyData(Text, signature, HashAlgorithmName.SHA256));
        }
    }

    [Theory]
    [MemberData(nameof(Pairs))]
    public void What_one_has_written_down_the_other_reads(string writes, string reads)
    {
        using var key = Made(writes);
        key.GenerateKey(EllipticKeys.P256);
        using var read = Made(reads);
        read.ImportFromPem(key.ExportPkcs8PrivateKeyPem());
        Assert.Equal(HttpLink.PublicOf(key), HttpLink.PublicOf(read));
        Assert.True(key.VerifyData(Text, read.SignData(Text, HashAlgorithmName.SHA256), HashAlgorithmName.SHA256));
    }

    [Fact]
    public async Task Tokens_are_signed_and_checked_with_them()
    {
        using var key = new ManagedEcdsa();
        key.GenerateKey(EllipticKeys.P256);
        using var known = ECDsa.Create(key.ExportParameters(includePrivateParameters: false));
        var factory = new CryptoProviderFactory { CacheSignatureProviders = false };
        var token = new JsonWebTokenHandler().CreateToken(
            "{}", new SigningCredentials(new ECDsaSecurityKey(key) { CryptoProviderFactory = factory }, SecurityAlgorithms.EcdsaSha256));
        var result = await new JsonWebTokenHandler().ValidateTokenAsync(token, new TokenValidationParameters
        {
            ValidateIssuer = false, ValidateAudience = false, ValidateLifetime = false, RequireExpirationTime = false,
            IssuerSigningKey = new ECDsaSecurityKey(known) { CryptoProviderFactory = factory },
        });
        Assert.True(result.IsValid);
    }

    // RFC 6979, A.2.5: P-256 with SHA-256, message "sample".
    [Fact]
    public void It_signs_as_the_standard_says()
    {
        using var key = new ManagedEcdsa();
        key.ImportParameters(new ECParameters
        {
            Curve = EllipticKeys.P256, D = Convert.FromHexString("C9AFA9D845BA75166B5C215767B1D6934E50C3DB36E89B127B8A622B120F6721"),
        });
        Assert.Equal("60FED4BA255A9D31C961EB74C6356D68C049B8923B61FA6CE669622E60F29FB6", Convert.ToHexString(key.ExportParameters(false).Q.X!));
        Assert.Equal(
            "EFD48B2AACB6A8FD1140DD9CD45E81D69D2C877B56AAF991C34D0EA84EAF3716" + "F7CB1C942D657C41D436C7A1B6E29F65F3E900DBB9AFF4064DC4AB2F843ACDA8",
            Convert.ToHexString(key.SignData(Text, HashAlgorithmName.SHA256)));
    }

    [Fact]
    public void No_signature_of_another_form_holds()
    {
        using var key = new ManagedEcdsa();
        key.GenerateKey(EllipticKeys.P256);
        var order = Convert.FromHexString("FFFFFFFF00000000FFFFFFFFFFFFFFFFBCE6FAADA7179E84F3B9CAC2FC632551");
        var signature = key.SignData(Text, HashAlgorithmName.SHA256);
        byte[][] forms = [
            [], new byte[64], [.. order, .. order], signature[..63], [.. signature, 0], [.. signature[..32], .. new byte[32]],
            key.SignData(Text, HashAlgorithmName.SHA256, DSASignatureFormat.Rfc3279DerSequence)];
        Assert.All(forms, form => Assert.False(key.VerifyData(Text, form, HashAlgorithmName.SHA256)));
    }

    [Fact]
    public void What_is_no_key_of_the_curve_is_refused()
    {
        using var key = new ManagedEcdsa();
        Assert.Throws<CryptographicException>(() => key.SignHash(new byte[32]));
        Assert.Throws<CryptographicException>(() => key.GenerateKey(ECCurve.NamedCurves.nistP384));
        foreach (var (x, y) in new[] { (new byte[32], new byte[32]), (Filled(255), Filled(255)), (Filled(1), Filled(2)), (Filled(1)[..31], Filled(2)) })
        {
            Assert.Throws<CryptographicException>(() => key.ImportParameters(
                new ECParameters { Curve = EllipticKeys.P256, Q = new ECPoint { X = x, Y = y } }));
        }

        Assert.Throws<CryptographicException>(() => key.ImportParameters(new ECParameters { Curve = EllipticKeys.P256, D = Filled(255) }));
        Assert.Throws<CryptographicException>(() => key.ImportParameters(new ECParameters { Curve = EllipticKeys.P256, D = new byte[32] }));
        Assert.ThrowsAny<Exception>(() => EllipticKeys.Of(new PublicKeyInfo("k", "AAAA", "AAAA")));
    }

    private static ECDsa Made(string kind) => kind == "system" ? ECDsa.Create() : new ManagedEcdsa();

    private static byte[] Filled(byte with)
    {
        var bytes = new byte[32];
        bytes.AsSpan().Fill(with);
        return bytes;
    }
}
