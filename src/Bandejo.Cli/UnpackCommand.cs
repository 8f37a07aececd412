using System.CommandLine;
using System.IO.Compression;
using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Device;
using Bandejo.Core;

namespace Bandejo.Cli;

/// <summary><c>bandejo package unpack</c>: a package of the catalogue as a folder again, to look into or to make the next version from.</summary>
internal static class UnpackCommand
{
    private static readonly Argument<string> Package = new("package") { Description = "A digest or its beginning, 'app version', or an app" };
    private static readonly Argument<string> Folder = new("folder") { Description = "The folder to make" };

    public static Command Make() =>
        Shared.Verb(
            "unpack", "Writes a package as a folder again, its manifest and its files", "package unpack \"foldline 7.1.0\" foldline-7.1.0",
            async (parsed, client, cancellation) =>
    {
        var folder = parsed.GetValue(Folder)!;
        await Write(client, parsed.GetValue(Package)!, folder, cancellation);
        Console.WriteLine(
            $"{Path.Combine(folder, PackageFolder.ManifestName)} and its files are written. Comments of the manifest it was built from are not in a "
                + $"package; all else is.");
        return ExitCode.Done;
    }, Package, Folder);

    /// <summary>Writes a package as a folder.</summary>
    /// <exception cref="WrongUseException">The folder is there and not empty, or what came is no package file.</exception>
    public static async Task Write(Client client, string package, string folder, CancellationToken cancellation)
    {
        if (Directory.Exists(folder) && Directory.EnumerateFileSystemEntries(folder).Any())
        {
            throw new WrongUseException($"{folder} is there already; nothing was changed.");
        }

        var address = $"/api/v1/packages/{Uri.EscapeDataString(package)}";
        var manifest = await client.Text(address + "/manifest", cancellation);
        await using var file = new FileStream(
            Path.GetTempFileName(), FileMode.Open, FileAccess.ReadWrite, FileShare.None, 128 * 1024, FileOptions.DeleteOnClose);
        await client.Save(address + "/file", file, cancellation);
        file.Position = 0;
        try
        {
            using var archive = new ZipArchive(file, ZipArchiveMode.Read);
            using var document = archive.GetEntry("package.json")?.Open() ?? throw new InvalidDataException("it lacks package.json");
            var read = JsonSerializer.Deserialize(document, ContractJson.Default.PackageDocument) ?? throw new InvalidDataException("package.json is empty");
            Directory.CreateDirectory(folder);
            foreach (var each in read.Variants.SelectMany(variant => variant.Files).Concat(read.Icon is null ? [] : [read.Icon]).DistinctBy(each => each.Path))
            {
                var entry = archive.GetEntry("files/" + each.Sha256);
                var path = Path.GetFullPath(Path.Combine(folder, each.Path));
                if (!path.StartsWith(Path.GetFullPath(folder) + Path.DirectorySeparatorChar, StringComparison.Ordinal) || entry is null)
                {
                    throw new InvalidDataException($"it lacks '{each.Path}', or that is no path in a package");
                }

                Directory.CreateDirectory(Path.GetDirectoryName(path)!);
                entry.ExtractToFile(path);
                if (each.IsExecutable && !OperatingSystem.IsWindows())
                {
                    File.SetUnixFileMode(path, File.GetUnixFileMode(path) | UnixFileMode.UserExecute | UnixFileMode.GroupExecute | UnixFileMode.OtherExecute);
                }
            }
        }
        catch (Exception error) when (error is InvalidDataException or JsonException)
        {
            throw new WrongUseException($"What the service sent is not a whole package file: {Troubles.InWords(error)}.");
        }

        // Last: a folder with a manifest is a whole one.
        await File.WriteAllTextAsync(Path.Combine(folder, PackageFolder.ManifestName), manifest, cancellation);
    }
}
