using System.CommandLine;
using System.IO.Compression;
using System.Security.Cryptography;
using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Core;

namespace Bandejo.Cli;

/// <summary><c>bandejo package export</c> and <c>import</c>: a package as one file, from one service to another.</summary>
internal static class CarryCommands
{
    private const int MostDocument = 4 * 1024 * 1024;

    private static readonly Argument<string> Package = new("package") { Description = "A digest or its beginning, 'app version', or an app" };
    private static readonly Argument<string> Target = new("file") { Description = "The file to write" };
    private static readonly Argument<string> Source = new("file") { Description = "A package file that another service exported" };

    public static Command Export() =>
        Shared.Verb(
            "export", "Writes a package into one file, with the signature of whoever built it, to be carried to another service",
            "package export \"foldline 7.2.0\" foldline-7.2.0.zip", async (parsed, client, cancellation) =>
    {
        var path = Path.GetFullPath(parsed.GetValue(Target)!);
        if (File.Exists(path))
        {
            throw new WrongUseException($"{path} is there already; nothing was changed.");
        }

        var part = path + ".part";
        try
        {
            await using (var file = new FileStream(part, FileMode.Create, FileAccess.Write))
            {
                await client.Save($"/api/v1/packages/{Uri.EscapeDataString(parsed.GetValue(Package)!)}/file", file, cancellation);
            }

            File.Move(part, path);
        }
        finally
        {
            File.Delete(part);
        }

        Console.WriteLine(
            $"{path} is written, {Say.Size(new FileInfo(path).Length)}. Next, signed in at the other service: bandejo package import "
                + $"{parsed.GetValue(Target)}");
        return ExitCode.Done;
    }, Package, Target);

    public static Command Import() =>
        Shared.Verb(
            "import", "Takes in a package that another service exported; you vouch for it with your own key", "package import foldline-7.2.0.zip",
            async (parsed, client, cancellation) =>
    {
        var path = parsed.GetValue(Source)!;
        if (!File.Exists(path))
        {
            throw new WrongUseException($"There is no file {path}.");
        }

        await using var file = File.OpenRead(path);
        var (document, app, version) = Read(file, path);
        var keys = new BuildKey();
        await keys.Register(client, cancellation);
        var signature = keys.Sign(Convert.ToHexStringLower(SHA256.HashData(document)), app, version);
        file.Position = 0;
        var package = await Progress.Run(async bars =>
        {
            var upload = await Uploading.Send(client, file, null, bars.Add("Upload", file.Length), cancellation);
            client.TakesLong();
            return await client.Post(
                "/api/v1/packages", new PackageRequest(upload, signature), ContractJson.Default.PackageRequest, ContractJson.Default.PackageInfo, cancellation);
        });
        Console.WriteLine(package.IsNew
            ? $"{package.Name} {package.Version} is taken in ({package.Digest[..12]}); bandejo package show \"{package.App} {package.Version}\" says where "
                + $"it comes from. It counts as built: try it here, then release it."
            : $"{package.Name} {package.Version} with this very content is there already ({package.Digest[..12]}, {package.State}); nothing was changed.");
        return ExitCode.Done;
    }, Source);

    private static (byte[] Document, string App, string Version) Read(FileStream file, string path)
    {
        try
        {
            using var archive = new ZipArchive(file, ZipArchiveMode.Read, leaveOpen: true);
            if (archive.GetEntry("package.json") is { Length: > 0 and <= MostDocument } entry)
            {
                using var source = entry.Open();
                var bytes = new byte[entry.Length];
                source.ReadExactly(bytes);
                var document = JsonSerializer.Deserialize(bytes, ContractJson.Default.PackageDocument);
                if (document is { App.Length: > 0, Version.Length: > 0 })
                {
                    return (bytes, document.App, document.Version);
                }
            }
        }
        catch (Exception error) when (error is InvalidDataException or EndOfStreamException or JsonException)
        {
            throw new WrongUseException($"{path} is not a whole package file: {Troubles.InWords(error)}.");
        }

        throw new WrongUseException($"{path} is not a package file: it lacks package.json.");
    }
}
