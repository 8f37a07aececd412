using System.CommandLine;
using Bandejo.Contract;
using Bandejo.Contract.Api;

namespace Bandejo.Cli;

/// <summary><c>bandejo package build</c></summary>
internal static class BuildCommand
{
    private static readonly Argument<string[]> Folders = new("folder")
    {
        Description = "Package folders, each with a package.yaml, or folders of such folders", Arity = ArgumentArity.ZeroOrMore,
        DefaultValueFactory = _ => ["."],
    };
    private static readonly Option<string?> Save = new("--save") { Description = "Keep the package file here as well; for one folder" };
    private static readonly Option<bool> Fresh = new("--fresh")
    {
        Description = "Read every file again, also those that have not changed since their digest was taken",
    };

    public static Command Make() =>
        Shared.Verb("build", "Builds, signs and uploads packages", "package build demo/packages/foldline-7.2.0", async (parsed, client, cancellation) =>
    {
        var folders = parsed.GetValue(Folders)!.SelectMany(FoldersOf).ToList();
        if (folders.Count > 1 && parsed.GetValue(Save) is not null)
        {
            throw new WrongUseException($"--save keeps one package file, and {folders.Count} folders were named.");
        }

        var key = new BuildKey();
        await key.Register(client, cancellation);
        var digests = Digests.Read(parsed.GetValue(Fresh));
        if (folders.Count == 1)
        {
            return await One(folders[0], parsed, client, key, digests, cancellation) is not null ? ExitCode.Done : ExitCode.No;
        }

        // One that cannot be built must not keep the others from it.
        var built = new List<PackageInfo>();
        foreach (var folder in folders)
        {
            try
            {
                if (await One(folder, parsed, client, key, digests, cancellation) is { } package)
                {
                    built.Add(package);
                    continue;
                }

                Console.Error.WriteLine($"{folder} was not built.");
            }
            catch (Exception error) when (error is RefusedException or WrongUseException)
            {
                if (error is RefusedException refused)
                {
                    Findings.Print(refused);
                }

                Console.Error.WriteLine($"{folder} was not built{(error is WrongUseException ? $": {error.Message}" : ".")}");
            }
        }

        if (parsed.GetValue(Shared.Output) == "json")
        {
            Say.Json(built, ContractJson.Default.IReadOnlyListPackageInfo);
        }
        else
        {
            Console.WriteLine(
                $"{built.Count} of {folders.Count} folders: {built.Count(package => package.IsNew)} built, {built.Count(package => !package.IsNew)} there "
                    + $"already, {folders.Count - built.Count} not built.");
        }

        return built.Count == folders.Count ? ExitCode.Done : ExitCode.No;
    }, Folders, Save, Fresh);

    /// <summary>The package folder itself, or those directly below it.</summary>
    private static IEnumerable<string> FoldersOf(string path)
    {
        if (!Directory.Exists(path) || File.Exists(Path.Combine(path, PackageFolder.ManifestName)))
        {
            return [path];
        }

        var below = Directory.EnumerateDirectories(path).Where(folder => File.Exists(Path.Combine(folder, PackageFolder.ManifestName)))
            .Order(StringComparer.Ordinal).ToList();
        return below.Count > 0 ? below : [path];
    }

    private static async Task<PackageInfo?> One(string path, ParseResult parsed, Client client, BuildKey key, Digests digests, CancellationToken cancellation)
    {
        var folder = PackageFolder.Open(path);
        var (check, package) = await Progress.Run(bars => new Building(client, key, digests, bars).Build(folder, parsed.GetValue(Save), cancellation));
        Findings.Print(check.Findings, folder.Manifest, Path.Combine(folder.Path, PackageFolder.ManifestName));
        if (package is null)
        {
            return null;
        }

        if (parsed.GetValue(Shared.Output) == "json")
        {
            if (parsed.GetValue(Folders)!.SelectMany(FoldersOf).Take(2).Count() == 1)
            {
                Say.Json(package, ContractJson.Default.PackageInfo);
            }
        }
        else if (package.IsNew)
        {
            Console.WriteLine(
                $"{package.Name} {package.Version} is built: {package.Digest[..12]}, {package.Files} file{(package.Files == 1 ? "" : "s")}, "
                    + $"{Say.Size(package.Size)}, signed by {package.BuiltBy}.");
            Console.WriteLine($"Next: bandejo package trial {path}, then bandejo package release \"{package.App} {package.Version}\"");
        }
        else
        {
            Console.WriteLine(
                $"{package.Name} {package.Version} with this very content is there already ({package.Digest[..12]}, {package.State}); nothing was changed.");
        }

        return package;
    }
}
