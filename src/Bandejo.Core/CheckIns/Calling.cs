using Bandejo.Core.Deployments;
using Bandejo.Core.World;

namespace Bandejo.Core.CheckIns;

/// <summary>Says who is to be asked to check in now, and writes down that somebody asked.</summary>
public static class Calling
{
    private const string What = "check-in-asked";

    /// <summary>One device, by its identity.</summary>
    public static Outcome<string> Device(Decision decision, string named)
    {
        var device = Named.Device(decision.World, named);
        if (!device.Ok)
        {
            return device.Failure!;
        }

        decision.Audit(What, $"{device.Value.Name} was asked to check in.", null, device.Value.Id);
        return device.Value.Id;
    }

    /// <summary>All devices of a group, by their identities.</summary>
    public static Outcome<IReadOnlyList<string>> Group(Decision decision, string named)
    {
        var group = Named.Group(decision.World, named);
        if (!group.Ok)
        {
            return group.Failure!;
        }

        string[] devices = [.. group.Value.In.Rows().Select(row => decision.World.Devices.At(row).Id)];
        decision.Audit(What, $"The {devices.Length} devices of '{group.Value.Record.Slug}' were asked to check in.");
        return devices;
    }

    /// <summary>The devices of a deployment that are not done, by their identities.</summary>
    public static Outcome<IReadOnlyList<string>> Deployment(Decision decision, string named)
    {
        var found = Named.Deployment(decision.World, named);
        if (!found.Ok)
        {
            return found.Failure!;
        }

        var deployment = found.Value;
        string[] devices = [.. deployment.Targets.With(TargetTraits.With(TargetTrait.Open)).Select(target => target.Device)];
        decision.Audit(What, $"The {devices.Length} devices of '{deployment.Plan.Name}' that are not done were asked to check in.", null, null, deployment.Id);
        return devices;
    }
}
