using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Core.Deployments;
using Bandejo.Core.Rollouts;
using Bandejo.Core.Rules;
using Bandejo.Core.World;

namespace Bandejo.Server.Deployments;

/// <summary>Writes out, step by step, why a device stands where it stands under a deployment.</summary>
internal static class Reasons
{
    public static WhyInfo Of(FleetWorld world, DeploymentEntry deployment, DeviceEntry device)
    {
        var standing = WhyStanding.Of(world, deployment, device);
        IReadOnlyList<string> steps = [.. standing.Steps.Select(Words)];
        return standing.Target is { } target
            ? new WhyInfo(
                device.Id, deployment.Id, $"{device.Name} is {StateNames.Of(target.State)} in '{deployment.Plan.Name}': {target.Reason}.", steps,
                Views.Target(world, deployment, target), [])
            : new WhyInfo(device.Id, deployment.Id, $"{device.Name} is no target of '{deployment.Plan.Name}'.", steps, null, []);
    }

    private static string Words(StandingStep step) => step switch
    {
        GroupStep { Truth: null, Group: var group } => $"the group '{group}' is gone",
        GroupStep { Why: null } listed => $"{Membership(listed)} '{listed.Group}' (listed)",
        GroupStep ruled => $"{Membership(ruled)} '{ruled.Group}'{(ruled.Why!.Length > 0 ? $": {ruled.Why}" : "")}",
        UnsortedStep => "is unsorted: it gets nothing until somebody puts it into a listed group",
        FitStep { Variant: { } variant } => $"fits variant '{variant}' and meets what it requires",
        FitStep fit => fit.Reason.ToString(),
        LackingStep lacking => lacking.Reason.ToString(),
        WaveStep wave => $"is in wave '{wave.Wave}', which {(wave.OpenedAt is null ? "is not open yet" : $"opened {wave.OpenedAt:yyyy-MM-dd HH:mm} UTC")}",
        HoursStep { Why.Code: ReasonCode.OrderOut } open => $"may be changed now{Until(open.Until)}",
        HoursStep { Why.Code: ReasonCode.WindowOpen } open =>
            $"is in its window {string.Join(", ", open.Why.Arguments.Select(name => $"'{name}'"))}{Until(open.Until)}",
        HoursStep closed => $"{closed.Why}{(closed.Until is { } at ? $"; it may be changed from {at:yyyy-MM-dd HH:mm} UTC on" : "")}",
        _ => throw new ArgumentOutOfRangeException(nameof(step)),
    };

    private static string Until(DateTimeOffset? until) => until is { } at ? $", until {at:yyyy-MM-dd HH:mm} UTC" : "";

    private static string Membership(GroupStep step) => step.Truth switch
    {
        Truth.True => step.IsExcept ? "is left out by" : "is in",
        Truth.False => step.IsExcept ? "is not in the excluded" : "is not in",
        _ => "is not known yet to be in",
    };
}
