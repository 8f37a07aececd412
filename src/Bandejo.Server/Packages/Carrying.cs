using System.IO.Compression;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Contract.Device;
using Bandejo.Core;
using Bandejo.Core.Catalogue;
using Bandejo.Core.Packages;
using Bandejo.Core.World;
using Bandejo.Server.Access;
using Bandejo.Server.World;
using Bandejo.Store;

namespace Bandejo.Server.Packages;

/// <summary>Carries packages between services as one file, with the signature of whoever built them and the seal of the service they come from.</summary>
internal sealed class Carrying(WorldHost world, FileStore files, SiteKeys keys)
{
    /// <summary>
    /// Writes a package into a file that goes when it is closed. The form is that of <see cref="Container"/>; what was carried here keeps its first origin.
    /// </summary>
    public Outcome<Stream> Export(string named)
    {
        var found = world.Read(each => Named.Package(each, named));
        if (!found.Ok)
        {
            return found.Failure!;
        }

        var package = found.Value;
        var origin = OriginOf(package);
        if (!origin.Ok)
        {
            return origin.Failure!;
        }

        var stream = new FileStream(Path.GetTempFileName(), FileMode.Create, FileAccess.ReadWrite, FileShare.None, 256 * 1024, FileOptions.DeleteOnClose);
        using (var archive = new ZipArchive(stream, ZipArchiveMode.Create, leaveOpen: true))
        {
            Add(Container.DocumentName, Encoding.UTF8.GetBytes(package.Record.Document));
            Add(Container.SignatureName, Encoding.ASCII.GetBytes(origin.Value.Signature));
            Add(Container.OriginName, JsonSerializer.SerializeToUtf8Bytes(origin.Value.Origin, ContractJson.Default.PackageOrigin));
            foreach (var file in Documents.FilesOf(package.Document).DistinctBy(file => file.Sha256))
            {
                if (files.Find(file.Sha256) is not { } path)
                {
                    stream.Dispose();
                    return new Failure(ErrorKind.Gone, $"The payload file '{file.Path}' is not kept here any more.");
                }

                archive.CreateEntryFromFile(path, Container.FilesFolder + file.Sha256, CompressionLevel.NoCompression);
            }

            void Add(string name, byte[] content)
            {
                using var target = archive.CreateEntry(name, CompressionLevel.Fastest).Open();
                target.Write(content);
            }
        }

        stream.Position = 0;
        return stream;
    }

    /// <summary>
    /// Checks where a carried package comes from: the builder's signature must hold with the key that is named, and so must the seal of the service it left.
    /// Whether to trust either is the decision of who signs for it here.
    /// </summary>
    /// <returns>What to keep of it, and in words.</returns>
    public static async Task<Outcome<(string Kept, string Words)>> Check(Container.Content content)
    {
        var origin = Read(content.Origin);
        if (origin is null)
        {
            return new Failure(
                ErrorKind.Invalid,
                $"The package file does not say who built it: it lacks a readable {Container.OriginName}. Export it anew from the service it comes from.");
        }

        var key = SiteKeys.ReadKey(origin.Key.X, origin.Key.Y);
        if (!key.Ok)
        {
            return key.Failure!;
        }

        var signed = await SiteKeys.VerifyBuild(content.Signature, content.Document, id => id == key.Value.KeyId ? key.Value : null);
        if (!signed.Ok)
        {
            return new Failure(ErrorKind.Invalid, $"The signature of whoever built it does not hold: {signed.Failure!.Message}");
        }

        if (origin.Seal is { } seal)
        {
            var sealKey = origin.SealKey is { } named
                ? SiteKeys.ReadKey(named.X, named.Y)
                : new Failure(ErrorKind.Invalid, "The package file has a seal without its key.");
            var digest = Convert.ToHexStringLower(SHA256.HashData(content.Document));
            if (!sealKey.Ok || !await SiteKeys.HoldsSeal(seal, sealKey.Value, digest))
            {
                return new Failure(
                    ErrorKind.Invalid, "The seal of the service that it comes from does not hold: the file was changed after it left, or its origin was.");
            }
        }

        var words = $"carried here; built{(origin.By is null ? "" : $" by {origin.By}")}"
            + $"{(origin.BuiltAt is { } at ? $" on {at.UtcDateTime:yyyy-MM-dd}" : "")} with the key "
                + $"{key.Value.KeyId[..12]}…{(origin.SealKey is { } from ? $", sealed by the service {from.KeyId[..12]}…" : "")}";
        return (JsonSerializer.Serialize(new KeptOrigin(content.Signature, origin)), words);
    }

    private Outcome<KeptOrigin> OriginOf(PackageEntry package) => world.Read<Outcome<KeptOrigin>>(each =>
    {
        var stored = package.Record;
        if (each.SiteSettings.GetValueOrDefault(PackageLives.OriginOf(stored.Digest)) is { } carried)
        {
            return JsonSerializer.Deserialize<KeptOrigin>(carried)!;
        }

        var id = SiteKeys.Read(stored.Signature)?.Kid;
        return each.Accounts.Values.SelectMany(account => account.SigningKeys).FirstOrDefault(key => key.KeyId == id) is { } key
            ? new KeptOrigin(stored.Signature, new PackageOrigin(
                new PublicKeyInfo(key.KeyId, key.X, key.Y), stored.BuiltBy, stored.BuiltAt, stored.Seal, keys.SealKey))
            : new Failure(
                ErrorKind.Gone,
                $"The key with which {stored.App} {stored.Version} was built is not known here any more, so nobody could check its signature elsewhere.");
    });

    private static PackageOrigin? Read(byte[]? text)
    {
        try
        {
            return text is null ? null
                : JsonSerializer.Deserialize(text, ContractJson.Default.PackageOrigin) is { Key: { X: not null, Y: not null } } origin ? origin
                : null;
        }
        catch (JsonException)
        {
            return null;
        }
    }

    private sealed record KeptOrigin(string Signature, PackageOrigin Origin);
}
