using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.Packages;
using Bandejo.Core.Rollouts;
using Bandejo.Core.Rules;
using Bandejo.Core.World;

namespace Bandejo.Core.Site;

/// <summary>Makes groups and changes them.</summary>
public static class Groups
{
    private const int LongestSlug = 64;
    private const int MostAtOnce = 1000;
    private const int MostTold = 20;

    /// <param name="rule">Its rule; null for a listed group.</param>
    public static Outcome<GroupEntry> Add(Decision decision, string slug, string name, string? rule, bool isForTesting)
    {
        if (slug.Length is 0 or > LongestSlug || FactCatalog.Slug(slug) != slug)
        {
            return new Failure(
                ErrorKind.Invalid,
                $"A group's short name is lower-case letters, digits and hyphens, such as '{FactCatalog.Slug(slug.Length == 0 ? name : slug)}'.");
        }

        if (decision.World.Groups.ContainsKey(slug))
        {
            return new Failure(ErrorKind.Conflict, $"There is a group '{slug}' already.");
        }

        if (rule is not null && Rule.Parse(rule) is { Ok: false } unreadable)
        {
            return unreadable.Failure!;
        }

        decision.Do(new PutGroup(new GroupRecord(slug, string.IsNullOrWhiteSpace(name) ? slug : name.Trim(), rule, isForTesting, 1)));
        var group = decision.World.Groups[slug];
        decision.Audit("group-made", $"Group '{slug}' was "
            + $"made{(rule is null ? "" : $": {rule}")}.{(isForTesting ? $" It is for testing: {ForTesting.Opens(decision.World, group.In.Count())}" : "")}");
        return group;
    }

    /// <inheritdoc cref="Add" path="/param"/>
    public static Outcome<GroupEntry> Alter(Decision decision, RevisionCheck seen, string slug, string name, string? rule, bool isForTesting)
    {
        var found = Named.Group(decision.World, slug);
        if (!found.Ok)
        {
            return found.Failure!;
        }

        var group = found.Value;
        slug = group.Record.Slug;
        if (seen(group.Record.Revision, must: true) is { } unseen)
        {
            return unseen;
        }

        if (rule is null != group.Rule is null)
        {
            return new Failure(ErrorKind.Conflict, $"'{slug}' is a {(group.Rule is null ? "listed" : "rule")} group and stays one; make a new group.");
        }

        if (rule is not null && Rule.Parse(rule) is { Ok: false } unreadable)
        {
            return unreadable.Failure!;
        }

        var (wasMarked, before) = (group.Record.IsForTesting, group.In.Copy());
        decision.Do(new PutGroup(group.Record with { Name = name, Rule = rule, IsForTesting = isForTesting, Revision = group.Record.Revision + 1 }));
        TellMoves(decision, group, before);
        var mark = isForTesting == wasMarked ? ""
            : isForTesting ? $" It is for testing now: {ForTesting.Opens(decision.World, group.In.Count())}"
            : " It is not for testing any more.";
        decision.Audit("group-changed", $"Group '{slug}' was changed{(rule is null ? "" : $": {rule}")}.{mark}");
        foreach (var deployment in Users(decision.World, slug).ToList())
        {
            Weighing.WeighAll(decision, deployment);
        }

        if (group.Calendars.Count > 0)
        {
            Calendars.WeighRows(decision, before.Copy().Except(group.In).Or(group.In.Copy().Except(before)));
        }

        return group;
    }

    /// <summary>Says how the devices of a group fetch files.</summary>
    /// <param name="fetch">As <see cref="FetchRule"/> is written; empty for nothing said.</param>
    public static Outcome<GroupEntry> SetFetch(Decision decision, RevisionCheck seen, string slug, string fetch)
    {
        var found = Named.Group(decision.World, slug);
        if (!found.Ok)
        {
            return found.Failure!;
        }

        var record = found.Value.Record;
        if (seen(record.Revision, must: true) is { } unseen)
        {
            return unseen;
        }

        var read = fetch.Length == 0 ? Outcome.Of(FetchRule.Usual) : FetchRule.Parse(fetch, FetchRule.ExampleOfGroup);
        if (!read.Ok)
        {
            return read.Failure!;
        }

        if (read.Value.AtOnce is not null || read.Value.OverMetered)
        {
            return new Failure(
                ErrorKind.Invalid,
                "How many fetch at once, and whether over metered links, each deployment says for itself; of a group is said how fast: 'at most 500 kB/s'.");
        }

        var written = read.Value.ToString() is { Length: > 0 } says ? says : null;
        if (written == record.Fetch)
        {
            return found.Value;
        }

        decision.Do(new PutGroup(record with { Fetch = written, Revision = record.Revision + 1 }));
        decision.Audit(
            "group-fetch", written is null ? $"Nothing is said any more of how the group '{record.Slug}' fetches files."
                : $"The group '{record.Slug}' fetches files {written}.");
        return decision.World.Groups[record.Slug];
    }

    public static Outcome<bool> Remove(Decision decision, RevisionCheck seen, string slug)
    {
        var found = Named.Group(decision.World, slug, isWhole: true);
        if (!found.Ok)
        {
            return found.Failure!;
        }

        slug = found.Value.Record.Slug;
        if (seen(found.Value.Record.Revision, must: true) is { } unseen)
        {
            return unseen;
        }

        if (Users(decision.World, slug).FirstOrDefault() is { } user)
        {
            return new Failure(ErrorKind.Conflict, $"'{slug}' is used by the deployment '{user.Plan.Name}'; end that first.");
        }

        // Its calendars rule its devices under whatever deployment.
        var ruled = found.Value.Calendars.Count > 0 ? found.Value.In.Copy() : new Bitmap();
        decision.Do(new DeleteGroup(slug));
        decision.Audit("group-removed", $"Group '{slug}' was removed.");
        Calendars.WeighRows(decision, ruled);
        return true;
    }

    /// <summary>Puts devices into a listed group, or takes them out of it: all or none.</summary>
    public static Outcome<GroupEntry> SetMembers(Decision decision, string slug, IReadOnlyList<string> names, bool isIn)
    {
        var world = decision.World;
        var found = Named.Group(world, slug);
        if (!found.Ok)
        {
            return found.Failure!;
        }

        var group = found.Value;
        slug = group.Record.Slug;
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
            var device = Named.Device(world, name, isWhole: true);
            if (!device.Ok)
            {
                return device.Failure!;
            }

            devices.Add(device.Value);
        }

        var rows = new Bitmap();
        foreach (var device in devices.Where(device => group.In[device.Row] != isIn))
        {
            decision.Do(isIn ? new PutMember(slug, device.Id) : new DeleteMember(slug, device.Id));
            decision.Moved(group, device, isIn);
            if (isIn && !device.Record.IsSorted)
            {
                decision.Do(new PutDevice(device.Record with { IsSorted = true }));
            }

            decision.Audit(isIn ? "member-added" : "member-removed", $"{device.Name} was {(isIn ? "put into" : "taken out of")} '{slug}'.", null, device.Id);
            rows[device.Row] = true;
        }

        foreach (var deployment in world.Active.ToList())
        {
            Due.ForEach(decision, deployment, deployment.Pending.ToWeigh, rows, device => Weighing.WeighWith(decision, deployment, device), world.Active.Count);
        }

        return group;
    }

    /// <summary>The deployments under way that speak of a group.</summary>
    private static IEnumerable<DeploymentEntry> Users(FleetWorld world, string slug) =>
        world.Active.Where(deployment => deployment.Plan.Groups.Contains(slug) || deployment.Plan.Except.Contains(slug) || deployment.Plan.Waves.Any(
            wave => wave.Pick.Group == slug));

    // A changed rule can move the whole fleet: each of a few devices has its line, of more there is one with the numbers.
    private static void TellMoves(Decision decision, GroupEntry group, Bitmap before)
    {
        var (came, went) = (group.In.Copy().Except(before), before.Copy().Except(group.In));
        foreach (var (rows, isIn) in ((Bitmap, bool)[])[(came, true), (went, false)])
        {
            var count = rows.Count();
            if (count > MostTold)
            {
                decision.Event(
                    "group", GroupEntry.MoveWord(group.Record.Slug, isIn),
                    $"{count} devices {(isIn ? "came into" : "left")} '{group.Record.Slug}' when its rule was changed.", null, null, null, decision.By);
                continue;
            }

            foreach (var row in rows.Rows())
            {
                decision.Moved(group, decision.World.Devices.At(row), isIn);
            }
        }
    }
}

/// <summary>What it opens when a group is marked for testing, and what stays open when the mark is taken away.</summary>
public static class ForTesting
{
    private const int SampleSize = 3;

    /// <summary>What would come of it, for whoever is about to do it.</summary>
    /// <param name="slug">The group; null for one that is not made yet.</param>
    /// <param name="rule">The rule that it would have; null for the one that it has.</param>
    public static Outcome<(int Devices, string Says)> Preview(FleetWorld world, string? slug, string? rule, bool isForTesting)
    {
        GroupEntry? group = null;
        if (slug is not null)
        {
            var found = Named.Group(world, slug);
            if (!found.Ok)
            {
                return found.Failure!;
            }

            group = found.Value;
        }

        var devices = group?.In.Count() ?? 0;
        if (rule is not null)
        {
            var read = Rule.Parse(rule);
            if (!read.Ok)
            {
                return read.Failure!;
            }

            devices = world.Columns.Evaluate(read.Value).True.Count();
        }

        return (devices, isForTesting ? Opens(world, devices) : Closes(world, group));
    }

    /// <summary>What a group for testing lets in.</summary>
    internal static string Opens(FleetWorld world, int devices)
    {
        var open = world.Packages.Values.Where(package => !package.IsLetGo && package.Record.State is PackageState.Built or PackageState.Tried)
            .OrderByDescending(package => package.Record.BuiltAt).Select(package => package.Title).ToList();
        var which = $", now {open.Count}: {string.Join(", ", open.Take(SampleSize))}{(open.Count > SampleSize ? ", …" : "")}";
        return $"Packages that nobody tried or released may reach {(devices == 1 ? "the 1 device" : $"the {devices} devices")} in it"
            + $"{(open.Count == 0 ? "; there are none now" : which)}.";
    }

    private static string Closes(FleetWorld world, GroupEntry? group)
    {
        var running = world.Active.Where(
            each => group is not null && each.Plan.Groups.Contains(group.Record.Slug) && each.Package.Record.State is PackageState.Built or PackageState.Tried)
            .Select(each => $"'{each.Plan.Name}'").ToList();
        return $"Only what is released may be started for it any "
            + $"more.{(running.Count == 0 ? "" : $" What was started before goes on: {string.Join(", ", running)}.")}";
    }
}
