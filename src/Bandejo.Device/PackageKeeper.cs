using System.Security.Cryptography;
using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Device;
using Microsoft.IdentityModel.JsonWebTokens;
using Microsoft.IdentityModel.Tokens;

namespace Bandejo.Device;

/// <summary>Fetches packages and believes only those that a trusted key has sealed.</summary>
public sealed class PackageKeeper(IContentCache cache, IServiceLink link, IReadOnlyList<PublicKeyInfo> trusted)
{
    private readonly JsonWebTokenHandler _handler = new();

    /// <summary>Fetches document and payload of a package as far as they are not there yet.</summary>
    /// <exception cref="LinkException">Not all could be fetched.</exception>
    /// <exception cref="SealException">The package is not what a trusted key sealed.</exception>
    public async Task<PackageDocument> Get(PackageLink package, string variant, CancellationToken cancellation)
    {
        await CheckSeal(package);
        await Need(package.Digest, cancellation);
        var document = cache.Document(package.Digest);
        foreach (var file in VariantOf(document, variant).Files)
        {
            await Need(file.Sha256, cancellation);
        }

        return document;
    }

    /// <summary>The document of a package that was fetched before; null where it is not there.</summary>
    public PackageDocument? Known(string digest) => cache.Has(digest) ? cache.Document(digest) : null;

    /// <summary>All content that a package's variant needs, its document included.</summary>
    public IEnumerable<string> Digests(Receipt receipt) =>
        Known(receipt.Link.Digest) is { } document ? [receipt.Link.Digest, .. VariantOf(document, receipt.Variant).Files.Select(file => file.Sha256)] : [];

    /// <summary>The variant of a document.</summary>
    public static DocumentVariant VariantOf(PackageDocument document, string variant) =>
        document.Variants.FirstOrDefault(each => each.Name == variant) ?? throw new SealException($"The package has no variant '{variant}'.");

    /// <summary>The variant of a document as it was installed.</summary>
    public static DocumentVariant VariantOf(PackageDocument document, Receipt receipt) => Filling.Fill(VariantOf(document, receipt.Variant), receipt.Written ?? Filling.Written(document, null));

    /// <summary>Content as the document of a package.</summary>
    /// <exception cref="SealException">There is nothing in it.</exception>
    public static PackageDocument Parse(byte[] content) =>
        JsonSerializer.Deserialize(content, ContractJson.Default.PackageDocument) ?? throw new SealException("The package document is empty.");

    /// <summary>Every secret that the steps of an order may have printed: its own, and those of what was there before.</summary>
    public IReadOnlyList<string> Secrets(Order order, DeviceState state)
    {
        var before = new[] { state.Receipts.GetValueOrDefault(order.Package.App), state.Earlier.GetValueOrDefault(order.Package.App) }.OfType<Receipt>().Select(receipt => (receipt.Link.Digest, receipt.Written));
        return [.. before.Append((order.Package.Digest, null)).SelectMany(pair => Known(pair.Digest) is { } document ? Filling.Secrets(document, pair.Written ?? Filling.Written(document, order.Settings)) : []).Distinct()];
    }

    /// <summary>The list of withdrawn packages, if a trusted key signed it; null otherwise.</summary>
    public async Task<WithdrawnContent?> ReadWithdrawn(string signed)
    {
        var json = await Verified(signed);
        var content = json is null ? null : JsonSerializer.Deserialize(json, ContractJson.Default.WithdrawnContent);
        return content is { Use: "withdrawn" } ? content : null;
    }

    private async Task CheckSeal(PackageLink package)
    {
        var json = await Verified(package.Seal);
        var seal = json is null ? null : JsonSerializer.Deserialize(json, ContractJson.Default.SealContent);
        if (seal is not { Use: "package" } || seal.Digest != package.Digest || seal.App != package.App || seal.Version != package.Version)
        {
            throw new SealException($"The seal of {package.App} {package.Version} does not hold: it is not by a service that this device trusts, or is for another package");
        }
    }

    private async Task<string?> Verified(string signed)
    {
        if (!_handler.CanReadToken(signed))
        {
            return null;
        }

        foreach (var key in trusted)
        {
            using var ecdsa = ECDsa.Create(new ECParameters { Curve = ECCurve.NamedCurves.nistP256, Q = new ECPoint { X = Base64UrlEncoder.DecodeBytes(key.X), Y = Base64UrlEncoder.DecodeBytes(key.Y) } });
            var result = await _handler.ValidateTokenAsync(signed, new TokenValidationParameters
            {
                ValidateIssuer = false,
                ValidateAudience = false,
                ValidateLifetime = false,
                RequireExpirationTime = false,
                IssuerSigningKey = new ECDsaSecurityKey(ecdsa) { KeyId = key.KeyId, CryptoProviderFactory = new CryptoProviderFactory { CacheSignatureProviders = false } },
                ValidAlgorithms = [SecurityAlgorithms.EcdsaSha256],
            });
            // Whatever cannot be read is simply not valid; the library says so in its result.
            if (result.IsValid)
            {
                return Base64UrlEncoder.Decode(_handler.ReadJsonWebToken(signed).EncodedPayload);
            }
        }

        return null;
    }

    private async Task Need(string sha256, CancellationToken cancellation)
    {
        if (!cache.Has(sha256))
        {
            await link.Fetch(sha256, cache, cancellation);
        }
    }
}

/// <summary>A package is not what a trusted key sealed.</summary>
public sealed class SealException(string message) : Exception(message);
