using System.Globalization;
using System.Reflection;
using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Device;
using Bandejo.Device.Trials;

namespace Bandejo.Agent;

/// <summary>What runs inside the sandbox of a trial: the agent's own way of installing, on a machine that is clean.</summary>
internal static class TrialInside
{
    public static async Task<int> Run(string planFile, TimeProvider time, CancellationToken cancellation)
    {
        var plan = JsonSerializer.Deserialize(await File.ReadAllTextAsync(planFile, cancellation), ContractJson.Default.TrialPlan)!;
        plan = plan with { Noise = [.. Noise(), .. plan.Noise] };
        var facts = new LinuxFacts("/");
        var variant = plan.Package.Document.Variants.FirstOrDefault(each => each.Name == plan.Variants[0]);
        if (variant is null)
        {
            Tell(new TrialStepInfo(
                plan.Variants[0], "clean", "failed",
                $"The package has no variant '{plan.Variants[0]}'; it has "
                    + $"{string.Join(", ", plan.Package.Document.Variants.Select(each => $"'{each.Name}'"))}.",
                0, null, []));
            return 1;
        }

        var asked = Filling.Asked(plan);
        if (!asked.Ok)
        {
            await Console.Error.WriteLineAsync(asked.Failure!.Message);
            return TrialSandbox.NotThese;
        }

        plan = plan with { Settings = asked.Value };
        var cache = new FolderCache(Path.Combine(CleanRoot.Inside, "content"));
        foreach (var package in plan.Before.Prepend(plan.Package).Concat(plan.Earlier is { } earlier ? [earlier] : []))
        {
            Fill(cache, package);
        }

        var files = new LinuxFiles("/");
        var processes = new LinuxProcesses("/", CleanRoot.Inside, cache, time);
        var runner = new TrialRunner(
            plan, Filling.Fill(variant, Filling.Written(plan.Package.Document, plan.Settings)),
            Machine("/", files, processes, facts, cache, new SandboxGround(plan.Root)), time, Tell);
        return await runner.Run(cancellation) ? 0 : 1;
    }

    /// <summary>A machine to try a package on.</summary>
    /// <param name="root">The folder that is the machine.</param>
    public static TrialMachine Machine(string root, LinuxFiles files, LinuxProcesses processes, LinuxFacts facts, FolderCache cache, ITrialGround ground)
    {
        var surroundings = new Surroundings(files, processes, new NobodyThere(), facts, new LinuxCompanions(root, cache));
        return new TrialMachine(
            ground, new Prover(files, processes, files, facts, surroundings), files, processes, facts, surroundings) { Payload = cache.Text };
    }

    private static void Tell(TrialStepInfo step) => Console.WriteLine(JsonSerializer.Serialize(step, ContractJson.Default.TrialStepInfo));

    /// <summary>Brings the files of a package into the cache, from which steps take them; links are as good, and take no room.</summary>
    public static void Fill(FolderCache cache, TrialPackage package)
    {
        foreach (var file in package.Document.Variants.SelectMany(each => each.Files).DistinctBy(each => each.Sha256))
        {
            if (!cache.Has(file.Sha256))
            {
                // What the manifest leaves elsewhere was fetched beside the folder's own files, by digest.
                var own = Path.Combine(package.Folder, file.Path);
                File.CreateSymbolicLink(cache.PathOf(file.Sha256), File.Exists(own) ? own : Path.Combine(package.Folder, ".fetched", file.Sha256));
            }
        }
    }

    /// <summary>The patterns of files that any install changes.</summary>
    public static List<string> Noise()
    {
        using var reader = new StreamReader(Assembly.GetExecutingAssembly().GetManifestResourceStream("noise.txt")!);
        return [.. reader.ReadToEnd().Split('\n')];
    }
}
