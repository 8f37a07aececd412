using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.World;

namespace Bandejo.Core.Rollouts;

/// <summary>A deployment that only has to be begun: all that takes its time in a large fleet is done, on a world that stood still.</summary>
public sealed class PreparedStart
{
    internal PreparedStart(Outlook outlook, DeploymentEntry entry, FleetWorld still) => (Outlook, Entry, Still) = (outlook, entry, still);

    /// <summary>Whom it reaches.</summary>
    public Outlook Outlook { get; }

    /// <summary>The deployment with its targets, which nobody sees yet.</summary>
    internal DeploymentEntry Entry { get; }

    /// <summary>The world that it was prepared on.</summary>
    internal FleetWorld Still { get; }

    /// <summary>Its targets, as they are kept when it begins.</summary>
    public IEnumerable<Target> Targets => Entry.Targets.All;

    /// <summary>The number under which its targets are kept already; null while they are not, and are kept with its beginning.</summary>
    public long? KeptAhead { get; set; }
}

/// <summary>Starts deployments.</summary>
public static class Starting
{
    /// <summary>Prepares a start; nothing is changed.</summary>
    /// <param name="world">The world, or one that stands still: then nobody waits meanwhile.</param>
    /// <param name="by">Who starts it.</param>
    /// <param name="write">Writes an ask down, to be kept and to be drawn by.</param>
    public static Outcome<PreparedStart> Prepare(FleetWorld world, DeploymentAsk ask, string by, Func<DeploymentAsk, string> write)
    {
        var id = NewId(world);
        var prepared = Previewing.Prepare(world, ask, id, write);
        if (!prepared.Ok)
        {
            return prepared.Failure!;
        }

        var outlook = prepared.Value;
        if (!outlook.CanStart)
        {
            var against = outlook.Findings.Where(finding => !finding.IsWarning).Select(finding => new Finding(finding.Message, finding.Where)).ToList();
            return new Failure(ErrorKind.Conflict, against.Count == 1 ? against[0].Message : $"{against.Count} things stand against starting this.", against);
        }

        var still = world.Still();
        var record = new DeploymentRecord(
            id, outlook.Plan.Name, outlook.Package.Digest, write(outlook.Ask), DeploymentState.Start(outlook.Plan, by, world.Now), outlook.Plan);
        var entry = new DeploymentEntry(record, outlook.Package, row => still.Devices.At(row).Id);
        foreach (var each in outlook.Foreseen)
        {
            // As it is weighed from the start on, while its wave is closed.
            var target = new Target { Device = each.Device.Id, Wave = each.Wave, Since = world.Now, Variant = each.Stand.Variant };
            target = Deployments.Targets.Decide(target, Weighing.WhileClosed(entry, each.Wave, each.Stand, world.Now), world.Now);
            entry.Targets.Put(each.Device.Row, target, null);
        }

        return new PreparedStart(outlook, entry, still);
    }

    /// <summary>
    /// Begins what was prepared. What changed meanwhile is weighed again; a failure of kind <see cref="ErrorKind.Stale"/> says that it must be prepared again.
    /// </summary>
    public static Outcome<DeploymentEntry> Begin(Decision decision, PreparedStart prepared)
    {
        var (world, outlook, entry) = (decision.World, prepared.Outlook, prepared.Entry);
        var (plan, package) = (outlook.Plan, world.Packages.GetValueOrDefault(outlook.Plan.Package));
        if (world.Active.Any(each => each.Plan.Name.Equals(plan.Name, StringComparison.OrdinalIgnoreCase)))
        {
            return new Failure(ErrorKind.Conflict, $"A deployment named '{plan.Name}' is running already; give this one another name, or end that one.");
        }

        if (world.Deployments.ContainsKey(entry.Id) || package?.Record.State != outlook.Package.Record.State || package.IsLetGo
            || plan.Groups.Concat(plan.Except).Any(slug => world.Group(slug) is null))
        {
            return new Failure(ErrorKind.Stale, "What it is about was changed in this moment; look at its preview again.");
        }

        var changed = Changed(world, prepared);
        decision.Attach(entry, prepared.KeptAhead, world.Devices.Differing(prepared.Still.Devices));
        decision.Event(
            "journal", "started",
            $"'{plan.Name}' was started for {Acting.Devices(outlook.Reached)} in {plan.Waves.Count} wave{(plan.Waves.Count == 1 ? "" : "s")}.", null, null,
            entry.Id, decision.By);
        decision.Audit("deployment-started", $"'{plan.Name}' was started.", null, null, entry.Id);
        Weighing.WeighRows(decision, entry, changed.And(world.Columns.Live));

        // It brings what others wait for, also where its own wave is closed.
        Looking.Rivals(decision, entry, entry.Targets.AllRows());
        Looking.Look(decision, entry);
        return entry;
    }

    /// <summary>The rows for which something may be otherwise than when the start was prepared.</summary>
    private static Bitmap Changed(FleetWorld world, PreparedStart prepared)
    {
        var plan = prepared.Outlook.Plan;
        var isOther = !Wishes(world).SequenceEqual(Wishes(prepared.Still));
        var (then, now) = (Weighing.Reach(prepared.Still, plan.Groups, plan.Except), Weighing.Reach(world, plan.Groups, plan.Except));
        return isOther
            ? now.Or(then).And(world.Columns.Live)
            : world.Devices.Differing(prepared.Still.Devices).Or(now.Copy().Except(then)).Or(then.Copy().Except(now)).And(world.Columns.Live);

        // Other deployments, and how they stand.
        static IEnumerable<DeploymentState> Wishes(FleetWorld world) => world.Active.Select(deployment => deployment.State);
    }

    // Short enough to be typed, and rising, so that lists by identity are lists by age.
    private static string NewId(FleetWorld world)
    {
        var highest = world.Deployments.Keys.Select(id => int.Parse(id.AsSpan(1), System.Globalization.CultureInfo.InvariantCulture)).Append(
            Restored.LastDeployment(world)).Max();
        return string.Create(System.Globalization.CultureInfo.InvariantCulture, $"D{highest + 1}");
    }
}
