using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Core.Deployments;
using Bandejo.Core.Rollouts;
using Bandejo.Core.Rules;
using Bandejo.Core.World;
using Bandejo.Server.World;

namespace Bandejo.Server.Deployments;

/// <summary>Says, step by step, why a device stands where it stands under a deployment.</summary>
internal static class Reasons
{
    public static WhyInfo Of(FleetWorld world, DeploymentEntry deployment, DeviceEntry device)
    {
        var plan = deployment.Plan;
        var steps = new List<string>();
        foreach (var slug in plan.Groups)
        {
            steps.Add(Group(world, slug, device, "is in", "is not in"));
        }

        foreach (var slug in plan.Except)
        {
            steps.Add(Group(world, slug, device, "is left out by", "is not in the excluded"));
        }

        if (!device.Record.IsSorted)
        {
            steps.Add("is unsorted: it gets nothing until somebody puts it into a listed group");
        }

        var target = deployment.Targets.Of(device);
        if (target is null)
        {
            return new WhyInfo(device.Id, deployment.Id, $"{device.Name} is no target of '{plan.Name}'.", steps, null, []);
        }

        var fit = world.FitOf(deployment.Package, device.Row);
        steps.Add(fit.Event == TargetEvent.Due ? $"fits variant '{fit.Variant}' and meets what it requires" : fit.Reason.ToString());
        if (Needing.Lacking(world, deployment.Package, device) is { } lacking)
        {
            steps.Add(lacking.Reason.ToString());
        }

        if (target.Wave >= 0)
        {
            var wave = deployment.State.Waves[target.Wave];
            steps.Add($"is in wave '{plan.Waves[target.Wave].Name}', which {(wave.OpenedAt is null ? "is not open yet" : $"opened {wave.OpenedAt:yyyy-MM-dd HH:mm} UTC")}");
        }

        return new WhyInfo(device.Id, deployment.Id, $"{device.Name} is {StateNames.Of(target.State)} in '{plan.Name}': {target.Reason}.", steps, Views.Target(world, deployment, target), []);
    }

    private static string Group(FleetWorld world, string slug, DeviceEntry device, string isIn, string isOut)
    {
        if (!world.Groups.TryGetValue(slug, out var group))
        {
            return $"the group '{slug}' is gone";
        }

        if (group.Rule is not { } rule)
        {
            return $"{(group.In[device.Row] ? isIn : isOut)} '{slug}' (listed)";
        }

        var verdict = rule.Evaluate(world.Columns.Row(device.Row));
        var word = verdict.Truth switch { Truth.True => isIn, Truth.False => isOut, _ => "is not known yet to be in" };
        return $"{word} '{slug}'{(verdict.Why.Length > 0 ? $": {verdict.Why}" : "")}";
    }
}
