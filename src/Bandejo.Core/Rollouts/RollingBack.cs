using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.Packages;
using Bandejo.Core.Rules;
using Bandejo.Core.Versions;
using Bandejo.Core.World;

namespace Bandejo.Core.Rollouts;

/// <summary>What somebody asks for who wants devices brought back.</summary>
/// <param name="Reason">Why; stays in the journal.</param>
/// <param name="Devices">Names or identities; null for all that the deployment changed.</param>
/// <param name="Wave">Only this wave, instead of devices.</param>
/// <param name="PausesOthers">Pauses the deployments that would put there again what is taken back.</param>
public sealed record RollBackAsk(string Reason = "", IReadOnlyList<string>? Devices = null, string? Wave = null, bool PausesOthers = false);

/// <summary>What a roll back comes to.</summary>
/// <param name="Devices">How many go back.</param>
/// <param name="Says">All of it, with its numbers.</param>
/// <param name="NotPossible">Why it cannot be done; null where it can.</param>
/// <param name="Parts">Who goes back to what, and who cannot and why.</param>
/// <param name="Again">Deployments that would put there again what is taken back.</param>
/// <param name="Revision">The deployment's revision of which this is true.</param>
public sealed record RollBackOutlook(
    int Devices, string Says, string? NotPossible, IReadOnlyList<RollBackShare> Parts, IReadOnlyList<RollBackRival> Again, int Revision);

/// <summary>What a roll back comes to for some devices.</summary>
/// <param name="Sample">A few of their names.</param>
public sealed record RollBackShare(WayBackKind Kind, int Devices, string Says, IReadOnlyList<string> Sample);

/// <summary>A deployment that would put there again what is taken back.</summary>
/// <param name="Deployment">Its identity: who reads this may have looked at another moment than who acts on it.</param>
/// <param name="Devices">On how many of the devices that go back.</param>
public sealed record RollBackRival(string Deployment, string Name, int Devices, string Says);

/// <summary>
/// Brings devices back to what they had before a deployment changed them: all that it changed, one wave, or some; wherever they are now, and also after its
/// end.
/// </summary>
public static class RollingBack
{
    private const int SampleSize = 8;

    /// <summary>What a roll back would come to. <see cref="Do"/> goes through the same.</summary>
    public static Outcome<RollBackOutlook> Preview(FleetWorld world, string named, RollBackAsk ask)
    {
        var found = Named.Deployment(world, named);
        if (!found.Ok)
        {
            return found.Failure!;
        }

        var chosen = Choose(world, found.Value, ask);
        return chosen.Ok ? Preview(world, found.Value, chosen.Value) : chosen.Failure!;
    }

    /// <summary>What rolling all back would come to.</summary>
    public static RollBackOutlook Preview(FleetWorld world, DeploymentEntry deployment) =>
        Preview(world, deployment, Choose(world, deployment, new RollBackAsk()).Value);

    /// <summary>Rolls back.</summary>
    /// <param name="before">What it was found to come to just before, for a roll back of very many devices, so that nobody waits while it is found; null finds
    /// it now.</param>
    public static Outcome<ActDone> Do(Decision decision, RevisionCheck seen, string named, RollBackAsk ask, RollBackOutlook? before = null)
    {
        var world = decision.World;
        var found = Named.Deployment(world, named);
        if (!found.Ok)
        {
            return found.Failure!;
        }

        var deployment = found.Value;
        if (seen(deployment.State.Revision, must: false) is { } unseen)
        {
            return unseen;
        }

        var chosen = Choose(world, deployment, ask);
        if (!chosen.Ok)
        {
            return chosen.Failure!;
        }

        var preview = before is not null && chosen.Value.Rows.Count() > world.Slice && before.Revision == deployment.State.Revision
            ? before
            : Preview(world, deployment, chosen.Value);
        if (preview.NotPossible is { } against)
        {
            return new Failure(ErrorKind.Conflict, $"{against} {preview.Says}".Trim());
        }

        var reason = ask.Reason.Trim();
        var says = string.Join(" ", preview.Parts.Where(part => part.Kind is not (WayBackKind.Untouched or WayBackKind.Back)).Select(
            part =>
                part.Kind == WayBackKind.Impossible
                    ? $"{part.Says} ({string.Join(", ", part.Sample)}{(part.Devices > part.Sample.Count ? ", …" : "")})"
                    : part.Says));
        var decided = DeploymentMachine.Decide(
            deployment.Plan, deployment.State, new Asked(DeploymentAct.RollBack, decision.By!, reason, Some: chosen.Value.Some, Says: says), decision.Now);
        if (!decided.Ok)
        {
            return decided.Failure!;
        }

        List<DeploymentEntry> others = ask.PausesOthers
            ? [.. preview.Again.Select(again => world.Deployments[again.Deployment]).Where(other => other.State.TakesIn)]
            : [];
        Looking.TakeOver(decision, deployment, decided.Value, chosen.Value.Rows);
        foreach (var other in others)
        {
            var paused = DeploymentMachine.Decide(
                other.Plan, other.State, new Asked(DeploymentAct.Pause, decision.By!, $"'{deployment.Plan.Name}' is rolled back: {reason}"), decision.Now);
            Looking.TakeOver(decision, other, paused.Value);
            decision.Audit("deployment-pause", $"'{other.Plan.Name}': {paused.Value.Journal[^1].Text}", reason, null, other.Id);
        }

        decision.Audit("deployment-roll-back", $"'{deployment.Plan.Name}': {decided.Value.Journal[^1].Text}", reason, null, deployment.Id);
        Looking.Look(decision, deployment);
        return new ActDone(preview.Devices, deployment);
    }

    /// <summary>How one device of a deployment would go back.</summary>
    public static WayBack WayOf(FleetWorld world, DeploymentEntry deployment, Target target)
    {
        var installed = target.HasBegun && target.Before is not null && world.Devices.Get(target.Device) is { } device
            ? world.App(device, deployment.Plan.App).Value?.Version : null;
        return WayBack.Of(deployment.Plan, target, installed, TakesAway(deployment, target), (version, named) => Earlier(
            world, deployment.Plan, version, named));
    }

    /// <summary>Sets one device on its way back, or says at its target why it cannot go.</summary>
    public static void Bring(Decision decision, DeploymentEntry deployment, DeviceEntry device)
    {
        var target = deployment.Targets[device];
        var way = WayOf(decision.World, deployment, target);
        switch (way.Kind)
        {
            case WayBackKind.Goes:
                if (target.BeforePackage != way.Package && way.Package is not null)
                {
                    Moving.Replace(decision, deployment, device, target with { BeforePackage = way.Package });
                }

                Moving.Happen(decision, deployment, device, new Happening(TargetEvent.UndoAsked, new Reason(
                    ReasonCode.ToBeBroughtBack, way.To.Length == 0 ? "" : deployment.Plan.AppName, way.To)));
                break;
            case WayBackKind.AfterWork:
                Moving.Happen(decision, deployment, device, new Happening(TargetEvent.UndoLater, new Reason(ReasonCode.BackAfterWork)));
                break;
            case WayBackKind.Impossible:
                Moving.Happen(decision, deployment, device, new Happening(
                    TargetEvent.UndoImpossible, new Reason(ReasonCode.CannotGoBack) { Because = way.Why }));
                break;
            case WayBackKind.OnItsWay:
                FindAgain(decision, deployment, device);
                break;
            case WayBackKind.Untouched when target is { IsToGoBack: true, State: TargetState.Met }:
                Moving.Replace(decision, deployment, device, target with { IsToGoBack = false });
                break;
            case WayBackKind.Untouched when target.IsToGoBack || target.IsGoingBack:
                Moving.Happen(decision, deployment, device, new Happening(TargetEvent.Undone, new Reason(ReasonCode.NothingChanged)));
                break;
        }
    }

    /// <summary>
    /// What devices on their way back were to be given may not be given any more: each gets another package of the same version, or stays as it is and says
    /// why.
    /// </summary>
    /// <param name="package">The digest of what may not be given.</param>
    internal static void FindAgain(Decision decision, string package)
    {
        var world = decision.World;
        foreach (var deployment in world.Active.Where(deployment => world.Tallies(deployment).Any(tally => tally.GoingBack > 0)).ToList())
        {
            var rows = new Bitmap();
            foreach (var target in deployment.Targets.With(TargetTraits.With(TargetTrait.Wanted)).Where(
                target => target.IsGoingBack && target.BeforePackage == package))
            {
                rows[world.Devices[target.Device].Row] = true;
            }

            Due.ForEach(decision, deployment, deployment.Pending.ToBring, rows, device => BringAndWeigh(decision, deployment, device));
        }
    }

    /// <summary>The same of one device that is on its way and not at work.</summary>
    internal static void FindAgain(Decision decision, DeploymentEntry deployment, DeviceEntry device)
    {
        if (deployment.Targets[device] is not { IsGoingBack: true, Before.Length: > 0, State: not TargetState.Working } target
            || !target.State.Has(TargetTrait.Wanted))
        {
            return;
        }

        var found = Earlier(decision.World, deployment.Plan, target.Before!, target.BeforePackage);
        if (found.Package is null)
        {
            Moving.Happen(decision, deployment, device, new Happening(TargetEvent.GaveUp, new Reason(ReasonCode.CannotGoBack) { Because = found.Why }));
        }
        else if (found.Package != target.BeforePackage)
        {
            Moving.Replace(decision, deployment, device, target with { BeforePackage = found.Package });
        }
    }

    /// <summary>Sets one device on its way back, and weighs what may be otherwise for it then.</summary>
    internal static void BringAndWeigh(Decision decision, DeploymentEntry deployment, DeviceEntry device)
    {
        if (deployment.Targets.Has(device))
        {
            Bring(decision, deployment, device);
            Weighing.WeighDevice(decision, device, deployment);
        }
    }

    /// <param name="Rows">The devices that are meant.</param>
    /// <param name="Some">Which, in words; null for all.</param>
    private sealed record Chosen(Bitmap Rows, string? Some);

    private static Outcome<Chosen> Choose(FleetWorld world, DeploymentEntry deployment, RollBackAsk ask)
    {
        if (ask.Wave is { } name)
        {
            if (ask.Devices is not null)
            {
                return new Failure(ErrorKind.Invalid, "Name a wave or devices, not both.");
            }

            var waves = deployment.Plan.Waves.ToList();
            var wave = waves.FindIndex(each => each.Name.Equals(name, StringComparison.OrdinalIgnoreCase));
            return wave < 0
                ? new Failure(ErrorKind.Invalid, $"'{deployment.Plan.Name}' has no wave '{name}'. Waves: {string.Join(", ", waves.Select(each => each.Name))}.")
                : new Chosen(deployment.Targets.InWave(wave), $"the wave '{deployment.Plan.Waves[wave].Name}'");
        }

        if (ask.Devices is not { } devices)
        {
            return new Chosen(deployment.Targets.AllRows(), null);
        }

        if (devices.Count == 0)
        {
            return new Failure(ErrorKind.Invalid, "Name at least one device, or none at all for every device that it changed.");
        }

        var rows = new Bitmap();
        foreach (var device in devices)
        {
            var entry = Named.Device(world, device, isWhole: true);
            if (!entry.Ok || !deployment.Targets.Has(entry.Value))
            {
                return entry.Failure ?? new Failure(ErrorKind.NotFound, $"'{device}' is no target of '{deployment.Plan.Name}'.");
            }

            rows[entry.Value.Row] = true;
        }

        return new Chosen(rows, rows.Count() is > 1 and var count ? $"{count} devices that were named" : world.Devices.At(rows.Rows().First()).Name);
    }

    private static RollBackOutlook Preview(FleetWorld world, DeploymentEntry deployment, Chosen chosen)
    {
        var plan = deployment.Plan;
        var ways = chosen.Rows.Rows().Select(row => deployment.Targets[world.Devices.At(row)])
            .Select(target => (target.Device, Way: WayOf(world, deployment, target))).ToList();
        var all = WaysBack.Of(plan, ways);
        var going = all.Going;
        string? against = null;
        if (chosen.Some is null && deployment.State is { Status: DeploymentStatus.RollingBack, RollsBackSome: false })
        {
            against = $"'{plan.Name}' is rolling back already.";
        }
        else if (going == 0)
        {
            var whom = chosen.Some is null ? "any device" : chosen.Some;
            against = all.Count(WayBackKind.OnItsWay) > 0 || all.Count(WayBackKind.Impossible) > 0
                ? "Nothing more can be rolled back."
                : $"'{plan.Name}' did not change {whom}; there is nothing to roll back.";
        }

        var parts = all.Parts.Where(part => chosen.Some is not null || part.Kind != WayBackKind.Untouched)
            .Select(part => new RollBackShare(part.Kind, part.Devices.Count, part.Says, [
                .. part.Devices.Select(device => world.Devices[device].Name).Order(StringComparer.Ordinal).Take(SampleSize)]))
                .ToList();
        return new RollBackOutlook(going, all.Says, against, parts, Again(world, deployment, ways), deployment.State.Revision);
    }

    /// <summary>Other deployments that would put there again what is taken back.</summary>
    private static List<RollBackRival> Again(FleetWorld world, DeploymentEntry deployment, IEnumerable<(string Device, WayBack Way)> ways)
    {
        var counts = new Dictionary<DeploymentEntry, int>();
        foreach (var (id, way) in ways)
        {
            if (way.Kind is not (WayBackKind.Goes or WayBackKind.AfterWork))
            {
                continue;
            }

            var device = world.Devices[id];
            // What one at work goes back to is not known yet; what would put this version there, or a newer one, would do it again for certain.
            var to = AppVersion.TryParse(way.To, out var version) ? version : null;
            var least = way.Kind == WayBackKind.AfterWork ? deployment.Plan.Version : null;
            foreach (var other in world.ActiveOf(device))
            {
                if (other != deployment && (least is null || other.Plan.Version.CompareTo(least) >= 0) && WouldDoAgain(deployment, other, device, to))
                {
                    counts[other] = counts.GetValueOrDefault(other) + 1;
                }
            }
        }

        return [.. counts.OrderByDescending(pair => pair.Value).Select(pair => new RollBackRival(
            pair.Key.Id, pair.Key.Plan.Name, pair.Value,
            pair.Key.Plan.Wish == Wish.Gone
                ? $"'{pair.Key.Plan.Name}' would take {pair.Key.Plan.AppName} away from {Some(pair.Value)} again."
                : $"'{pair.Key.Plan.Name}' would put {pair.Key.Plan.AppName} {pair.Key.Plan.Version} on {Some(pair.Value)} again."))];

        static string Some(int count) => $"{count} of these devices";
    }

    private static bool WouldDoAgain(DeploymentEntry deployment, DeploymentEntry other, DeviceEntry device, AppVersion? to)
    {
        if (!other.State.TakesIn || other.Plan.App != deployment.Plan.App
            || other.Targets.Of(device) is not { IsGoingBack: false, IsToGoBack: false, Wave: >= 0 } target || !target.State.Has(TargetTrait.Meant))
        {
            return false;
        }

        // What is put back only comes to be again where the other wants more than what goes back.
        return deployment.Plan.Wish == Wish.Gone ? other.Plan.Wish == Wish.Gone
            : (other.Plan.Wish == Wish.Have || (other.Plan.Wish == Wish.Choice && target.TakenAt is not null))
                && (to is null || other.Plan.Version.CompareTo(to) > 0);
    }

    private static Reason? TakesAway(DeploymentEntry deployment, Target target)
    {
        var package = deployment.Package;
        return package.IsLetGo ? new Reason(ReasonCode.FilesLetGo, package.Title)
            : package.Variants.FirstOrDefault(variant => variant.Name == target.Variant) is { CanRemove: false }
                ? new Reason(ReasonCode.NoRemoveStep, package.Title)
            : null;
    }

    private static EarlierPackage Earlier(FleetWorld world, DeploymentPlan plan, string before, string? named)
    {
        var kept = named is null ? null : world.Packages.GetValueOrDefault(named);
        if (kept is not null && WhyNot(kept) is null)
        {
            return new EarlierPackage(kept.Digest, null);
        }

        // It was not put there by us, or not by what is kept: a package of that version serves as well.
        List<PackageEntry> same = AppVersion.TryParse(before, out var version)
            ? [.. world.Packages.Values.Where(package => package.Record.App == plan.App && package.Version.SameButRevision(version))]
            : [];
        if (
            same.Where(package => WhyNot(package) is null).OrderBy(package => package.Record.State is not PackageState.Released)
                .ThenByDescending(package => package.Version).FirstOrDefault() is { } other)
        {
            return new EarlierPackage(other.Digest, null);
        }

        return new EarlierPackage(null, new Reason(
            (kept ?? same.FirstOrDefault()) is { } known ? WhyNot(known)!.Value : ReasonCode.EarlierNotKept, plan.AppName, before));

        static ReasonCode? WhyNot(PackageEntry package) =>
            package.Record.State == PackageState.Withdrawn ? ReasonCode.EarlierWithdrawn : package.IsLetGo ? ReasonCode.EarlierLetGo : null;
    }
}
