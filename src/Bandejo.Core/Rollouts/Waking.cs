using Bandejo.Core.Deployments;
using Bandejo.Core.Rules;
using Bandejo.Core.World;

namespace Bandejo.Core.Rollouts;

/// <summary>
/// Has devices that sleep woken by neighbours: devices at the same site that were heard lately and send a packet that wakes (<c>docs/design/protocol.md</c>).
/// </summary>
public static class Waking
{
    /// <summary>So many neighbours of a site are asked; each may be about to sleep itself.</summary>
    private const int Neighbours = 2;

    /// <summary>So many are woken by one neighbour at once.</summary>
    public const int MostOfANeighbour = 50;

    /// <summary>So long a neighbour is told of whom it is to wake.</summary>
    private static readonly TimeSpan ToldFor = TimeSpan.FromMinutes(10);

    private const int SampleSize = 3;

    private static readonly FactRef Address = new("network.mac", false);

    /// <summary>Whether a device is not heard any more at its usual times.</summary>
    public static bool IsAsleep(FleetWorld world, DeviceEntry device, DateTimeOffset now) => now - device.HeardOrJoined > world.CheckInInterval * 3;

    /// <summary>The address that wakes a device; null where it is not known.</summary>
    public static string? AddressOf(FleetWorld world, DeviceEntry device) => world.Columns.Get(device.Row, Address).Value?.ToString();

    /// <summary>Whom a device is to wake now.</summary>
    public static IReadOnlyList<string> Of(DeviceEntry device, DateTimeOffset now) =>
        [.. device.Memory.ToWake.Where(each => each.Until > now).Select(each => each.Address)];

    /// <summary>Wakes one device, because somebody wants it.</summary>
    /// <returns>The names of those that were asked to.</returns>
    public static Outcome<IReadOnlyList<string>> Device(Decision decision, string named)
    {
        var found = Named.Device(decision.World, named);
        if (!found.Ok)
        {
            return found.Failure!;
        }

        var device = found.Value;
        if (AddressOf(decision.World, device) is null)
        {
            return new Failure(ErrorKind.Conflict, $"{device.Name} cannot be woken: its network address (the fact network.mac) is not known.");
        }

        var asked = Ask(decision, [device], Awake(decision, [device]));
        if (asked.Count == 0)
        {
            var site = Turns.SiteOf(decision.World, device);
            return new Failure(
                ErrorKind.Conflict,
                $"{device.Name} cannot be woken: no other device {(site.Length == 0 ? "without a known site" : $"of {site}")} was heard lately and "
                    + "could do it.");
        }

        var names = string.Join(" and ", asked.Select(each => each.Name));
        decision.Audit("device-woken", $"{names} {(asked.Count == 1 ? "was" : "were")} asked to wake {device.Name}.", null, device.Id);
        return asked.Select(each => each.Name).ToList();
    }

    /// <summary>Wakes those of the devices of a deployment that sleep, since they may start now.</summary>
    internal static void Opened(Decision decision, DeploymentEntry deployment, IReadOnlyList<DeviceEntry> devices)
    {
        var world = decision.World;
        var asleep = devices.Where(device => IsAsleep(world, device, decision.Now)).ToList();
        if (!deployment.Plan.Wakes || asleep.Count == 0)
        {
            return;
        }

        var asked = new List<DeviceEntry>();
        var (woken, awake) = (0, Awake(decision, asleep));
        foreach (var site in asleep.Where(device => AddressOf(world, device) is not null).GroupBy(device => Turns.SiteOf(world, device)))
        {
            var some = site.Take(MostOfANeighbour).ToList();
            var neighbours = Ask(decision, some, awake);
            woken += neighbours.Count == 0 ? 0 : some.Count;
            asked.AddRange(neighbours);
        }

        var such = string.Join(", ", asleep.Take(SampleSize).Select(device => device.Name)) + (asleep.Count > SampleSize ? ", …" : "");
        var left = asleep.Count - woken;
        decision.Event(
            "journal", "woken",
            $"{woken} of {asleep.Count} devices that sleep ({such}) are woken by {asked.Count} neighbours, since they may start."
                + (left == 0 ? "" : $" Of the other {left} no address is known, or nobody at their site is heard."), null, null, deployment.Id);
    }

    /// <summary>What of waking a person should know before the start.</summary>
    internal static IEnumerable<Finding> Findings(FleetWorld world, DeploymentPlan plan, IEnumerable<DeviceEntry> devices)
    {
        var without = !plan.Wakes ? [] : devices.Where(device => AddressOf(world, device) is null).Select(device => device.Name).ToList();
        if (without.Count > 0)
        {
            yield return new Finding(
                $"{without.Count} device{(without.Count == 1 ? "" : "s")} cannot be woken ({string.Join(", ", without.Take(SampleSize))}"
                    + $"{(without.Count > SampleSize ? ", …" : "")}): {(without.Count == 1 ? "its" : "their")} network address is not known.", "wake")
            { IsWarning = true };
        }
    }

    /// <summary>Who was heard lately at the sites of these and can wake others, the last heard first; all are looked at once.</summary>
    private static ILookup<string, DeviceEntry> Awake(Decision decision, IReadOnlyList<DeviceEntry> asleep)
    {
        var world = decision.World;
        var sites = asleep.Select(device => Turns.SiteOf(world, device)).ToHashSet(StringComparer.Ordinal);
        return world.Devices.Values.Where(device => device.Memory.Skills?.HasFlag(AgentSkills.Fetching) == true && !IsAsleep(world, device, decision.Now))
            .Select(device => (Device: device, Site: Turns.SiteOf(world, device))).Where(each => sites.Contains(each.Site))
            .OrderByDescending(each => each.Device.LastHeard).ThenBy(each => each.Device.Id, StringComparer.Ordinal)
            .ToLookup(each => each.Site, each => each.Device, StringComparer.Ordinal);
    }

    /// <summary>Asks neighbours at one site to wake these; none where nobody there was heard.</summary>
    private static IReadOnlyList<DeviceEntry> Ask(Decision decision, IReadOnlyList<DeviceEntry> asleep, ILookup<string, DeviceEntry> awake)
    {
        var world = decision.World;
        var neighbours = awake[Turns.SiteOf(world, asleep[0])].Where(device => !asleep.Contains(device)).Take(Neighbours).ToList();
        foreach (var neighbour in neighbours)
        {
            var before = neighbour.Memory.ToWake.Where(each => each.Until > decision.Now);
            var more = asleep.Select(device => new ToWake(AddressOf(world, device)!, decision.Now + ToldFor));
            decision.Do(new NoteMemory(neighbour.Id, neighbour.Memory with
            {
                ToWake = [.. before.Concat(more).GroupBy(each => each.Address).Select(each => each.Last()).TakeLast(MostOfANeighbour)],
            }));
        }

        return neighbours;
    }
}
