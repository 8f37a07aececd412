using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Api;

namespace Bandejo.Agent;

/// <summary>Runs a command that somebody answers on a clean root of this machine, and finds out what it did there.</summary>
internal static class CaptureSandbox
{
    /// <summary>Where the inside finds the folder of the installer, and where what is captured goes.</summary>
    public const string Media = CleanRoot.Inside + "/media";

    public const string Into = CleanRoot.Inside + "/captured";

    /// <summary>Where the inside finds this machine's folders as they are without the layer.</summary>
    public const string Beneath = CleanRoot.Inside + "/beneath";

    public static async Task<int> Run(string planFile, CancellationToken cancellation)
    {
        var plan = JsonSerializer.Deserialize(await File.ReadAllTextAsync(planFile, cancellation), ContractJson.Default.CapturePlan)
            ?? throw new InvalidDataException("The plan of the capture is empty.");
        var placed = new Dictionary<string, string>(StringComparer.Ordinal) { [plan.Folder] = Media };
        var packages = new List<TrialPackage>();
        foreach (var package in plan.Before)
        {
            placed.TryAdd(package.Folder, $"{CleanRoot.Inside}/packages/{packages.Count}");
            packages.Add(package with { Folder = placed[package.Folder] });
        }

        foreach (var folder in CleanRoot.Layered)
        {
            placed[$"/{folder}"] = $"{Beneath}/{folder}";
        }

        var inside = plan with { Folder = Media, Into = Into, Before = packages };
        var (code, _) = await CleanRoot.Run(
            new CleanRootUse(
                ["capture"], JsonSerializer.Serialize(inside, ContractJson.Default.CapturePlan), placed, new Dictionary<string, string> { [plan.Into] = Into },
                plan.HasNetwork, HasTerminal: true),
            cancellation);
        return code;
    }
}
