using Bandejo.Core.Deployments;
using Bandejo.Core.Packages;
using Bandejo.Core.Rules;
using Bandejo.Core.Versions;
using Bandejo.Core.World;

namespace Bandejo.Core.Rollouts;

/// <summary>Where one device would stand under a deployment that was not started yet, as soon as its wave opens. Decided by what weighs it then.</summary>
/// <param name="Wave">The wave that picks it; -1 for none.</param>
/// <param name="Stand">What would happen to its target, and whether the package itself can be there.</param>
/// <param name="Effect">What would come of it for the device; empty where it is not reached.</param>
public sealed record Foreseen(DeviceEntry Device, int Wave, Stand Stand, string Effect)
{
    public TargetEvent Event => Stand.Happening.Event;

    public bool Fits => Stand.Fits;

    /// <summary>Why it is not reached, without what this device has; where it yields, to whom.</summary>
    public Reason WhyNot => Stand.Happening.Reason.WithoutWhatItHas();

    /// <summary>It gets an order, or has already what that asks for.</summary>
    public bool IsReached => Event is TargetEvent.Due or TargetEvent.OnShelf or TargetEvent.Held;

    /// <summary>Why it is not reached, in words.</summary>
    public string SaysWhyNot => Event == TargetEvent.Yielded ? $"Yields: {WhyNot}" : WhyNot.ToString();

    /// <summary>Whether the gate of its wave counts it.</summary>
    public bool IsCounted(Gate? gate) => Counting.IsCounted(TargetTable.Decide(TargetState.Unknown, Event), gate);

    /// <summary>Whether the gate of its wave may come to count it as met, as things are.</summary>
    public bool CanBeMet(Gate? gate) => IsCounted(gate) && Event is TargetEvent.Due or TargetEvent.Held or TargetEvent.NotMeant;

    /// <summary>Looks at all devices in scope as if every wave were open.</summary>
    public static IReadOnlyList<Foreseen> Of(FleetWorld world, DeploymentPlan plan, PackageEntry package, IReadOnlyList<DeviceEntry> inScope, IReadOnlyDictionary<string, int> waves)
    {
        var open = DeploymentState.Start(plan, "", world.Now);
        open = open with { Waves = [.. open.Waves.Select(wave => wave with { OpenedAt = world.Now })] };
        var draft = new DeploymentEntry(new DeploymentRecord(plan.Id, plan.Name, plan.Package, "", open, plan), package, row => world.Devices.At(row).Id);
        var answers = new AskedOfAll(package.Variants, world.Columns);
        return [.. inScope.Select(device =>
        {
            answers.Row = device.Row;
            var fit = Targeting.Weigh(package.Variants, answers, () => world.Columns.Row(device.Row));
            var wave = waves[device.Id];
            // Who is picked by no wave is told of elsewhere; it is looked at as if the first had it.
            var stand = Weighing.Stands(world, draft, device, new Standing(Math.Max(0, wave)), isIn: true, world.Now, fit);
            var foreseen = new Foreseen(device, wave, stand, "");
            return foreseen.IsReached ? foreseen with { Effect = EffectOn(plan, world.App(device, plan.App)) } : foreseen;
        })];
    }

    private static string EffectOn(DeploymentPlan plan, FactLookup installed)
    {
        if (plan.Wish == Wish.Gone)
        {
            return installed.Value is not null ? "leave" : installed.IsAbsent ? "nothing (not there)" : "not known yet";
        }

        var order = installed.Value?.Version?.CompareTo(plan.Version) ?? -1;
        return order switch
        {
            0 => "nothing (there already)",
            > 0 when !plan.AllowsDowngrade => "nothing (newer is there)",
            _ when plan.Wish == Wish.Choice => "offered",
            > 0 => "downgrade",
            _ => installed.Value is not null ? "upgrade" : installed.IsAbsent ? "enter" : "not known yet",
        };
    }
}
