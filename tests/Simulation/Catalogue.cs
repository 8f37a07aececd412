using System.Security.Cryptography;
using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Device;
using Bandejo.Core.Packages;
using Bandejo.Core.World;
using Microsoft.IdentityModel.JsonWebTokens;
using Microsoft.IdentityModel.Tokens;

namespace Bandejo.Simulation.Tests;

/// <summary>The packages of all simulations: made and sealed once, since only what devices do with them differs.</summary>
internal static class Catalogue
{
    private static readonly ECDsa Key = ECDsa.Create(ECCurve.NamedCurves.nistP256);
    private static readonly Dictionary<string, byte[]> Contents = new(StringComparer.Ordinal);
    private static readonly Dictionary<string, string> Payloads = new(StringComparer.Ordinal);
    private static readonly Dictionary<string, string> Withdrawn = new(StringComparer.Ordinal);

    /// <summary>What the service seals with.</summary>
    public static PublicKeyInfo SealKey { get; } = PublicOf(Key);

    /// <summary>
    /// Three versions of each of three apps; one needs another first, one has versions that cannot be taken away, one puts back by itself what it replaced.
    /// </summary>
    public static IReadOnlyList<PackageRecord> Packages { get; } = [.. new[] { "ink", "kite", "loom" }.SelectMany(app => new[] { "1.0", "2.0", "3.0" }.Select(
        version => Make(app, version)))];

    /// <summary>The file of a package, by the digests of both; null for no such package.</summary>
    public static string? PayloadOf(string package) => Payloads.GetValueOrDefault(package);

    /// <summary>A file by its digest; null for none.</summary>
    public static byte[]? Content(string sha256) => Contents.GetValueOrDefault(sha256);

    /// <summary>Signed calendars.</summary>
    public static string SignCalendars(CalendarsContent content) => Sign(JsonSerializer.Serialize(content, ContractJson.Default.CalendarsContent));

    /// <summary>A signed list of withdrawn packages.</summary>
    public static string SignWithdrawn(long serial, IReadOnlyList<string> digests)
    {
        var json = JsonSerializer.Serialize(new WithdrawnContent("withdrawn", serial, digests), ContractJson.Default.WithdrawnContent);
        return Withdrawn.TryGetValue(json, out var signed) ? signed : Withdrawn[json] = Sign(json);
    }

    private static PackageRecord Make(string app, string version)
    {
        var payload = Add(System.Text.Encoding.UTF8.GetBytes($"the files of {app} {version}"));
        var step = new DocumentStep(["put"], 600, 120, true, new Dictionary<string, string>());
        var variant = new DocumentVariant(
            "all", "yes", version == "3.0" ? "memory >= 8 GiB" : "yes", [new DocumentFile("setup", payload.Length, payload.Digest, true)], [], step,
            app == "loom" && version == "2.0" ? null : step with { Run = ["remove"] },
            [new DocumentCheck("version-in", $"opt/{app}/VERSION", [], null, null, null)], app == "ink");
        var document = new PackageDocument(
            1, app, char.ToUpperInvariant(app[0]) + app[1..], version, "", "", "", [], [variant], null, null, null,
            app == "kite" ? [new DocumentNeed("ink", "1.0")] : null);
        var (digest, _) = Add(JsonSerializer.SerializeToUtf8Bytes(document, ContractJson.Default.PackageDocument));
        Payloads[digest] = payload.Digest;
        var seal = Sign(JsonSerializer.Serialize(new SealContent("package", digest, app, version), ContractJson.Default.SealContent));
        return new PackageRecord(digest, app, version, System.Text.Encoding.UTF8.GetString(Contents[digest]), "", seal, "", default, PackageState.Built, []);
    }

    private static (string Digest, int Length) Add(byte[] content)
    {
        var digest = Convert.ToHexStringLower(SHA256.HashData(content));
        Contents[digest] = content;
        return (digest, content.Length);
    }

    private static string Sign(string json) =>
        new JsonWebTokenHandler { SetDefaultTimesOnTokenCreation = false }
            .CreateToken(json, new SigningCredentials(new ECDsaSecurityKey(Key), SecurityAlgorithms.EcdsaSha256));

    private static PublicKeyInfo PublicOf(ECDsa key)
    {
        var point = key.ExportParameters(false).Q;
        return new PublicKeyInfo("seal", Base64UrlEncoder.Encode(point.X), Base64UrlEncoder.Encode(point.Y));
    }
}
