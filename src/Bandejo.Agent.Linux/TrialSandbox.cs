using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Api;

namespace Bandejo.Agent;

/// <summary>Runs a trial on a clean root of this machine for each variant, without network, terminal, display or user.</summary>
internal static class TrialSandbox
{
    /// <summary>Ends well, but a step did not hold.</summary>
    private const int DidNotHold = 1;

    /// <summary>The program inside ends so where the package has not the settings that were asked for; it says which.</summary>
    public const int NotThese = 2;

    /// <summary>Runs the plan in a sandbox for each of its variants; what the inside tells goes to standard output.</summary>
    public static async Task<int> Run(string planFile, CancellationToken cancellation)
    {
        var plan = JsonSerializer.Deserialize(await File.ReadAllTextAsync(planFile, cancellation), ContractJson.Default.TrialPlan)
            ?? throw new InvalidDataException("The plan of the trial is empty.");
        var held = true;
        foreach (var variant in plan.Variants.Count > 0 ? plan.Variants : [.. plan.Package.Document.Variants.Select(each => each.Name)])
        {
            held &= await RunOne(plan with { Variants = [variant] }, cancellation);
        }

        return held ? 0 : DidNotHold;
    }

    private static async Task<bool> RunOne(TrialPlan plan, CancellationToken cancellation)
    {
        var packages = plan.Before.Prepend(plan.Package).Concat(plan.Earlier is { } earlier ? [earlier] : []).ToList();
        var placed = packages.ToDictionary(each => each.Folder, each => $"{CleanRoot.Inside}/packages/{packages.IndexOf(each)}", StringComparer.Ordinal);
        TrialPackage Moved(TrialPackage each) => each with { Folder = placed[each.Folder] };
        var inside = plan with
        {
            Package = Moved(plan.Package), Earlier = plan.Earlier is { } before ? Moved(before) : null, Before = [.. plan.Before.Select(Moved)],
        };
        var (code, errors) = await CleanRoot.Run(
            new CleanRootUse(
                ["trial"], JsonSerializer.Serialize(inside, ContractJson.Default.TrialPlan), placed, new Dictionary<string, string>(), plan.HasNetwork,
                HasTerminal: false, (plan.Root ?? "").TrimEnd('/')),
            cancellation);
        return code switch
        {
            0 => true,
            DidNotHold => false,
            NotThese => throw new InvalidDataException(errors),
            _ =>
                throw new InvalidDataException(
                    $"The sandbox of the trial did not come to its end: {CleanRoot.HowItEnded(code)}{(errors.Length == 0 ? "." : $": {errors}")}"),
        };
    }
}
