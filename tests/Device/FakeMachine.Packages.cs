using System.Security.Cryptography;
using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Device;

namespace Bandejo.Device.Tests;

/// <summary>This part makes the packages that its service serves.</summary>
public sealed partial class FakeMachine
{
    /// <summary>A package that the service serves and has sealed; or, where told so, sealed by somebody else.</summary>
    public PackageLink Package(string version, string install = "put", bool isForged = false)
    {
        var step = new DocumentStep([install], 60, 1, true, new Dictionary<string, string>());
        return Serve(
            new PackageDocument(1, "foldline", "Foldline", version, "", "", "", [], [new DocumentVariant(
                "linux", "yes", "yes", [], [], step, step with { Run = ["take"] },
                [new DocumentCheck("version-in", "opt/foldline/VERSION", [], null, null, null)], true)]),
            isForged);
    }

    /// <summary>
    /// A package of version 7.2.0 with a text <c>site</c> (HQ unless set) and a secret <c>licence</c>; with a step that changes them, where told so.
    /// </summary>
    public PackageLink PackageWithSettings(string? change = "set")
    {
        var step = new DocumentStep(
            ["put", "--site=@{site}"], 60, 1, true, new Dictionary<string, string>(), new Dictionary<string, string> { ["KEY"] = "@{licence}" },
            new Dictionary<string, string> { ["a.ini"] = "s=@{site}\nl=@{licence}" });
        return Serve(new PackageDocument(
            1, "foldline", "Foldline", "7.2.0", "", "", "", [],
            [new DocumentVariant(
                "linux", "yes", "yes", [], [], step, step with { Run = ["take", "@{site}"], Environment = null, Answers = null },
                [new DocumentCheck("version-in", "opt/foldline/VERSION", [], null, null, null)], true, null,
                change is null ? null : step with { Run = [change, "@{site}"], Answers = null })],
            null, [new DocumentSetting("site", "text", "", "HQ"), new DocumentSetting("licence", "secret", "", null)]));
    }

    /// <summary>A package whose one variant the test makes out of a plain one.</summary>
    public PackageLink PackageWith(string version, Func<DocumentVariant, DocumentVariant> change, string app = "foldline")
    {
        var step = new DocumentStep(["put"], 60, 1, true, new Dictionary<string, string>());
        return Serve(new PackageDocument(1, app, "Foldline", version, "", "", "", [], [change(
            new DocumentVariant(
                "linux", "yes", "yes", [], [], step, step with { Run = ["take"] },
                [new DocumentCheck("version-in", "opt/foldline/VERSION", [], null, null, null)], true))]));
    }

    /// <summary>A package with a file of so many bytes.</summary>
    public PackageLink PackageWithFile(string version, int size)
    {
        var bytes = new byte[size];
        bytes.AsSpan().Fill((byte)version[0]);
        var digest = Convert.ToHexStringLower(SHA256.HashData(bytes));
        _served[digest] = bytes;
        _payload.Add(digest);
        return PackageWith(version, variant => variant with { Files = [new DocumentFile("setup", size, digest, false)] });
    }

    /// <summary>A step that runs one of the machine's commands.</summary>
    public static DocumentStep Step(string command) => new([command], 60, 1, true, new Dictionary<string, string>());

    private PackageLink Serve(PackageDocument document, bool isForged = false)
    {
        var version = document.Version;
        var bytes = JsonSerializer.SerializeToUtf8Bytes(document, ContractJson.Default.PackageDocument);
        var digest = Convert.ToHexStringLower(SHA256.HashData(bytes));
        _served[digest] = bytes;
        using var stranger = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        return new PackageLink(digest, document.App, version, Sign(
            JsonSerializer.Serialize(new SealContent("package", digest, document.App, version), ContractJson.Default.SealContent),
            isForged ? stranger : _sealKey));
    }
}
