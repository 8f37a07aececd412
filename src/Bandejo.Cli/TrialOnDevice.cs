using System.CommandLine;
using System.IO.Compression;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Api;

namespace Bandejo.Cli;

/// <summary>Tries a package on an enrolled device that is kept for testing, and shows the steps when the device has told of them.</summary>
internal static class TrialOnDevice
{
    private static readonly TimeSpan Pace = TimeSpan.FromSeconds(1);

    /// <summary>Asks for the trial, waits for its end, and prints it.</summary>
    /// <param name="named">A package folder that was built, or a package of the catalogue.</param>
    public static async Task<int> Run(ParseResult parsed, Client client, string device, string named, string? from, CancellationToken cancellation)
    {
        var request = new DeviceTrialRequest(
            await PackageOf(named, client, cancellation), from is null ? null : await PackageOf(from, client, cancellation), SettingOptions.Read(parsed),
            parsed.GetValue(SettingOptions.Preset));
        var path = $"/api/v1/devices/{Uri.EscapeDataString(device)}/trial";
        var trial = await client.Post(path, request, ContractJson.Default.DeviceTrialRequest, ContractJson.Default.DeviceTrialInfo, cancellation);
        var said = "";
        while (trial.State != "ended")
        {
            var now = trial.State == "waiting"
                ? $"Waiting for {trial.Device}, which checks in every {Say.Length(TimeSpan.FromSeconds(trial.CheckInSeconds))} and was "
                    + $"{(trial.LastHeard is { } heard ? $"last heard {Say.When(heard)}" : "never heard")}. "
                    + "The result is kept with the package; you need not wait for it."
                : $"{trial.Device} is at it since {Say.When(trial.BeganAt!.Value)}.";
            if (now != said)
            {
                Console.Error.WriteLine(said = now);
            }

            await Task.Delay(Pace, cancellation);
            var next = await client.Get(path, ContractJson.Default.DeviceTrialInfo, cancellation);
            if (next.Id != trial.Id)
            {
                throw new WrongUseException($"Another trial was asked of {trial.Device} meanwhile, by {next.By}.");
            }

            trial = next with { LastHeard = next.State == "waiting" ? trial.LastHeard : next.LastHeard };
        }

        var steps = trial.Kept is null
            ? null
            : await client.Get($"/api/v1/packages/{trial.Package}/trials/{trial.Kept}", ContractJson.Default.TrialReport, cancellation);
        if (parsed.GetValue(Shared.Output) != "table")
        {
            Say.Json(steps ?? new TrialReport(trial.Device, []), ContractJson.Default.TrialReport);
        }
        else
        {
            steps?.Steps.ToList().ForEach(TrialCommand.Tell);
            Console.WriteLine($"\n{trial.Says.TrimEnd('.')}. It is kept with the package: bandejo package show {trial.Package[..12]} --trials");
        }

        return trial.HasPassed ? ExitCode.Done : ExitCode.No;
    }

    /// <summary>Brings the files of a package of the catalogue into a folder of this machine, so that it can be tried here.</summary>
    public static async Task<(TrialPackage Package, string Document)> Unpacked(string named, Client client, CancellationToken cancellation)
    {
        await using var file = PackageFile.Passing();
        await client.Save($"/api/v1/packages/{Uri.EscapeDataString(named)}/file", file, cancellation);
        file.Position = 0;
        using var archive = new ZipArchive(file, ZipArchiveMode.Read);
        using var reader = new StreamReader(archive.GetEntry("package.json")!.Open(), Encoding.UTF8);
        var text = await reader.ReadToEndAsync(cancellation);
        var document = JsonSerializer.Deserialize(text, ContractJson.Default.PackageDocument)!;
        var folder = Directory.CreateTempSubdirectory("bandejo-package-").FullName;
        foreach (var each in document.Variants.SelectMany(variant => variant.Files).DistinctBy(each => each.Path))
        {
            var target = Path.GetFullPath(Path.Combine(folder, each.Path));
            if (!target.StartsWith(folder + "/", StringComparison.Ordinal))
            {
                throw new WrongUseException($"The package names the file '{each.Path}', which climbs out of its folder.");
            }

            Directory.CreateDirectory(Path.GetDirectoryName(target)!);
            archive.GetEntry($"files/{each.Sha256}")!.ExtractToFile(target);
        }

        return (new TrialPackage(document, folder), text);
    }

    /// <summary>The digest of what a folder was built to, or the words that name a package.</summary>
    private static async Task<string> PackageOf(string named, Client client, CancellationToken cancellation)
    {
        if (!Directory.Exists(named))
        {
            return named;
        }

        var (package, document) = await TrialCommand.Checked(named, client, cancellation);
        if (package is null)
        {
            throw new WrongUseException($"{named} has errors; mend them first.");
        }

        var digest = Convert.ToHexStringLower(SHA256.HashData(Encoding.UTF8.GetBytes(document)));
        try
        {
            return (await client.Get($"/api/v1/packages/{digest}", ContractJson.Default.PackageDetails, cancellation)).Package.Digest;
        }
        catch (RefusedException refused) when (refused.Problem.Status == 404)
        {
            throw new WrongUseException(
                $"A device fetches what it tries from the service, and this content of {named} is not built yet. First: bandejo package build {named}");
        }
    }
}
