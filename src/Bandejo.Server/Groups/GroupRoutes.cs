using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Core.Fleet;
using Bandejo.Core.Rules;
using Bandejo.Core.World;
using Bandejo.Server.Access;
using Bandejo.Server.Deployments;
using Bandejo.Server.Devices;
using Bandejo.Server.Http;
using Bandejo.Server.World;
using Bandejo.Store;

namespace Bandejo.Server.Groups;

/// <summary>Groups and the rules behind them.</summary>
internal static class GroupRoutes
{
    private const int SampleSize = 20;
    private const int MostAtOnce = 1000;

    public static void MapGroups(this RouteGroupBuilder api)
    {
        api.MapGet("/groups", (FleetWorld world) => Results.Ok(world.Read(each => (IReadOnlyList<GroupInfo>)[.. each.Groups.Values.Select(group => group.Info())])))
            .ForAll().WithSummary("All groups").Produces<IReadOnlyList<GroupInfo>>();
        api.MapGet("/groups/{slug}", (FleetWorld world, HttpContext context, string slug) =>
            world.Read(each => Find(each, slug)).Answer(group => context.WithRevision(group.Info(), group.Record.Revision)))
            .ForAll().WithSummary("One group").Produces<GroupInfo>();
        api.MapPost("/groups", async (FleetWorld world, HttpContext context, GroupRequest request) =>
            (await world.Change(context.Person(), change => Add(change, request))).Answer(group => Results.Created($"/api/v1/groups/{group.Slug}", group)))
            .For(Roles.Operator).WithSummary("A new group").Produces<GroupInfo>(201);
        api.MapPut("/groups/{slug}", async (FleetWorld world, HttpContext context, string slug, GroupRequest request) =>
            (await world.Change(context.Person(), change => Alter(change, context, slug, request))).Answer(group => context.WithRevision(group, group.Revision)))
            .For(Roles.Operator).WithSummary("Changes a group; needs If-Match").Produces<GroupInfo>();
        api.MapDelete("/groups/{slug}", async (FleetWorld world, HttpContext context, string slug) =>
            (await world.Change(context.Person(), change => Delete(change, context, slug))).Answer(_ => Results.NoContent()))
            .For(Roles.Operator).WithSummary("Removes a group that no deployment uses; needs If-Match").Produces(204);
        api.MapPost("/groups/preview", (FleetWorld world, RuleRequest request) => Preview(world, request).Answer())
            .ForAll().WithSummary("Which devices a rule holds for, before anything is saved").Produces<RulePreview>();
        api.MapPost("/groups/testing", (FleetWorld world, TestingRequest request) => world.Read(each => ForTesting.Preview(each, request)).Answer())
            .ForAll().WithSummary("What it opens to mark a group for testing, or what taking the mark away leaves").Produces<TestingPreview>();
        api.MapPost("/rules/check", (RuleRequest request) => Results.Ok(Check(request)))
            .ForAll().WithSummary("What is wrong with a rule; an answer, not a refusal, because half a rule is nothing wrong while it is written").Produces<RuleCheck>();
        api.MapPut("/groups/{slug}/devices/{device}", async (FleetWorld world, HttpContext context, string slug, string device) =>
            (await world.Change(context.Person(), change => Member(change, slug, [device], isIn: true))).Answer())
            .For(Roles.Operator).WithSummary("Puts a device into a listed group").Produces<GroupInfo>();
        api.MapPost("/groups/{slug}/devices", async (FleetWorld world, HttpContext context, string slug, MembersRequest request) =>
            (await world.Change(context.Person(), change => Member(change, slug, request.Devices, isIn: true))).Answer())
            .For(Roles.Operator).WithSummary("Puts devices into a listed group, all or none").Produces<GroupInfo>();
        api.MapDelete("/groups/{slug}/devices/{device}", async (FleetWorld world, HttpContext context, string slug, string device) =>
            (await world.Change(context.Person(), change => Member(change, slug, [device], isIn: false))).Answer())
            .For(Roles.Operator).WithSummary("Takes a device out of a listed group").Produces<GroupInfo>();
        api.MapGet("/groups/{slug}/devices", (FleetWorld world, string slug, int? skip, string? cursor, int? limit) => Members(world, slug, skip ?? 0, cursor, limit).Answer())
            .ForAll().WithSummary("The devices in a group").Produces<Page<DeviceInfo>>();
    }

    /// <summary>A group, or the failure with the nearest name.</summary>
    public static Outcome<GroupEntry> Find(FleetWorld world, string slug)
    {
        if (world.Groups.TryGetValue(slug, out var group))
        {
            return group;
        }

        var near = Suggest.Nearest(slug, world.Groups.Keys);
        return new Failure(ErrorKind.NotFound, $"There is no group '{slug}'." + (near is null ? "" : $" Did you mean '{near}'?"));
    }

    private static Outcome<Rule?> ReadRule(string? text)
    {
        if (text is null)
        {
            return (Rule?)null;
        }

        var rule = Rule.Parse(text);
        return rule.Ok ? rule.Value : rule.Failure!;
    }

    private static Outcome<GroupInfo> Add(WorldChange change, GroupRequest request)
    {
        if (request.Slug.Length is 0 or > 64 || FactCatalog.Slug(request.Slug) != request.Slug)
        {
            return new Failure(ErrorKind.Invalid, $"A group's short name is lower-case letters, digits and hyphens, such as '{FactCatalog.Slug(request.Slug.Length == 0 ? request.Name : request.Slug)}'.");
        }

        if (change.World.Groups.ContainsKey(request.Slug))
        {
            return new Failure(ErrorKind.Conflict, $"There is a group '{request.Slug}' already.");
        }

        var rule = ReadRule(request.Rule);
        if (!rule.Ok)
        {
            return rule.Failure!;
        }

        var name = string.IsNullOrWhiteSpace(request.Name) ? request.Slug : request.Name.Trim();
        var group = new GroupEntry(new GroupRecord(request.Slug, name, request.Rule, request.IsForTesting, 1), rule.Value);
        change.World.Groups[request.Slug] = group;
        change.World.EvaluateGroup(group);
        change.Keep(new PutGroup(group.Record));
        change.Audit("group-made", $"Group '{request.Slug}' was made{(request.Rule is null ? "" : $": {request.Rule}")}.{(request.IsForTesting ? $" It is for testing: {ForTesting.Opens(change.World, group.In.Count())}" : "")}");
        return group.Info();
    }

    private static Outcome<GroupInfo> Alter(WorldChange change, HttpContext context, string slug, GroupRequest request)
    {
        var found = Find(change.World, slug);
        if (!found.Ok)
        {
            return found.Failure!;
        }

        var group = found.Value;
        if (context.Unmatched(group.Record.Revision, must: true) is { } unmatched)
        {
            return unmatched;
        }

        if (request.Rule is null != group.Rule is null)
        {
            return new Failure(ErrorKind.Conflict, $"'{slug}' is a {(group.Rule is null ? "listed" : "rule")} group and stays one; make a new group.");
        }

        var rule = ReadRule(request.Rule);
        if (!rule.Ok)
        {
            return rule.Failure!;
        }

        var isMarked = group.Record.IsForTesting;
        group.Record = group.Record with { Name = request.Name, Rule = request.Rule, IsForTesting = request.IsForTesting, Revision = group.Record.Revision + 1 };
        var before = group.In;
        group.Rule = rule.Value;
        change.World.EvaluateGroup(group);
        change.Keep(new PutGroup(group.Record));
        Moves(change, group, before);
        var mark = request.IsForTesting == isMarked ? "" : request.IsForTesting ? $" It is for testing now: {ForTesting.Opens(change.World, group.In.Count())}" : " It is not for testing any more.";
        change.Audit("group-changed", $"Group '{slug}' was changed{(request.Rule is null ? "" : $": {request.Rule}")}.{mark}");
        WeighUsers(change, slug);
        return group.Info();
    }

    private static Outcome<bool> Delete(WorldChange change, HttpContext context, string slug)
    {
        var found = Find(change.World, slug);
        if (!found.Ok)
        {
            return found.Failure!;
        }

        if (context.Unmatched(found.Value.Record.Revision, must: true) is { } unmatched)
        {
            return unmatched;
        }

        if (Users(change.World, slug).FirstOrDefault() is { } user)
        {
            return new Failure(ErrorKind.Conflict, $"'{slug}' is used by the deployment '{user.Plan.Name}'; end that first.");
        }

        change.World.Groups.Remove(slug);
        change.Keep(new DeleteGroup(slug));
        change.Audit("group-removed", $"Group '{slug}' was removed.");
        return true;
    }

    private static Outcome<GroupInfo> Member(WorldChange change, string slug, IReadOnlyList<string> names, bool isIn)
    {
        var found = Find(change.World, slug);
        if (!found.Ok)
        {
            return found.Failure!;
        }

        var group = found.Value;
        if (group.Rule is not null)
        {
            return new Failure(ErrorKind.Conflict, $"'{slug}' is a rule group: its rule says who is in it, nobody is put into it by hand.");
        }

        if (names.Count is 0 or > MostAtOnce)
        {
            return new Failure(ErrorKind.Invalid, $"1 to {MostAtOnce} devices at once, not {names.Count}.");
        }

        var devices = new List<DeviceEntry>();
        foreach (var name in names)
        {
            if (change.World.FindDevice(name) is not { } device)
            {
                return FleetRoutes.NoDevice(change.World, name);
            }

            devices.Add(device);
        }

        foreach (var device in devices.Where(device => group.In[device.Row] != isIn))
        {
            group.In[device.Row] = isIn;
            change.Moved(group, device, isIn);
            change.Keep(isIn ? new PutMember(slug, device.Id) : new DeleteMember(slug, device.Id));
            if (isIn && !device.Record.IsSorted)
            {
                device.Record = device.Record with { IsSorted = true };
                change.Keep(new PutDevice(device.Record));
            }

            change.Audit(isIn ? "member-added" : "member-removed", $"{device.Name} was {(isIn ? "put into" : "taken out of")} '{slug}'.", null, device.Id);
            Engine.WeighDevice(change, device);
        }

        return group.Info();
    }

    // A changed rule can move the whole fleet: each of a few devices has its line, of more there is one with the numbers.
    private static void Moves(WorldChange change, GroupEntry group, Bitmap before)
    {
        var (came, went) = (group.In.Copy().Except(before), before.Copy().Except(group.In));
        foreach (var (rows, isIn) in ((Bitmap, bool)[])[(came, true), (went, false)])
        {
            var count = rows.Count();
            if (count > SampleSize)
            {
                change.Event("group", GroupEntry.MoveWord(group.Record.Slug, isIn), $"{count} devices {(isIn ? "came into" : "left")} '{group.Record.Slug}' when its rule was changed.", null, null, null, change.By);
                continue;
            }

            foreach (var row in rows.Rows())
            {
                change.Moved(group, change.World.DevicesByRow[row], isIn);
            }
        }
    }

    private static RuleCheck Check(RuleRequest request)
    {
        var rule = Rule.Parse(request.Rule);
        return rule.Ok ? new RuleCheck(rule.Value.ToString(), [])
            : new RuleCheck(null, rule.Failure!.Findings.Count > 0 ? [.. rule.Failure.Findings.Select(Problems.Info)] : [new FindingInfo(rule.Failure.Message, null, 1, 1, 1, false)]);
    }

    private static Outcome<RulePreview> Preview(FleetWorld world, RuleRequest request)
    {
        var rule = Rule.Parse(request.Rule);
        return !rule.Ok ? rule.Failure! : world.Read<Outcome<RulePreview>>(each =>
        {
            var rows = each.Columns.Evaluate(rule.Value);
            return new RulePreview(rule.Value.ToString(), rows.True.Count(), rows.NotKnown.Count(), each.Devices.Count, Sample(rows.True), Sample(rows.NotKnown));

            List<SampleInfo> Sample(Bitmap of) =>
                [.. of.Rows().Take(SampleSize).Select(row => new SampleInfo(each.DevicesByRow[row].Name, rule.Value.Evaluate(each.Columns.Row(row)).Why))];
        });
    }

    private static Outcome<Page<DeviceInfo>> Members(FleetWorld world, string slug, int skip, string? cursor, int? limit) => world.Read<Outcome<Page<DeviceInfo>>>(each =>
    {
        var found = Find(each, slug);
        if (!found.Ok)
        {
            return found.Failure!;
        }

        var size = Routes.PageSize(limit);
        var page = each.InOrder(found.Value.In, cursor).Skip(skip).Take(size + 1).ToList();
        return new Page<DeviceInfo>([.. page.Take(size).Select(device => FleetRoutes.Info(each, device))], page.Count > size ? page[size - 1].Name : null, found.Value.In.Count());
    });

    private static IEnumerable<DeploymentEntry> Users(FleetWorld world, string slug) => world.Deployments.Values.Where(deployment => deployment.IsActive
        && (deployment.Plan.Groups.Contains(slug) || deployment.Plan.Except.Contains(slug) || deployment.Plan.Waves.Any(wave => wave.Pick.Group == slug)));

    private static void WeighUsers(WorldChange change, string slug)
    {
        foreach (var deployment in Users(change.World, slug).ToList())
        {
            Engine.WeighAll(change, deployment);
        }
    }
}
