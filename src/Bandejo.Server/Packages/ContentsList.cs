using System.Text.Json.Nodes;
using Bandejo.Core.World;
using Bandejo.Server.World;

namespace Bandejo.Server.Packages;

/// <summary>What is inside a package, in the open form CycloneDX 1.6 (ECMA-424).</summary>
internal static class ContentsList
{
    /// <summary>The media type that the standard registers.</summary>
    public const string MediaType = "application/vnd.cyclonedx+json; version=1.6";

    /// <summary>The list; the same package always gives the same.</summary>
    public static string Of(PackageEntry package)
    {
        var document = package.Document;
        var digest = package.Record.Digest;
        var files = document.Variants.SelectMany(variant => variant.Files.Select(file => (file, variant.Name)))
            .GroupBy(pair => (pair.file.Path, pair.file.Sha256)).OrderBy(group => group.Key.Path, StringComparer.Ordinal);
        var list = new JsonObject
        {
            ["bomFormat"] = "CycloneDX",
            ["specVersion"] = "1.6",
            // A UUID of its own for each package: version 8 (RFC 9562), the rest from the digest.
            ["serialNumber"] = $"urn:uuid:{digest[..8]}-{digest[8..12]}-8{digest[13..16]}-a{digest[17..20]}-{digest[20..32]}",
            ["version"] = 1,
            ["metadata"] = new JsonObject
            {
                ["timestamp"] = package.Record.BuiltAt.UtcDateTime.ToString("yyyy-MM-dd'T'HH:mm:ss'Z'", System.Globalization.CultureInfo.InvariantCulture),
                ["component"] = new JsonObject
                {
                    ["type"] = "application", ["bom-ref"] = digest, ["name"] = document.Name, ["version"] = document.Version,
                    ["publisher"] = document.Publisher, ["description"] = document.Summary, ["hashes"] = Hashes(digest),
                },
            },
            ["components"] = new JsonArray([.. files.Select(group => (JsonNode)new JsonObject
            {
                ["type"] = "file", ["bom-ref"] = $"{group.Key.Path}#{group.Key.Sha256[..12]}", ["name"] = group.Key.Path, ["hashes"] = Hashes(group.Key.Sha256),
                ["properties"] = new JsonArray([
                    new JsonObject
                    {
                        ["name"] = "bandejo:size", ["value"] = group.First().file.Size.ToString(System.Globalization.CultureInfo.InvariantCulture),
                    },
                    .. group.Select(pair => (JsonNode)new JsonObject { ["name"] = "bandejo:variant", ["value"] = pair.Name })]),
            })]),
        };
        return list.ToJsonString(
            new System.Text.Json.JsonSerializerOptions
            {
                WriteIndented = true, Encoder = System.Text.Encodings.Web.JavaScriptEncoder.UnsafeRelaxedJsonEscaping,
            });
    }

    private static JsonArray Hashes(string sha256) => [new JsonObject { ["alg"] = "SHA-256", ["content"] = sha256 }];
}
