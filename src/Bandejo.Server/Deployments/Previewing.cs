using System.Globalization;
using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Core.Deployments;
using Bandejo.Core.Packages;
using Bandejo.Core.Rules;
using Bandejo.Core.Versions;
using Bandejo.Server.Http;
using Bandejo.Server.Packages;
using Bandejo.Server.World;

namespace Bandejo.Server.Deployments;

/// <summary>Works out whom a deployment would reach, who not and why, before anything is saved. Starting goes through the same code.</summary>
internal static class Previewing
{
    private const int SampleSize = 8;

    /// <summary>What was found, with the plan and the wave of each device when nothing stands against a start.</summary>
    public sealed record Prepared(DeploymentPreview Preview, DeploymentPlan Plan, PackageEntry Package, IReadOnlyDictionary<string, int> Waves);

    public static Outcome<Prepared> Prepare(FleetWorld world, DeploymentRequest request, string id)
    {
        var found = Catalogue.Find(world, request.Package);
        if (!found.Ok)
        {
            return found.Failure!;
        }

        var package = found.Value;
        var read = Planning.Read(request, id, package);
        if (!read.Ok)
        {
            return read.Failure!;
        }

        var plan = read.Value;
        foreach (var slug in plan.Groups.Concat(plan.Except).Concat(plan.Waves.Select(wave => wave.Pick.Group).OfType<string>()))
        {
            if (Groups.GroupRoutes.Find(world, slug) is { Ok: false } missing)
            {
                return missing.Failure!;
            }
        }

        var findings = new List<Finding>();
        CheckPackage(world, plan, package, findings);
        var outs = new Dictionary<string, List<string>>(StringComparer.Ordinal);
        var effects = new Dictionary<string, int>(StringComparer.Ordinal);
        var inScope = new List<DeviceEntry>();
        var reached = new List<DeviceEntry>();
        Exclusions(world, plan, outs);
        foreach (var device in world.Devices.Values.Where(device => !device.Stored.IsSorted && plan.Groups.Any(slug => world.Groups[slug].In[device.Row])))
        {
            Out(outs, "Unsorted: nobody has put it into a listed group yet", device.Name);
        }

        foreach (var row in Engine.Scope(world, plan.Groups, plan.Except).Rows())
        {
            var device = world.DevicesByRow[row];
            inScope.Add(device);
            var fit = Targeting.Weigh(package.Variants, world.Columns.Row(row));
            if (fit.Event == TargetEvent.Due || (plan.Wish == Wish.Gone && fit.Event == TargetEvent.Blocked))
            {
                var effect = Effect(plan, Engine.InstalledVersion(world, device, plan.App));
                effects[effect] = effects.GetValueOrDefault(effect) + 1;
                reached.Add(device);
            }
            else
            {
                Out(outs, fit.Condition, device.Name);
            }
        }

        foreach (var group in world.Groups.Where(pair => plan.Groups.Contains(pair.Key)))
        {
            foreach (var row in group.Value.NotKnown.Rows())
            {
                Out(outs, $"Not known yet whether it is in '{group.Key}'", world.DevicesByRow[row].Name);
            }
        }

        Contests(world, plan, reached, findings);
        findings.AddRange(plan.Wish == Wish.Gone ? [] : Needing.Findings(world, package, reached));
        var waves = WavePicks.Assign([.. inScope.Select(device => device.Id)], [.. plan.Waves.Select(wave => wave.Pick)], (group, device) => Engine.IsIn(world, group, device), plan.Id);
        var previews = WavePreviews(world, plan, waves, findings);
        var unpicked = inScope.Where(device => waves[device.Id] < 0).ToList();
        if (unpicked.Count > 0)
        {
            findings.Add(new Finding($"{unpicked.Count} of {inScope.Count} devices are picked by no wave ({string.Join(", ", unpicked.Take(3).Select(device => device.Name))}{(unpicked.Count > 3 ? ", …" : "")}). Add a last wave 'everyone else', or leave them out with an excluded group.", "waves"));
        }

        if (reached.Count == 0)
        {
            findings.Add(new Finding(inScope.Count == 0 ? "No device is in the groups." : $"None of the {inScope.Count} devices in the groups would be reached as they are now.", "groups") { IsWarning = inScope.Count > 0 });
        }

        var preview = new DeploymentPreview(
            plan.Name, $"{package.Document.Name} {package.Stored.Version} ({package.Stored.Digest[..12]}, {Words.Of(package.Stored.State)})", findings.TrueForAll(finding => finding.IsWarning),
            [.. findings.Select(Problems.Info)], reached.Count, previews,
            [.. effects.OrderByDescending(pair => pair.Value).Select(pair => new CountInfo(pair.Key, pair.Value))],
            [.. outs.OrderByDescending(pair => pair.Value.Count).Select(pair => new OutInfo(pair.Key, pair.Value.Count, [.. pair.Value.Take(SampleSize)]))],
            Spread(world, reached));
        return new Prepared(preview, plan, package, waves);
    }

    private static void CheckPackage(FleetWorld world, DeploymentPlan plan, PackageEntry package, List<Finding> findings)
    {
        var state = package.Stored.State;
        if (package.IsRetired)
        {
            findings.Add(new Finding($"{package.Document.Name} {package.Stored.Version} was retired; its files are not kept any more. Build or import it again, and it can be deployed again.", "package"));
        }

        if (state == PackageState.Withdrawn && plan.Wish != Wish.Gone)
        {
            findings.Add(new Finding($"{package.Document.Name} {package.Stored.Version} was withdrawn; it can only be taken away (wish 'gone').", "package"));
        }
        else if (state is PackageState.Built or PackageState.Tried && plan.Wish != Wish.Gone)
        {
            var others = plan.Groups.Where(slug => !world.Groups[slug].Stored.IsForTesting).ToList();
            findings.Add(others.Count > 0
                ? new Finding($"{package.Document.Name} {package.Stored.Version} is not released; it reaches only groups marked for testing, and {string.Join(", ", others)} {(others.Count == 1 ? "is" : "are")} not. Release it first.", "package")
                : new Finding($"{package.Document.Name} {package.Stored.Version} is not released; the groups are marked for testing.", "package") { IsWarning = true });
        }

        if (plan.Settings.Count > 0 && package.Document.Variants.Any(variant => variant.Change is null))
        {
            findings.Add(new Finding($"The package has a variant without a 'change' step: a device that has {plan.Version} already keeps the settings it has, and counts as met.", "settings") { IsWarning = true });
        }

        if (plan.Wish == Wish.Gone && package.Document.Variants.Any(variant => variant.Remove is null))
        {
            findings.Add(new Finding($"{package.Document.Name} {package.Stored.Version} has a variant without a 'remove' step; it cannot be taken away with it.", "package"));
        }

        if (plan.Wish != Wish.Gone && package.Document.Variants.Any(variant => variant.Remove is null))
        {
            findings.Add(new Finding("The package has a variant without a 'remove' step: devices that had nothing before cannot be rolled back.", "package") { IsWarning = true });
        }
    }

    private static void Exclusions(FleetWorld world, DeploymentPlan plan, Dictionary<string, List<string>> outs)
    {
        var all = Engine.Scope(world, plan.Groups, []);
        foreach (var slug in plan.Except)
        {
            foreach (var row in world.Groups[slug].In.Copy().And(all).Rows())
            {
                Out(outs, $"Left out by '{slug}'", world.DevicesByRow[row].Name);
            }

            foreach (var row in world.Groups[slug].NotKnown.Copy().And(all).Rows())
            {
                Out(outs, $"Not known yet whether '{slug}' leaves it out, so it does", world.DevicesByRow[row].Name);
            }
        }
    }

    private static void Contests(FleetWorld world, DeploymentPlan plan, IReadOnlyList<DeviceEntry> reached, List<Finding> findings)
    {
        foreach (var other in world.Deployments.Values.Where(each => each.IsActive && each.Plan.App == plan.App && (each.Plan.Wish == Wish.Gone) != (plan.Wish == Wish.Gone) && each.Plan.Priority == plan.Priority))
        {
            var both = reached.Where(device => other.Targets.Of(device) is { } target && target.State is not (TargetState.Left or TargetState.NotNeeded)).Select(device => device.Name).ToList();
            if (both.Count > 0)
            {
                findings.Add(new Finding($"'{other.Plan.Name}' wants the opposite of {both.Count} of these devices ({string.Join(", ", both.Take(3))}{(both.Count > 3 ? ", …" : "")}). End it, exclude them, or give one of the two a higher priority.", "priority"));
            }
        }
    }

    private static List<WavePreview> WavePreviews(FleetWorld world, DeploymentPlan plan, IReadOnlyDictionary<string, int> waves, List<Finding> findings)
    {
        var previews = new List<WavePreview>();
        for (var i = 0; i < plan.Waves.Count; i++)
        {
            var wave = plan.Waves[i];
            var devices = waves.Where(pair => pair.Value == i).Select(pair => world.Devices[pair.Key].Name).Order(StringComparer.Ordinal).ToList();
            var arithmetic = wave.Gate is { } gate ? Sentences.Arithmetic(gate, devices.Count) : null;
            if (wave.Gate?.Count > devices.Count)
            {
                findings.Add(new Finding($"The gate behind '{wave.Name}' asks for {wave.Gate.Count} met, but the wave has only {devices.Count}.", $"waves[{i}].gate"));
            }

            if (devices.Count == 0)
            {
                findings.Add(new Finding($"Wave '{wave.Name}' picks no device; somebody will have to advance it.", $"waves[{i}].pick") { IsWarning = true });
            }

            previews.Add(new WavePreview(wave.Name, wave.Pick.ToString(), devices.Count, wave.Gate?.ToString(), arithmetic, [.. devices.Take(SampleSize)]));
        }

        return previews;
    }

    private static List<CountInfo> Spread(FleetWorld world, IEnumerable<DeviceEntry> reached) =>
        [.. reached.GroupBy(device => $"{world.Fact(device, "kind") ?? "kind not known"}, {world.Fact(device, "model") ?? "model not known"}").OrderByDescending(group => group.Count()).Take(20).Select(group => new CountInfo(group.Key, group.Count()))];

    private static string Effect(DeploymentPlan plan, string? installed)
    {
        if (plan.Wish == Wish.Gone)
        {
            return installed switch { null => "not known yet", "" => "nothing (not there)", _ => "leave" };
        }

        if (string.IsNullOrEmpty(installed))
        {
            return installed is null ? "not known yet" : "enter";
        }

        var order = AppVersion.Parse(installed).CompareTo(plan.Version);
        return order switch
        {
            < 0 => "upgrade",
            0 => "nothing (there already)",
            _ => plan.AllowsDowngrade ? "downgrade" : "nothing (newer is there)",
        };
    }

    private static void Out(Dictionary<string, List<string>> outs, string reason, string device)
    {
        if (!outs.TryGetValue(reason, out var list))
        {
            outs[reason] = list = [];
        }

        if (list.Count == 0 || list[^1] != device)
        {
            list.Add(device);
        }
    }
}
