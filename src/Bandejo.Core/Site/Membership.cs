using Bandejo.Core.Fleet;
using Bandejo.Core.Rollouts;
using Bandejo.Core.World;

namespace Bandejo.Core.Site;

/// <summary>What putting devices into a listed group, or taking them out of it, starts and stops.</summary>
/// <param name="Devices">How many would come in or go out; those that are in already, or are not, count for nothing.</param>
/// <param name="Says">It in words, for whoever is about to do it.</param>
/// <param name="Deployments">How many deployments it concerns.</param>
public sealed record Membership(int Devices, string Says, int Deployments)
{
    private const int MostNamed = 4;

    /// <summary>Looks at the reach of each deployment under way as it is and as it would be.</summary>
    /// <param name="names">The devices, by name or identity.</param>
    public static Outcome<Membership> Of(FleetWorld world, string named, IReadOnlyList<string> names, bool isIn)
    {
        var group = Named.Group(world, named);
        if (!group.Ok)
        {
            return group.Failure!;
        }

        var rows = new Bitmap(world.Columns.Rows);
        foreach (var name in names)
        {
            var device = Named.Device(world, name, isWhole: true);
            if (!device.Ok)
            {
                return device.Failure!;
            }

            rows[device.Value.Row] = group.Value.In[device.Value.Row] != isIn;
        }

        var (slug, count) = (group.Value.Record.Slug, rows.Count());
        var changed = isIn ? group.Value.In.Copy().Or(rows) : group.Value.In.Copy().Except(rows);
        var unsorted = isIn ? world.Unsorted.Copy().Except(rows) : world.Unsorted;
        var lines = new List<string>();
        foreach (var deployment in world.Active)
        {
            var before = Weighing.Reach(world, deployment.Plan.Groups, deployment.Plan.Except).And(rows);
            var after = Weighing.Reach(world, deployment.Plan.Groups, deployment.Plan.Except, slug, changed, unsorted).And(rows);
            var (comes, leaves) = (after.Copy().Except(before).Count(), before.Copy().Except(after).Count());
            if (comes > 0)
            {
                var starts = deployment.State.TakesIn ? "which begins there as its waves and the devices allow" : "which takes nobody in while it is stopped";
                lines.Add($"{Acting.Devices(comes)} come{(comes == 1 ? "s" : "")} under '{deployment.Plan.Name}', {starts}");
            }

            if (leaves > 0)
            {
                lines.Add($"'{deployment.Plan.Name}' gives {Acting.Devices(leaves)} nothing any more; what it installed stays");
            }
        }

        var moves = (isIn, count) switch { (true, 1) => "comes into", (true, _) => "come into", (_, 1) => "goes out of", _ => "go out of" };
        var says = count == 0 ? $"None of them {(isIn ? "is missing in" : "is in")} '{slug}'; nothing changes."
            : lines.Count == 0 ? $"{Acting.Devices(count)} {moves} '{slug}'. No deployment under way begins or ends anything by it."
            : $"{string.Join(". ", lines.Take(MostNamed))}{(lines.Count > MostNamed ? $". {lines.Count - MostNamed} more deployments are concerned" : "")}.";
        return new Membership(count, says, lines.Count);
    }
}
