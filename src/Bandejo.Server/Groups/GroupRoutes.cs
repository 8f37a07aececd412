using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Core.Fleet;
using Bandejo.Core.Rules;
using Bandejo.Core.Site;
using Bandejo.Core.World;
using Bandejo.Server.Access;
using Bandejo.Server.Deployments;
using Bandejo.Server.Devices;
using Bandejo.Server.Http;
using Bandejo.Server.Past;
using Bandejo.Server.World;
using Bandejo.Store;

namespace Bandejo.Server.Groups;

/// <summary>Groups and the rules behind them.</summary>
internal static class GroupRoutes
{
    private const int SampleSize = 20;

    public static void MapGroups(this RouteGroupBuilder api)
    {
        api.MapGet("/groups", async (WorldHost world, HttpContext context, string? asOf) => (asOf is null
            ? Outcome.Of(world.Read(each => (IReadOnlyList<GroupInfo>)[.. each.Groups.Values.Select(group => group.Info())]))
            : await world.Past(context, asOf, past => Outcome.Of(past.Groups()))).Answer())
            .ForAll().WithName("listGroups").WithSummary("All groups; asOf gives those of a past moment").Produces<IReadOnlyList<GroupInfo>>();
        api.MapGet("/groups/{slug}", async (WorldHost world, HttpContext context, string slug, string? asOf) => (asOf is null
            ? world.Read(each => Told(Named.Group(each, slug)))
            : await world.Past(context, asOf, past => past.Group(slug))).Answer(group => context.WithRevision(group, group.Revision)))
            .ForAll().WithName("getGroup").Revised().WithSummary("One group; asOf gives how it was at a past moment").Produces<GroupInfo>();
        api.MapPost("/groups", async (WorldHost world, HttpContext context, GroupRequest request) =>
            (await world.Change(context.Person(), decision => Told(Core.Site.Groups.Add(
                decision, request.Slug, request.Name, request.Rule, request.IsForTesting))))
                .Answer(group => Results.Created($"/api/v1/groups/{group.Slug}", group)))
            .For(Roles.Operator).WithName("createGroup").WithSummary("A new group").Produces<GroupInfo>(201);
        api.MapPut("/groups/{slug}", async (WorldHost world, HttpContext context, string slug, GroupRequest request) =>
            (await world.Change(context.Person(), decision => Told(Core.Site.Groups.Alter(
                decision, context.Unmatched, slug, request.Name, request.Rule, request.IsForTesting))))
                .Answer(group => context.WithRevision(group, group.Revision)))
            .For(Roles.Operator).WithName("changeGroup").Revised().WithSummary("Changes a group; needs If-Match").Produces<GroupInfo>();
        api.MapPut("/groups/{slug}/fetch", async (WorldHost world, HttpContext context, string slug, GroupFetchRequest request) =>
            (await world.Change(context.Person(), decision => Told(Core.Site.Groups.SetFetch(decision, context.Unmatched, slug, request.Fetch ?? ""))))
                .Answer(group => context.WithRevision(group, group.Revision)))
            .For(Roles.Operator).WithName("putGroupFetch").Revised().WithSummary("How the devices of a group fetch files; needs If-Match")
            .Produces<GroupInfo>();
        api.MapDelete("/groups/{slug}", async (WorldHost world, HttpContext context, string slug) =>
            (await world.Change(context.Person(), decision => Core.Site.Groups.Remove(decision, context.Unmatched, slug))).Answer(_ => Results.NoContent()))
            .For(Roles.Operator).WithName("removeGroup").Revised().WithSummary("Removes a group that no deployment uses; needs If-Match").Produces(204);
        api.MapPost("/groups/preview", (WorldHost world, RuleRequest request) => Preview(world, request).Answer())
            .ForAll().WithName("previewGroupRule").WithSummary("Which devices a rule holds for, before anything is saved").Produces<RulePreview>();
        api.MapPost(
            "/groups/testing",
            (WorldHost world, TestingRequest request) =>
                world.Read(each => ForTesting.Preview(each, request.Group, request.Rule, request.IsForTesting))
                    .Answer(preview => Results.Ok(new TestingPreview(preview.Devices, preview.Says))))
            .ForAll().WithName("previewTesting")
            .WithSummary("What it opens to mark a group for testing, or what taking the mark away leaves").Produces<TestingPreview>();
        api.MapPost("/rules/check", (RuleRequest request) => Results.Ok(Check(request)))
            .ForAll().WithName("checkRule")
            .WithSummary("What is wrong with a rule; an answer, not a refusal, because half a rule is nothing wrong while it is written")
                .Produces<RuleCheck>();
        api.MapPut("/groups/{slug}/devices/{device}", async (WorldHost world, HttpContext context, string slug, string device) =>
            (await world.Change(context.Person(), decision => Told(Core.Site.Groups.SetMembers(decision, slug, [device], isIn: true)))).Answer())
            .For(Roles.Operator).WithName("addGroupMember").WithSummary("Puts a device into a listed group").Produces<GroupInfo>();
        api.MapPost("/groups/{slug}/devices", async (WorldHost world, HttpContext context, string slug, MembersRequest request) =>
            (await world.Change(context.Person(), decision => Told(Core.Site.Groups.SetMembers(decision, slug, request.Devices, request.IsIn)))).Answer())
            .For(Roles.Operator).WithName("changeGroupMembers").WithSummary("Puts devices into a listed group, or takes them out, all or none")
            .Produces<GroupInfo>();
        api.MapDelete("/groups/{slug}/devices/{device}", async (WorldHost world, HttpContext context, string slug, string device) =>
            (await world.Change(context.Person(), decision => Told(Core.Site.Groups.SetMembers(decision, slug, [device], isIn: false)))).Answer())
            .For(Roles.Operator).WithName("removeGroupMember").WithSummary("Takes a device out of a listed group").Produces<GroupInfo>();
        api.MapPost(
            "/groups/{slug}/devices/preview",
            (WorldHost world, string slug, MembersPreviewRequest request) =>
                world.Read(each => Membership.Of(each, slug, request.Devices, request.IsIn)).Answer(found => Results.Ok(new MembersPreview(
                    found.Devices, found.Deployments, found.Says))))
            .ForAll().WithName("previewGroupMembers")
            .WithSummary("What putting devices into a listed group, or taking them out, starts and stops").Produces<MembersPreview>();
        api.MapGet(
            "/groups/{slug}/devices",
            async (WorldHost world, HttpContext context, string slug, int? skip, string? cursor, int? limit, string? asOf) => (asOf is null
                ? world.Read(each => DeviceList.Page(each, new DeviceQuery { Group = slug, Skip = skip, Cursor = cursor, Limit = limit }))
                : await world.Past(context, asOf, past => past.Members(slug, skip ?? 0, cursor, limit))).Answer())
            .ForAll().WithName("listGroupMembers")
            .WithSummary("The devices in a group; asOf gives those that were in it at a past moment").Produces<Page<DeviceInfo>>();
    }

    /// <summary>A group as it stands at the end of the decision; afterwards it moves on.</summary>
    private static Outcome<GroupInfo> Told(Outcome<GroupEntry> decided) => decided.Ok ? decided.Value.Info() : decided.Failure!;

    private static RuleCheck Check(RuleRequest request)
    {
        var rule = Rule.Parse(request.Rule);
        return rule.Ok ? new RuleCheck(rule.Value.ToString(), [])
            : new RuleCheck(null, rule.Failure!.Findings.Count > 0 ? [.. rule.Failure.Findings.Select(Problems.Info)] : [new FindingInfo(
                rule.Failure.Message, null, 1, 1, 1, false)]);
    }

    private static Outcome<RulePreview> Preview(WorldHost world, RuleRequest request)
    {
        var rule = Rule.Parse(request.Rule);
        return !rule.Ok ? rule.Failure! : world.Read<Outcome<RulePreview>>(each =>
        {
            var rows = each.Columns.Evaluate(rule.Value);
            return new RulePreview(rule.Value.ToString(), rows.True.Count(), rows.NotKnown.Count(), each.Devices.Count, Sample(rows.True), Sample(
                rows.NotKnown));

            List<SampleInfo> Sample(Bitmap of) =>
                [.. of.Rows().Take(SampleSize).Select(row => new SampleInfo(each.Devices.At(row).Name, rule.Value.Evaluate(each.Columns.Row(row)).Why))];
        });
    }
}
