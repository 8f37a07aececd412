using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Core.Deployments;
using Bandejo.Core.Rollouts;
using Bandejo.Core.World;
using Bandejo.Server.Access;
using Bandejo.Server.Compliance;
using Bandejo.Server.Http;
using Bandejo.Server.Past;
using Bandejo.Server.World;
using Bandejo.Store;

namespace Bandejo.Server.Deployments;

/// <summary>Deployments, their targets and attempts.</summary>
internal static class DeploymentRoutes
{
    /// <summary>How often a start is prepared again at most.</summary>
    private const int MostPrepared = 3;

    public static void MapDeployments(this RouteGroupBuilder api)
    {
        api.MapGet("/deployments", (WorldHost world, bool? all) => Results.Ok(world.Read(each =>
            (IReadOnlyList<DeploymentInfo>)[.. each.Deployments.Values.Where(deployment => all == true || deployment.IsActive).Reverse().Select(
                deployment => Views.Deployment(each, deployment))])))
            .ForAll().WithName("listDeployments")
            .WithSummary("Deployments that have not ended, newest first; with all=true the ended ones too").Produces<IReadOnlyList<DeploymentInfo>>();
        api.MapPost(
            "/deployments/preview",
            (WorldHost world, DeploymentRequest request) =>
                world.Read(each => Previewing.Prepare(each, AskForms.Ask(request), "preview", AskForms.Write))
                    .Answer(outlook => Results.Ok(AskForms.Info(outlook))))
            .ForAll().WithName("previewDeployment").WithSummary("Whom a deployment would reach, who not and why").Produces<DeploymentPreview>();
        api.MapPost("/deployments", async (WorldHost world, HttpContext context, DeploymentRequest request) =>
            (await Start(world, context, request)).Answer(started => Results.Created($"/api/v1/deployments/{started.Id}", started)))
            .For(Roles.Operator).WithName("startDeployment").WithSummary("Starts a deployment").Produces<DeploymentInfo>(201);
        api.MapGet("/deployments/{deployment}", async (WorldHost world, HttpContext context, string deployment, string? asOf) => (asOf is null
            ? await Details(world, deployment)
            : await world.Past(context, asOf, past => past.Details(deployment))).Answer(details => context.WithRevision(details, details.Deployment.Revision)))
            .ForAll().WithName("getDeployment").Revised().WithSummary("One deployment; asOf gives how it stood at a past moment").Produces<DeploymentDetails>();
        api.MapGet(
            "/deployments/{deployment}/targets",
            async (WorldHost world, HttpContext context, string deployment, [AsParameters] TargetQuery query, string? format, string? asOf) =>
                (format, asOf) switch
        {
            ("csv", null) => world.Read(each => TargetList.Csv(each, deployment, query)),
            ("csv", { } moment) => (await world.Past(context, moment, past => past.Targets(deployment, null, null, null))).Answer(TargetList.Csv),
            (_, null) => world.Read(each => TargetList.Page(each, deployment, query)).Answer(),
            (_, { } moment) => (await world.Past(context, moment, past => past.Page(deployment, query))).Answer(),
        })
            .ForAll()
                .WithName("listTargets").WithSummary(
                    "The targets of a deployment; the filter is as for devices; sort by name, since or state (what needs somebody first); format=csv gives all")
                .Produces<Page<TargetInfo>>();
        api.MapGet(
            "/deployments/{deployment}/acts",
            (WorldHost world, HttpContext context, string deployment) =>
                world.Read(each => ActEffects.Of(each, deployment, context.Person()))
                    .Answer(effects => Results.Ok((IReadOnlyList<ActPreview>)[.. effects.Select(AskForms.Info)])))
            .ForAll().WithName("listActs")
            .WithSummary("What each act would do to a deployment, and whether you could do it now").Produces<IReadOnlyList<ActPreview>>();
        api.MapGet(
            "/deployments/{deployment}/attempts",
            async (WorldHost world, string deployment, string? device, int? limit) => (await AttemptsOf(world, deployment, device, limit)).Answer())
            .ForAll().WithName("listAttempts").WithSummary("The attempts of a deployment, newest first").Produces<IReadOnlyList<AttemptInfo>>();
        api.MapGet("/attempts/{id}/log", (FileStore files, string id) => id.Length <= 40 && id.All(char.IsAsciiLetterOrDigit) && files.FindLog(id) is { } path
            ? Results.File(path, "text/plain; charset=utf-8")
            : Problems.Of(new Failure(ErrorKind.NotFound, $"There is no log of attempt '{id}'.")))
            .ForAll().WithName("getAttemptLog").WithSummary("The log of an attempt").Produces<string>(200, "text/plain");
        api.MapPost("/deployments/{deployment}/retry", async (WorldHost world, Ticker ticker, HttpContext context, string deployment, RetryRequest request) =>
            (await Settled(world, ticker, context, decision => Retrying.Do(decision, deployment, request.Devices, request.Reason))).Answer())
            .For(Roles.Operator).WithName("retryTargets").WithSummary("Sets another try for what failed or is lost").Produces<ActAnswer>();
        api.MapPost(
            "/deployments/{deployment}/evaluate",
            async (WorldHost world, HttpContext context, string deployment) =>
                (await world.Change(context.Person(), decision => Evaluate(decision, deployment))).Answer())
            .For(Roles.Operator).WithName("weighDeployment").WithSummary("Looks at a deployment now, as the service does by itself").Produces<DeploymentInfo>();
        Act("approve", DeploymentAct.Approve, "Approves the gate that waits for it", Roles.Approver);
        Act("pause", DeploymentAct.Pause, "No new order goes out", Roles.Operator);
        Act("resume", DeploymentAct.Resume, "Goes on after a pause or halt", Roles.Operator);
        Act("advance", DeploymentAct.Advance, "Passes a gate by hand", Roles.Operator);
        Act("halt", DeploymentAct.Halt, "Stops a deployment", Roles.Operator);
        api.MapPost(
            "/deployments/{deployment}/roll-back/preview",
            (WorldHost world, string deployment, RollBackRequest request) =>
                world.Read(each => RollingBack.Preview(each, deployment, AskForms.Ask(request))).Answer(outlook => Results.Ok(AskForms.Info(outlook))))
            .ForAll().WithName("previewRollBack")
            .WithSummary("What a roll back would come to: who goes back to what, who cannot and why, and which deployments would undo it")
                .Produces<RollBackPreview>();
        api.MapPost(
            "/deployments/{deployment}/roll-back", async (WorldHost world, Ticker ticker, HttpContext context, string deployment, RollBackRequest request) =>
        {
            // What it comes to is found before anybody waits for it.
            var ask = AskForms.Ask(request);
            var before = world.Read(each => RollingBack.Preview(each, deployment, ask));
            return (await Settled(world, ticker, context, decision => RollingBack.Do(
                decision, context.Unmatched, deployment, ask, before.Ok ? before.Value : null)))
                .Answer();
        })
            .For(Roles.Operator)
                .WithName("rollBackDeployment").Revised()
                .WithSummary("Brings devices back to what each had before: all that the deployment changed, one wave, or some; also after its end")
                .Produces<ActAnswer>();
        Act("end", DeploymentAct.End, "Ends a deployment for good", Roles.Operator);

        void Act(string path, DeploymentAct act, string summary, string role) =>
            api.MapPost(
                $"/deployments/{{deployment}}/{path}", async (WorldHost world, Ticker ticker, HttpContext context, string deployment, ReasonRequest request) =>
            {
                // Looked at first: what a person has just seen met must not be refused because the service has not looked yet.
                await world.Change(null, decision => Evaluate(decision, deployment));
                return (await Settled(world, ticker, context, decision => Acting.Do(decision, context.Unmatched, deployment, act, request.Reason ?? "")))
                    .Answer();
            })
                .For(role).WithName($"{path}Deployment").WithSummary(summary).Revised().Produces<ActAnswer>();
    }

    private static Outcome<DeploymentInfo> Evaluate(Decision decision, string named)
    {
        var found = Named.Deployment(decision.World, named);
        if (found.Ok)
        {
            Looking.Look(decision, found.Value);
        }

        return Shown(decision, found);
    }

    private static Outcome<DeploymentInfo> Shown(Decision decision, Outcome<DeploymentEntry> decided) =>
        decided.Ok ? Views.Deployment(decision.World, decided.Value) : decided.Failure!;

    /// <summary>
    /// Starts a deployment. Whom it reaches is found on a world that stands still, and kept ahead of the beginning; where something that it is about was
    /// changed in that moment, once more.
    /// </summary>
    private static async Task<Outcome<DeploymentInfo>> Start(WorldHost world, HttpContext context, DeploymentRequest request)
    {
        var ask = AskForms.Ask(request);
        for (var left = MostPrepared; ; left--)
        {
            var prepared = world.Read(each => Starting.Prepare(each, ask, context.Person(), AskForms.Write));
            if (!prepared.Ok)
            {
                return prepared.Failure!;
            }

            var ahead = await world.Store.PutAhead(world.Now, prepared.Value.Targets);
            prepared.Value.KeptAhead = ahead;
            var begun = await world.Change(context.Person(), decision => Starting.Begin(decision, prepared.Value));
            if (begun.Ok)
            {
                // It is there, whole and durable; a first wave of very many devices is weighed after that.
                return world.Read(each => Views.Deployment(each, each.Deployments[begun.Value.Id]));
            }

            await world.Store.DropAhead(world.Now, ahead);
            if (begun.Failure!.Kind != ErrorKind.Stale || left == 0)
            {
                return begun.Failure!;
            }
        }
    }

    /// <summary>Carries an act out, and answers when all that follows from it is done, for however many devices.</summary>
    private static async Task<Outcome<ActAnswer>> Settled(WorldHost world, Ticker ticker, HttpContext context, Func<Decision, Outcome<ActDone>> act)
    {
        var done = await world.Change(context.Person(), act);
        if (!done.Ok)
        {
            return done.Failure!;
        }

        return new ActAnswer(
            done.Value.Devices,
            await Settle(world, ticker, context, done.Value.Deployment.Id)) { Not = done.Value.Not is null ? null : [.. done.Value.Not.Select(AskForms.Info)] };
    }

    private static async Task<DeploymentInfo> Settle(WorldHost world, Ticker ticker, HttpContext context, string id)
    {
        if (world.Peek(each => each.Deployments[id].IsPending))
        {
            await ticker.Look(context.RequestAborted);
        }

        return world.Read(each => Views.Deployment(each, each.Deployments[id]));
    }

    private static async Task<Outcome<DeploymentDetails>> Details(WorldHost world, string named)
    {
        var details = world.Read<Outcome<DeploymentDetails>>(each =>
        {
            var found = Named.Deployment(each, named);
            if (!found.Ok)
            {
                return found.Failure!;
            }

            var deployment = found.Value;
            var plan = deployment.Plan;
            var reach = MayStillStart(each, deployment);
            return new DeploymentDetails(
                Views.Deployment(each, deployment), plan.Groups, plan.Except, plan.Halt.ToString(), plan.Retry.Tries,
                Core.Rules.Units.FormatDuration(plan.Retry.Pause), Core.Rules.Units.FormatDuration(plan.Lease),
                reach.Count, reach.Count == 0 ? null : reach.Max(), [],
                [.. deployment.Targets.Harmed.OrderByDescending(target => target.TroubleAt).Take(20).Select(target => new HarmInfo(
                    each.Devices.Get(target.Device)?.Name ?? target.Device, target.Harms, target.Harm ?? ""))],
                Views.Settings(deployment),
                Chosen.Of(each, deployment), plan.Calendars, StateNames.Hyphenate(plan.AfterDeadline.ToString()), plan.Restart.ToString(),
                [.. HoursAhead.Now(each, deployment).Select(AskForms.Info)], FilesAhead.Of(deployment) is { } files
                    ? new FilesInfo(files.There, files.Waiting, files.ToString())
                    : null);
        });
        if (!details.Ok)
        {
            return details;
        }

        // Causes come from the attempts on disk, so they are looked up outside the lock.
        return details.Value with { Causes = await Causes.Of(world, details.Value.Deployment.Id, most: 2000) };
    }

    /// <summary>After a stop: until when each device that has not heard of it may still start, by its lease.</summary>
    private static List<DateTimeOffset> MayStillStart(FleetWorld world, DeploymentEntry deployment)
    {
        if (deployment.State.Status is not (DeploymentStatus.Halted or DeploymentStatus.Paused or DeploymentStatus.RollingBack))
        {
            return [];
        }

        return [.. deployment.Targets.With(TargetState.Waiting)
            .Where(target => target.Wave >= 0 && deployment.State.Waves[target.Wave].OpenedAt is not null)
            .Where(target => world.LastHeard(target.Device) < deployment.State.Since)
            .Select(target => world.HeardAtMost(target.Device)!.Value + deployment.Plan.Lease)
            .Where(until => until > world.Now)];
    }

    private static async Task<Outcome<IReadOnlyList<AttemptInfo>>> AttemptsOf(WorldHost world, string named, string? device, int? limit)
    {
        var found = world.Read<Outcome<(string Deployment, string? Device)>>(each =>
        {
            var deployment = Named.Deployment(each, named);
            if (!deployment.Ok)
            {
                return deployment.Failure!;
            }

            return device is null ? (deployment.Value.Id, null)
                : Named.Device(each, device) is var entry && entry.Ok ? (deployment.Value.Id, entry.Value.Id)
                : entry.Failure!;
        });
        return found.Ok
            ? (await world.Kept()).Attempts(found.Value.Deployment, found.Value.Device, Routes.PageSize(limit))
                .Select(attempt => Views.Attempt(world, attempt)).ToList()
            : found.Failure!;
    }
}
