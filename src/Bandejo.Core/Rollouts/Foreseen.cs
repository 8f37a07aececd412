using Bandejo.Core.Deployments;
using Bandejo.Core.Packages;
using Bandejo.Core.Rules;
using Bandejo.Core.Versions;
using Bandejo.Core.World;

namespace Bandejo.Core.Rollouts;

/// <summary>What would come of a deployment for one device that it reaches.</summary>
public enum Effect
{
    /// <summary>It would get the app, which it does not have.</summary>
    Enter,

    /// <summary>It would get a newer version.</summary>
    Upgrade,

    /// <summary>It would get an older version.</summary>
    Downgrade,

    /// <summary>It would lose the app.</summary>
    Leave,

    /// <summary>Its user may take it.</summary>
    Offered,

    /// <summary>It has this version.</summary>
    HasIt,

    /// <summary>It has a newer version, which is left alone.</summary>
    HasNewer,

    /// <summary>It does not have what would be taken away.</summary>
    HasNone,

    /// <summary>It has not said what it has.</summary>
    NotKnown,
}

/// <summary>Where one device would stand under a deployment that was not started yet, as soon as its wave opens. Decided by what weighs it then.</summary>
/// <param name="Wave">The wave that picks it; -1 for none.</param>
/// <param name="Stand">What would happen to its target, and whether the package itself can be there.</param>
/// <param name="Effect">What would come of it for the device; null where it is not reached.</param>
public sealed record Foreseen(DeviceEntry Device, int Wave, Stand Stand, Effect? Effect)
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

    /// <summary>Looks at all devices that it reaches as if every wave were open.</summary>
    /// <param name="waves">The wave of each of them; -1 for none.</param>
    public static IReadOnlyList<Foreseen> Of(
        FleetWorld world, DeploymentPlan plan, PackageEntry package, IReadOnlyList<DeviceEntry> inReach, int[] waves)
    {
        var open = DeploymentState.Start(plan, "", world.Now);
        open = open with { Waves = [.. open.Waves.Select(wave => wave with { OpenedAt = world.Now })] };
        var draft = new DeploymentEntry(new DeploymentRecord(plan.Id, plan.Name, plan.Package, "", open, plan), package, row => world.Devices.At(row).Id);
        var answers = new AskedOfAll(package.Variants, world.Columns);
        return [.. inReach.Select((device, at) =>
        {
            answers.Row = device.Row;
            var fit = Targeting.Weigh(package.Variants, answers, () => world.Columns.Row(device.Row));
            var wave = waves[at];
            // Who is picked by no wave is told of elsewhere; it is looked at as if the first had it.
            var stand = Weighing.Stands(world, draft, device, new TargetPlace(Math.Max(0, wave)), isIn: true, world.Now, fit);
            var foreseen = new Foreseen(device, wave, stand, null);
            return foreseen.IsReached ? foreseen with { Effect = EffectOn(plan, world.App(device, plan.App)) } : foreseen;
        })];
    }

    private static Effect EffectOn(DeploymentPlan plan, FactLookup installed)
    {
        if (plan.Wish == Wish.Gone)
        {
            return installed.Value is not null ? Rollouts.Effect.Leave : installed.IsAbsent ? Rollouts.Effect.HasNone : Rollouts.Effect.NotKnown;
        }

        var order = installed.Value?.Version?.CompareTo(plan.Version) ?? -1;
        return order switch
        {
            0 => Rollouts.Effect.HasIt,
            > 0 when !plan.AllowsDowngrade => Rollouts.Effect.HasNewer,
            _ when plan.Wish == Wish.Choice => Rollouts.Effect.Offered,
            > 0 => Rollouts.Effect.Downgrade,
            _ => installed.Value is not null ? Rollouts.Effect.Upgrade : installed.IsAbsent ? Rollouts.Effect.Enter : Rollouts.Effect.NotKnown,
        };
    }
}
