using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Contract.Device;
using Bandejo.Core;
using Bandejo.Core.Catalogue;
using Bandejo.Core.Deployments;
using Bandejo.Core.Packages;
using Bandejo.Core.World;
using Bandejo.Server.Access;
using Bandejo.Server.Deployments;
using Bandejo.Server.World;
using Bandejo.Store;

namespace Bandejo.Server.Packages;

/// <summary>Trials of packages, as they are told and kept.</summary>
internal static class KeptTrials
{
    private static readonly Dictionary<string, TrialState> States = Enum.GetValues<TrialState>().ToDictionary(StateNames.Of, StringComparer.Ordinal);

    /// <summary>Keeps all steps of a trial as content, and tells what they came to.</summary>
    public static TrialTold Told(FileStore files, TrialReport report)
    {
        var steps = report.Steps.Where(step => States.ContainsKey(step.State)).Select(step => (step.Name, States[step.State], step.Says)).ToList();
        var isInForm = report.Steps.Count is > 0 and <= 500 && steps.Count == report.Steps.Count && report.Machine.Length <= 200
            && report.Steps.All(
                step =>
                    step.Says.Length <= 4000 && step.Name.Length <= 100 && step.Variant.Length <= 100 && step.Log.Count <= 200
                        && step.Log.All(line => line.Length <= 4000));
        return new TrialTold(
            report.Machine, steps, isInForm ? null : $"A trial has 1 to 500 steps, each {string.Join(", ", States.Keys)}, and names the machine it ran on.",
            files.Keep(JsonSerializer.SerializeToUtf8Bytes(report, ContractJson.Default.TrialReport)));
    }

    /// <summary>All steps of a trial that is kept with a package.</summary>
    public static Outcome<TrialReport> Trial(FleetWorld world, FileStore files, string named, string trial)
    {
        var found = Named.Package(world, named);
        if (!found.Ok)
        {
            return found.Failure!;
        }

        // Only what the history names: other content is none of the asker's business here.
        return found.Value.Record.History.Any(step => step.Trial == trial) && files.Find(trial) is { } path
            ? JsonSerializer.Deserialize(File.ReadAllBytes(path), ContractJson.Default.TrialReport)!
            : new Failure(ErrorKind.NotFound, $"No trial '{trial}' is kept with {found.Value.Title}.");
    }
}
