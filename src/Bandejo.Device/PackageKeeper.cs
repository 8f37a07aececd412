using System.Collections.Concurrent;
using System.Security.Cryptography;
using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Device;
using Bandejo.Core.Packages;
using Bandejo.Packaging;
using Microsoft.IdentityModel.JsonWebTokens;
using Microsoft.IdentityModel.Tokens;

namespace Bandejo.Device;

/// <summary>Fetches packages and believes only those that a trusted key has sealed.</summary>
public sealed class PackageKeeper(IContentCache cache, IServiceLink link, IReadOnlyList<PublicKeyInfo> trusted)
{
    private const int MostRemembered = 10_000;

    private readonly JsonWebTokenHandler _handler = new() { MaximumTokenSizeInBytes = DeviceProtocol.MaxAnswer };
    private readonly HashSet<PackageLink> _sealed = [];
    private readonly ConcurrentDictionary<string, Task> _underway = new(StringComparer.Ordinal);

    /// <summary>
    /// The document of a package, fetched where it is not there yet: its seal is checked first, then its digest, then that this device can carry it out.
    /// </summary>
    /// <exception cref="LinkException">It could not be fetched.</exception>
    /// <exception cref="SealException">No key that this device trusts has sealed it.</exception>
    /// <exception cref="PackageException">It cannot be carried out.</exception>
    public async Task<PackageDocument> Open(PackageLink package, CancellationToken cancellation)
    {
        await CheckSeal(package);
        await Need(package.Digest, Container.MaxDocument, cancellation);
        return Sealed(package);
    }

    /// <summary>As <see cref="Open"/>, and fetches the payload of a variant as far as it is not there yet.</summary>
    /// <inheritdoc cref="Open" path="/exception"/>
    public Task<PackageDocument> Get(PackageLink package, string variant, CancellationToken cancellation) => Get(package, variant, null, cancellation);

    /// <param name="pace">How fast it may come; null for as fast as it comes.</param>
    /// <inheritdoc cref="Get(PackageLink, string, CancellationToken)"/>
    public async Task<PackageDocument> Get(PackageLink package, string variant, FetchPace? pace, CancellationToken cancellation)
    {
        var document = await Open(package, cancellation);
        foreach (var file in VariantOf(document, variant).Files)
        {
            await Need(file.Sha256, file.Size, cancellation, pace);
        }

        return document;
    }

    /// <summary>
    /// The document of a package that was fetched before; null where it is not there, or is none that this device believes and can carry out.
    /// </summary>
    public async Task<PackageDocument?> Known(PackageLink package)
    {
        try
        {
            await CheckSeal(package);
            return cache.Has(package.Digest) ? Sealed(package) : null;
        }
        catch (Exception error) when (error is SealException or PackageException)
        {
            return null;
        }
    }

    /// <summary>Whether all content that a package's variant needs is there.</summary>
    public async Task<bool> Has(PackageLink package, string variant) => await Digests(package, variant) is { Count: > 0 } all && all.All(cache.Has);

    /// <summary>How many bytes of a package's variant are there, and how many it has; null where that is not known yet.</summary>
    public async Task<(long Here, long? All)> Amount(PackageLink package, string variant)
    {
        var files = await Known(package) is { } document ? document.Variants.FirstOrDefault(each => each.Name == variant)?.Files : null;
        return files is null
            ? (0, null)
            : (files.Sum(file => cache.Has(file.Sha256) ? file.Size : Math.Min(file.Size, cache.PartLength(file.Sha256))), files.Sum(file => file.Size));
    }

    /// <summary>All content that a package's variant needs, its document included.</summary>
    public async Task<IReadOnlyList<string>> Digests(PackageLink package, string variant) =>
        await Known(package) is { } document && document.Variants.FirstOrDefault(each => each.Name == variant) is { } found
            ? [package.Digest, .. found.Files.Select(file => file.Sha256)]
            : [];

    /// <summary>The variant of a document.</summary>
    public static DocumentVariant VariantOf(PackageDocument document, string variant) =>
        document.Variants.FirstOrDefault(each => each.Name == variant) ?? throw new PackageException($"The package has no variant '{variant}'.");

    /// <summary>The variant of a document as it was installed.</summary>
    public static DocumentVariant VariantOf(PackageDocument document, Receipt receipt) =>
        Filling.Fill(VariantOf(document, receipt.Variant), receipt.Written ?? Filling.Written(document, null));

    /// <summary>Content as the document of a package.</summary>
    /// <exception cref="PackageException">It is none, or asks for what this device cannot do; says which part.</exception>
    public static PackageDocument Parse(byte[] content)
    {
        var read = DocumentForm.Read(content);
        return read.Ok ? read.Value : throw new PackageException(read.Failure!.Message);
    }

    /// <summary>Every secret that the steps of an order may have printed: its own, and those of what was there before.</summary>
    public async Task<IReadOnlyList<string>> Secrets(Order order, DeviceState state)
    {
        var secrets = new HashSet<string>(StringComparer.Ordinal);
        foreach (
            var (link, had) in new[] { state.Receipts.GetValueOrDefault(order.Package.App), state.Earlier.GetValueOrDefault(order.Package.App) }
                .OfType<Receipt>().Select(receipt => (receipt.Link, receipt.Written)).Append((order.Package, null)))
        {
            if (await Known(link) is { } document)
            {
                secrets.UnionWith(Filling.Secrets(document, had ?? Filling.Written(document, order.Settings)));
            }
        }

        return [.. secrets];
    }

    /// <summary>The list of withdrawn packages, if a trusted key signed it and it is one; null otherwise.</summary>
    public async Task<WithdrawnContent?> ReadWithdrawn(string signed) =>
        await Verified<WithdrawnContent>(signed) is { Use: "withdrawn", Serial: >= 0 } content && content.Digests.All(OrderForm.IsDigest) ? content : null;

    /// <summary>The calendars that rule the device, if a trusted key signed them and they can be held; null otherwise.</summary>
    public async Task<CalendarsContent?> ReadCalendars(string signed) =>
        await Verified<CalendarsContent>(signed) is { Use: "calendars" } content && CalendarForm.Problem(content) is null ? content : null;

    private async Task CheckSeal(PackageLink package)
    {
        // What a seal says never changes, and orders are looked at every few minutes.
        if (_sealed.Contains(package))
        {
            return;
        }

        if (OrderForm.Problem(package) is { } problem)
        {
            throw new SealException($"The order names no package: {problem}");
        }

        var seal = await Verified<SealContent>(package.Seal);
        if (seal is not { Use: "package" } || seal.Digest != package.Digest || seal.App != package.App || seal.Version != package.Version)
        {
            throw new SealException(
                $"The seal of {package.App} {package.Version} does not hold: it is not by a service that this device trusts, or is for another package");
        }

        if (_sealed.Count >= MostRemembered)
        {
            _sealed.Clear();
        }

        _sealed.Add(package);
    }

    /// <summary>The document that a seal was checked for.</summary>
    private PackageDocument Sealed(PackageLink package)
    {
        var document = cache.Document(package.Digest);
        return document.App == package.App && document.Version == package.Version
            ? document
            : throw new SealException($"The package is sealed as {package.App} {package.Version}, but is {document.App} {document.Version}");
    }

    /// <summary>What a trusted key signed; null where none did, or where it is not what it should be.</summary>
    private async Task<T?> Verified<T>(string signed)
        where T : class
    {
        if (!_handler.CanReadToken(signed))
        {
            return null;
        }

        foreach (var key in trusted)
        {
            using var ecdsa = EllipticKeys.Of(key);
            var result = await _handler.ValidateTokenAsync(signed, new TokenValidationParameters
            {
                ValidateIssuer = false,
                ValidateAudience = false,
                ValidateLifetime = false,
                RequireExpirationTime = false,
                IssuerSigningKey = new ECDsaSecurityKey(ecdsa)
                {
                    KeyId = key.KeyId, CryptoProviderFactory = new CryptoProviderFactory { CacheSignatureProviders = false },
                },
                ValidAlgorithms = [SecurityAlgorithms.EcdsaSha256],
            });
            // Whatever cannot be read is simply not valid; the library says so in its result.
            if (result.IsValid)
            {
                try
                {
                    return MessageForm.Read<T>(Base64UrlEncoder.DecodeBytes(_handler.ReadJsonWebToken(signed).EncodedPayload));
                }
                catch (JsonException)
                {
                    return null;
                }
            }
        }

        return null;
    }

    private async Task Need(string sha256, long size, CancellationToken cancellation, FetchPace? pace = null)
    {
        while (!cache.Has(sha256))
        {
            // Two that need the same must not both write at it; whoever comes second waits, and tries it where the first could not.
            var mine = new TaskCompletionSource();
            var underway = _underway.GetOrAdd(sha256, mine.Task);
            if (underway != mine.Task)
            {
                await underway.WaitAsync(cancellation);
                continue;
            }

            try
            {
                await link.Fetch(sha256, size, cache, pace, cancellation);
                return;
            }
            finally
            {
                _underway.TryRemove(sha256, out _);
                mine.SetResult();
            }
        }
    }
}

/// <summary>A package is not what a trusted key sealed.</summary>
public sealed class SealException(string message) : Exception(message);

/// <summary>A package is sealed, but this device cannot carry it out; the message says which part.</summary>
public sealed class PackageException(string message) : Exception(message);
