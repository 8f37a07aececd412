using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Core.Deployments;
using Bandejo.Core.Rules;
using Bandejo.Core.World;
using Bandejo.Server.Access;
using Bandejo.Server.Devices;
using Bandejo.Server.World;
using Bandejo.Store;

namespace Bandejo.Server.Deployments;

/// <summary>What people do with deployments.</summary>
internal static class Acts
{
    /// <summary>Finds a deployment by identity, its beginning, or its name.</summary>
    public static Outcome<DeploymentEntry> Find(FleetWorld world, string named)
    {
        if (world.Deployments.TryGetValue(named, out var exact))
        {
            return exact;
        }

        var found = world.Deployments.Values.Where(each => each.Plan.Name.Equals(named, StringComparison.OrdinalIgnoreCase) || (named.Length >= 4 && each.Id.StartsWith(named, StringComparison.Ordinal))).ToList();
        var active = found.Where(each => each.IsActive).ToList();
        if ((active.Count > 0 ? active : found) is [var one])
        {
            return one;
        }

        if (found.Count > 1)
        {
            return new Failure(ErrorKind.Conflict, $"'{named}' names {found.Count} deployments: {string.Join(", ", found.Select(each => each.Id))}. Use one of these.");
        }

        var near = Suggest.Nearest(named, world.Deployments.Values.Select(each => each.Plan.Name));
        return new Failure(ErrorKind.NotFound, $"There is no deployment '{named}'." + (near is null ? "" : $" Did you mean '{near}'?"));
    }

    /// <summary>Starts a deployment where nothing in its preview stands against it.</summary>
    public static Outcome<DeploymentInfo> Start(WorldChange change, DeploymentRequest request)
    {
        var world = change.World;
        var id = NewId(world);
        var prepared = Previewing.Prepare(world, request, id);
        if (!prepared.Ok)
        {
            return prepared.Failure!;
        }

        var (preview, keep, plan, package, waves) = prepared.Value;
        if (!preview.CanStart)
        {
            var against = preview.Findings.Where(finding => !finding.IsWarning).Select(finding => new Finding(finding.Message, finding.Where)).ToList();
            return new Failure(ErrorKind.Conflict, against.Count == 1 ? against[0].Message : $"{against.Count} things stand against starting this.", against);
        }

        if (world.Deployments.Values.Any(each => each.IsActive && each.Plan.Name.Equals(plan.Name, StringComparison.OrdinalIgnoreCase)))
        {
            return new Failure(ErrorKind.Conflict, $"A deployment named '{plan.Name}' is running already; give this one another name, or end that one.");
        }

        var kept = JsonSerializer.Serialize(keep, ContractJson.Default.DeploymentRequest);
        var state = DeploymentState.Start(plan, change.By!, change.Now);
        var deployment = new DeploymentEntry(new DeploymentRecord(id, plan.Name, package.Record.Digest, kept, state, plan), plan, package);
        world.Deployments[id] = deployment;
        change.Keep(new PutDeployment(deployment.Record));
        change.Event("journal", "started", $"'{plan.Name}' was started for {preview.Reached} device{(preview.Reached == 1 ? "" : "s")} in {plan.Waves.Count} wave{(plan.Waves.Count == 1 ? "" : "s")}.", null, null, id, change.By);
        change.Audit("deployment-started", $"'{plan.Name}' was started.", null, null, id);
        foreach (var (device, wave) in waves)
        {
            var target = new Target { Device = device, Wave = wave, Since = change.Now };
            deployment.Put(world.Devices[device], target, world.CheckInInterval);
            world.Devices[device].Joins(deployment);
            change.Keep(new PutTarget(id, target));
        }

        Engine.WeighAll(change, deployment);
        Engine.Look(change, deployment);
        return Views.Deployment(world, deployment);
    }

    /// <summary>Carries out what a person asked of a running deployment.</summary>
    public static Outcome<ActAnswer> Do(WorldChange change, HttpContext context, string named, DeploymentAct act, string reason)
    {
        var found = Find(change.World, named);
        if (!found.Ok)
        {
            return found.Failure!;
        }

        var deployment = found.Value;
        // Whoever lets a gate pass lets that gate pass which they looked at, and no other.
        if (Http.Routes.Unmatched(context, deployment.State.Revision, must: act is DeploymentAct.Approve or DeploymentAct.Advance) is { } unmatched)
        {
            return unmatched;
        }

        // Whoever starts does not approve, unless nobody else could.
        var others = HasOtherApprover(change.World, change.By!);
        var decision = Decide(deployment, new Asked(act, change.By!, reason.Trim(), !others, change.World.Tallies(deployment)), change.Now);
        if (!decision.Ok)
        {
            return decision.Failure!;
        }

        Engine.Apply(change, deployment, decision.Value);
        change.Audit($"deployment-{Words.Hyphenate(act.ToString())}", $"'{deployment.Plan.Name}': {decision.Value.Journal[^1].Text}", reason, null, deployment.Id);
        Engine.Look(change, deployment);
        return new ActAnswer(deployment.Targets.Count, Views.Deployment(change.World, deployment));
    }

    /// <summary>What comes of an act, for whoever asks for it and for whoever only wants to know.</summary>
    public static Outcome<DeploymentDecision> Decide(DeploymentEntry deployment, Asked asked, DateTimeOffset now) =>
        asked.Act is DeploymentAct.Resume or DeploymentAct.Approve or DeploymentAct.Advance && WhyOver(deployment) is { } over ? over : DeploymentMachine.Decide(deployment.Plan, deployment.State, asked, now);

    /// <summary>Why a deployment goes on no more: its package was withdrawn and it does not only take away, or nobody can read what was started; null where it may go on.</summary>
    public static Failure? WhyOver(DeploymentEntry deployment) =>
        deployment.Unreadable is { } unreadable ? new Failure(ErrorKind.Conflict, $"'{deployment.Plan.Name}': {unreadable}.") :
        deployment.Package.Record.State == Core.Packages.PackageState.Withdrawn && deployment.Plan.Wish != Wish.Gone && deployment.State.Status != DeploymentStatus.RollingBack
            ? new Failure(ErrorKind.Conflict, $"{deployment.Package.Document.Name} {deployment.Package.Record.Version} was withdrawn and starts nowhere any more. Roll it back, or end it and start a revision.") : null;

    /// <summary>Whether somebody else than this person could approve.</summary>
    public static bool HasOtherApprover(FleetWorld world, string person) =>
        world.Accounts.Values.Any(account => account.Account != person && !account.IsDisabled && (account.Roles.Contains(Roles.Approver) || account.Roles.Contains(Roles.Administrator)));

    // Short enough to be typed, and rising, so that lists by identity are lists by age.
    private static string NewId(FleetWorld world)
    {
        var highest = world.Deployments.Keys.Select(id => int.Parse(id.AsSpan(1), System.Globalization.CultureInfo.InvariantCulture)).DefaultIfEmpty(1000).Max();
        return string.Create(System.Globalization.CultureInfo.InvariantCulture, $"D{highest + 1}");
    }
}
