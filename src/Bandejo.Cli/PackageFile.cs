using System.IO.Compression;
using System.Security.Cryptography;
using System.Text;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Microsoft.IdentityModel.JsonWebTokens;
using Microsoft.IdentityModel.Tokens;

namespace Bandejo.Cli;

/// <summary>The key with which this person builds packages; made at first need, kept in the folder of the command line's own files.</summary>
internal sealed class BuildKey
{
    private readonly ECDsa _key = ECDsa.Create(ECCurve.NamedCurves.nistP256);

    public BuildKey()
    {
        var file = Path.Combine(Kept.Folder, "build-key.pem");
        if (File.Exists(file))
        {
            _key.ImportFromPem(File.ReadAllText(file));
        }
        else
        {
            Kept.WriteSecret(file, _key.ExportPkcs8PrivateKeyPem());
        }

        var point = _key.ExportParameters(includePrivateParameters: false).Q;
        (X, Y) = (Base64UrlEncoder.Encode(point.X), Base64UrlEncoder.Encode(point.Y));
    }

    private string X { get; }

    private string Y { get; }

    /// <summary>Has the service know this key as one of whoever is signed in, with a proof that they have it.</summary>
    public async Task Register(Client client, CancellationToken cancellation)
    {
        var session = await client.Get("/api/v1/session", ContractJson.Default.SessionInfo, cancellation);
        var proof = Token(new Dictionary<string, object> { ["use"] = "signing-key", ["account"] = session.Account });
        await client.Post(
            "/api/v1/account/signing-keys", new SigningKeyRequest(X, Y, proof), ContractJson.Default.SigningKeyRequest, ContractJson.Default.SigningKeyInfo,
            cancellation);
    }

    /// <summary>A compact JWS (RFC 7515) over digest, app and version, with the key's RFC 7638 thumbprint as <c>kid</c>.</summary>
    public string Sign(string digest, string app, string version) =>
        Token(new Dictionary<string, object> { ["digest"] = digest, ["app"] = app, ["version"] = version });

    private string Token(Dictionary<string, object> claims)
    {
        var thumbprint = SHA256.HashData(Encoding.ASCII.GetBytes($$"""{"crv":"P-256","kty":"EC","x":"{{X}}","y":"{{Y}}"}"""));
        var handler = new JsonWebTokenHandler { SetDefaultTimesOnTokenCreation = false };
        var key = new ECDsaSecurityKey(_key) { KeyId = Base64UrlEncoder.Encode(thumbprint) };
        return handler.CreateToken(new SecurityTokenDescriptor
        {
            Claims = claims,
            SigningCredentials = new SigningCredentials(key, SecurityAlgorithms.EcdsaSha256),
        });
    }
}

/// <summary>Writes the one file in which a package travels; see docs/design/package-format.md.</summary>
internal static class PackageFile
{
    // What is packed already only costs time when it is packed again.
    private static readonly string[] Packed = [
        ".zip", ".gz", ".xz", ".zst", ".bz2", ".7z", ".deb", ".rpm", ".msi", ".msix", ".cab", ".png", ".jpg", ".jar", ".exe"];

    /// <summary>A file that vanishes when it is closed.</summary>
    public static FileStream Passing() =>
        new(Path.GetTempFileName(), FileMode.Create, FileAccess.ReadWrite, FileShare.None, 256 * 1024, FileOptions.DeleteOnClose);

    /// <summary>Writes document, signature and files, and returns the stream at its beginning.</summary>
    /// <param name="files">Those that are to be in it.</param>
    public static FileStream Write(
        PackageFolder folder, PackageCheckAnswer answer, IReadOnlyList<FileInfoDto> files, BuildKey key, FileStream stream, Action<long> advance)
    {
        var document = Encoding.UTF8.GetBytes(answer.Document!);
        using (var archive = new ZipArchive(stream, ZipArchiveMode.Create, leaveOpen: true))
        {
            Add(archive, "package.json", document);
            Add(archive, "package.jws", Encoding.ASCII.GetBytes(key.Sign(Convert.ToHexStringLower(SHA256.HashData(document)), answer.App!, answer.Version!)));
            var buffer = new byte[256 * 1024];
            foreach (var file in files.DistinctBy(file => file.Sha256))
            {
                var level = Packed.Contains(Path.GetExtension(file.Path).ToLowerInvariant()) ? CompressionLevel.NoCompression : CompressionLevel.Fastest;
                using var target = archive.CreateEntry("files/" + file.Sha256, level).Open();
                using var source = folder.OpenFile(file);
                for (int read; (read = source.Read(buffer)) > 0; advance(read))
                {
                    target.Write(buffer, 0, read);
                }
            }
        }

        stream.Position = 0;
        return stream;
    }

    private static void Add(ZipArchive archive, string name, byte[] content)
    {
        using var target = archive.CreateEntry(name, CompressionLevel.Fastest).Open();
        target.Write(content);
    }
}
