using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Core.Packages;
using Bandejo.Core.Rules;
using Bandejo.Server.World;

namespace Bandejo.Server.Groups;

/// <summary>What it opens when a group is marked for testing, and what stays open when the mark is taken away.</summary>
internal static class ForTesting
{
    private const int SampleSize = 3;

    /// <summary>What would come of it, for whoever is about to do it.</summary>
    public static Outcome<TestingPreview> Preview(FleetWorld world, TestingRequest request)
    {
        GroupEntry? group = null;
        if (request.Group is { } slug)
        {
            var found = GroupRoutes.Find(world, slug);
            if (!found.Ok)
            {
                return found.Failure!;
            }

            group = found.Value;
        }

        var devices = group?.In.Count() ?? 0;
        if (request.Rule is { } text)
        {
            var rule = Rule.Parse(text);
            if (!rule.Ok)
            {
                return rule.Failure!;
            }

            devices = world.Columns.Evaluate(rule.Value).True.Count();
        }

        return request.IsForTesting
            ? new TestingPreview(devices, Opens(world, devices))
            : new TestingPreview(devices, Closes(world, group));
    }

    /// <summary>What a group for testing lets in.</summary>
    public static string Opens(FleetWorld world, int devices)
    {
        var open = world.Packages.Values.Where(package => !package.IsRetired && package.Record.State is PackageState.Built or PackageState.Tried)
            .OrderByDescending(package => package.Record.BuiltAt).Select(package => $"{package.Document.Name} {package.Record.Version}").ToList();
        return $"Packages that nobody tried or released may reach {(devices == 1 ? "the 1 device" : $"the {devices} devices")} in it{(open.Count == 0 ? "; there are none now" : $", now {open.Count}: {string.Join(", ", open.Take(SampleSize))}{(open.Count > SampleSize ? ", …" : "")}")}.";
    }

    private static string Closes(FleetWorld world, GroupEntry? group)
    {
        var running = world.Deployments.Values.Where(each => each.IsActive && group is not null && each.Plan.Groups.Contains(group.Record.Slug) && each.Package.Record.State is PackageState.Built or PackageState.Tried).Select(each => $"'{each.Plan.Name}'").ToList();
        return $"Only what is released may be started for it any more.{(running.Count == 0 ? "" : $" What was started before goes on: {string.Join(", ", running)}.")}";
    }
}
