using Bandejo.Core.Deployments;
using Bandejo.Core.Packages;
using Bandejo.Core.World;

namespace Bandejo.Core.Rollouts;

/// <summary>What comes of an act on a deployment.</summary>
/// <param name="Devices">How many devices it is about.</param>
public sealed record ActDone(int Devices, DeploymentEntry Deployment)
{
    /// <summary>The devices that were left out, by reason; null where none are chosen.</summary>
    public IReadOnlyList<Outsiders>? Not { get; init; }
}

/// <summary>What people do with deployments.</summary>
public static class Acting
{
    /// <summary>Starts a deployment where nothing in its preview stands against it.</summary>
    /// <param name="write">Writes an ask down, to be kept and to be drawn by.</param>
    public static Outcome<DeploymentEntry> Start(Decision decision, DeploymentAsk ask, Func<DeploymentAsk, string> write)
    {
        var prepared = Starting.Prepare(decision.World, ask, decision.By!, write);
        return prepared.Ok ? Starting.Begin(decision, prepared.Value) : prepared.Failure!;
    }

    /// <summary>Carries out what a person asked of a running deployment.</summary>
    /// <param name="seen">Whoever lets a gate pass lets that gate pass which they looked at, and no other.</param>
    public static Outcome<ActDone> Do(Decision decision, RevisionCheck seen, string named, DeploymentAct act, string reason)
    {
        var world = decision.World;
        var found = Named.Deployment(world, named);
        if (!found.Ok)
        {
            return found.Failure!;
        }

        var deployment = found.Value;
        if (seen(deployment.State.Revision, act is DeploymentAct.Approve or DeploymentAct.Advance) is { } unseen)
        {
            return unseen;
        }

        // Whoever starts does not approve, unless nobody else could.
        var others = HasOtherApprover(world, decision.By!);
        var decided = Decide(deployment, new Asked(act, decision.By!, reason.Trim(), !others, world.Tallies(deployment)), decision.Now);
        if (!decided.Ok)
        {
            return decided.Failure!;
        }

        Looking.TakeOver(decision, deployment, decided.Value);
        decision.Audit(
            $"deployment-{StateNames.Hyphenate(act.ToString())}", $"'{deployment.Plan.Name}': {decided.Value.Journal[^1].Text}", reason, null, deployment.Id);
        Looking.Look(decision, deployment);
        return new ActDone(deployment.Targets.Count, deployment);
    }

    /// <summary>What comes of an act, for whoever asks for it and for whoever only wants to know.</summary>
    public static Outcome<DeploymentDecision> Decide(DeploymentEntry deployment, Asked asked, DateTimeOffset now) =>
        asked.Act is DeploymentAct.Resume or DeploymentAct.Approve or DeploymentAct.Advance && WhyOver(deployment) is { } over
            ? over
            : DeploymentMachine.Decide(deployment.Plan, deployment.State, asked, now);

    /// <summary>
    /// Why a deployment goes on no more: its package was withdrawn and it does not only take away, or nobody can read what was started; null where it may go
    /// on.
    /// </summary>
    public static Failure? WhyOver(DeploymentEntry deployment) =>
        deployment.Unreadable is { } unreadable ? new Failure(ErrorKind.Conflict, $"'{deployment.Plan.Name}': {unreadable}.") :
        deployment.Package.Record.State == PackageState.Withdrawn && deployment.Plan.Wish != Wish.Gone
            && deployment.State.Status != DeploymentStatus.RollingBack
            ? new Failure(
                ErrorKind.Conflict,
                $"{deployment.Package.Title} was withdrawn and starts nowhere any more. Roll it back, or end it and start a revision.") : null;

    /// <summary>Whether somebody else than this person could approve.</summary>
    public static bool HasOtherApprover(FleetWorld world, string person) =>
        world.Accounts.Values.Any(account => account.Account != person && !account.IsDisabled && (
            account.Roles.Contains(Roles.Approver) || account.Roles.Contains(Roles.Administrator)));

    /// <summary>A number of devices, in words.</summary>
    internal static string Devices(int count) => string.Create(System.Globalization.CultureInfo.InvariantCulture, $"{count} device{(count == 1 ? "" : "s")}");
}
