using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Core.Deployments;
using Bandejo.Core.World;
using Bandejo.Server.Access;
using Bandejo.Server.Compliance;
using Bandejo.Server.Http;
using Bandejo.Server.World;
using Bandejo.Store;

namespace Bandejo.Server.Deployments;

/// <summary>Deployments, their targets and attempts.</summary>
internal static class DeploymentRoutes
{
    public static void MapDeployments(this RouteGroupBuilder api)
    {
        api.MapGet("/deployments", (FleetWorld world, bool? all) => Results.Ok(world.Read(each =>
            (IReadOnlyList<DeploymentInfo>)[.. each.Deployments.Values.Where(deployment => all == true || deployment.IsActive).Reverse().Select(deployment => Views.Deployment(each, deployment))])))
            .ForAll().WithSummary("Deployments that have not ended, newest first; with all=true the ended ones too").Produces<IReadOnlyList<DeploymentInfo>>();
        api.MapPost("/deployments/preview", (FleetWorld world, DeploymentRequest request) => world.Read(each => Previewing.Prepare(each, request, "preview")).Answer(prepared => Results.Ok(prepared.Preview)))
            .ForAll().WithSummary("Whom a deployment would reach, who not and why").Produces<DeploymentPreview>();
        api.MapPost("/deployments", async (FleetWorld world, HttpContext context, DeploymentRequest request) =>
            (await world.Change(context.Person(), change => Acts.Start(change, request))).Answer(started => Results.Created($"/api/v1/deployments/{started.Id}", started)))
            .For(Roles.Operator).WithSummary("Starts a deployment").Produces<DeploymentInfo>(201);
        api.MapGet("/deployments/{deployment}", (FleetWorld world, HttpContext context, string deployment) => Details(world, deployment).Answer(details => context.WithRevision(details, details.Deployment.Revision)))
            .ForAll().WithSummary("One deployment").Produces<DeploymentDetails>();
        api.MapGet("/deployments/{deployment}/targets", (FleetWorld world, string deployment, [AsParameters] TargetQuery query, string? format) => format == "csv"
            ? world.Read(each => TargetList.Csv(each, deployment, query)).Answer(csv => Results.Text(csv, "text/csv; charset=utf-8"))
            : world.Read(each => TargetList.Page(each, deployment, query)).Answer())
            .ForAll().WithSummary("The targets of a deployment; the filter is as for devices; sort by name, since or state (what needs somebody first); format=csv gives all").Produces<Page<TargetInfo>>();
        api.MapGet("/deployments/{deployment}/acts", (FleetWorld world, HttpContext context, string deployment) => world.Read(each => ActPreviews.Of(each, deployment, context.Person())).Answer())
            .ForAll().WithSummary("What each act would do to a deployment, and whether you could do it now").Produces<IReadOnlyList<ActPreview>>();
        api.MapGet("/deployments/{deployment}/attempts", (FleetWorld world, string deployment, string? device, int? limit) => AttemptsOf(world, deployment, device, limit).Answer())
            .ForAll().WithSummary("The attempts of a deployment, newest first").Produces<IReadOnlyList<AttemptInfo>>();
        api.MapGet("/attempts/{id}/log", (FileStore files, string id) => id.Length <= 40 && id.All(char.IsAsciiLetterOrDigit) && files.FindLog(id) is { } path
            ? Results.File(path, "text/plain; charset=utf-8")
            : Problems.Of(new Failure(ErrorKind.NotFound, $"There is no log of attempt '{id}'.")))
            .ForAll().WithSummary("The log of an attempt").Produces<string>(200, "text/plain");
        api.MapPost("/deployments/{deployment}/retry", async (FleetWorld world, HttpContext context, string deployment, RetryRequest request) =>
            (await world.Change(context.Person(), change => Retrying.Do(change, deployment, request))).Answer())
            .For(Roles.Operator).WithSummary("Sets another try for what failed or is lost").Produces<ActAnswer>();
        api.MapPost("/deployments/{deployment}/evaluate", async (FleetWorld world, HttpContext context, string deployment) => (await world.Change(context.Person(), change => Evaluate(change, deployment))).Answer())
            .For(Roles.Operator).WithSummary("Looks at a deployment now, as the service does by itself").Produces<DeploymentInfo>();
        Act("approve", DeploymentAct.Approve, "Approves the gate that waits for it", Roles.Approver);
        Act("pause", DeploymentAct.Pause, "No new order goes out", Roles.Operator);
        Act("resume", DeploymentAct.Resume, "Goes on after a pause or halt", Roles.Operator);
        Act("advance", DeploymentAct.Advance, "Passes a gate by hand", Roles.Operator);
        Act("halt", DeploymentAct.Halt, "Stops a deployment", Roles.Operator);
        api.MapPost("/deployments/{deployment}/roll-back/preview", (FleetWorld world, string deployment, RollBackRequest request) => world.Read(each => RollingBack.Preview(each, deployment, request)).Answer())
            .ForAll().WithSummary("What a roll back would come to: who goes back to what, who cannot and why, and which deployments would undo it").Produces<RollBackPreview>();
        api.MapPost("/deployments/{deployment}/roll-back", async (FleetWorld world, HttpContext context, string deployment, RollBackRequest request) =>
            (await world.Change(context.Person(), change => RollingBack.Do(change, context, deployment, request))).Answer())
            .For(Roles.Operator).WithSummary("Brings devices back to what each had before: all that the deployment changed, one wave, or some; also after its end").Produces<ActAnswer>();
        Act("end", DeploymentAct.End, "Ends a deployment for good", Roles.Operator);

        void Act(string path, DeploymentAct act, string summary, string role) =>
            api.MapPost($"/deployments/{{deployment}}/{path}", async (FleetWorld world, HttpContext context, string deployment, ReasonRequest request) =>
            {
                // Looked at first: what a person has just seen met must not be refused because the service has not looked yet.
                await world.Change(null, change => Evaluate(change, deployment));
                return (await world.Change(context.Person(), change => Acts.Do(change, context, deployment, act, request.Reason ?? ""))).Answer();
            })
                .For(role).WithSummary(summary).Produces<ActAnswer>();
    }

    private static Outcome<DeploymentInfo> Evaluate(WorldChange change, string named)
    {
        var found = Acts.Find(change.World, named);
        if (!found.Ok)
        {
            return found.Failure!;
        }

        Engine.Look(change, found.Value);
        return Views.Deployment(change.World, found.Value);
    }

    private static Outcome<DeploymentDetails> Details(FleetWorld world, string named)
    {
        var details = world.Read<Outcome<DeploymentDetails>>(each =>
        {
            var found = Acts.Find(each, named);
            if (!found.Ok)
            {
                return found.Failure!;
            }

            var deployment = found.Value;
            var plan = deployment.Plan;
            var reach = MayStillStart(each, deployment);
            return new DeploymentDetails(
                Views.Deployment(each, deployment), plan.Groups, plan.Except, plan.Halt.ToString(), plan.Retry.Tries, Core.Rules.Units.FormatDuration(plan.Retry.Pause), Core.Rules.Units.FormatDuration(plan.Lease),
                reach.Count, reach.Count == 0 ? null : reach.Max(), [],
                [.. deployment.Targets.Harmed.OrderByDescending(target => target.TroubleAt).Take(20).Select(target => new HarmInfo(each.Devices.GetValueOrDefault(target.Device)?.Name ?? target.Device, target.Harms, target.Harm ?? ""))],
                [.. plan.Settings.Select(pair => new SettingValueInfo(pair.Key, (deployment.Package.Document.Settings ?? []).Any(setting => setting.Name == pair.Key && setting.Type == "secret") ? null : pair.Value))],
                Chosen.Of(world, deployment));
        });
        if (!details.Ok)
        {
            return details;
        }

        // Causes come from the attempts on disk, so they are looked up outside the lock.
        return details.Value with { Causes = Causes.Of(world, details.Value.Deployment.Id, most: 2000) };
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
            .Select(target => world.LastHeard(target.Device))
            .Where(heard => heard < deployment.State.Since && heard + deployment.Plan.Lease > world.Now)
            .Select(heard => heard!.Value + deployment.Plan.Lease)];
    }

    private static Outcome<IReadOnlyList<AttemptInfo>> AttemptsOf(FleetWorld world, string named, string? device, int? limit)
    {
        var found = world.Read<Outcome<(string Deployment, string? Device)>>(each =>
        {
            var deployment = Acts.Find(each, named);
            if (!deployment.Ok)
            {
                return deployment.Failure!;
            }

            return device is null ? (deployment.Value.Id, null)
                : each.FindDevice(device) is { } entry ? (deployment.Value.Id, entry.Id)
                : Devices.FleetRoutes.NoDevice(each, device);
        });
        return found.Ok
            ? world.Store.Attempts(found.Value.Deployment, found.Value.Device, Routes.PageSize(limit)).Select(attempt => Views.Attempt(world, attempt)).ToList()
            : found.Failure!;
    }
}
