using Bandejo.Core.Packages;
using Bandejo.Core.Rules;
using Bandejo.Core.Versions;

namespace Bandejo.Core.World;

/// <summary>Says whether somebody changes the revision that they looked at; null where they do.</summary>
/// <param name="revision">At which it stands.</param>
/// <param name="must">Whether they have to say which they looked at.</param>
public delegate Failure? RevisionCheck(int revision, bool must);

/// <summary>Finds what people name; where there is none, the failure says what is near.</summary>
public static class Named
{
    /// <summary>How many devices are looked through for a near name.</summary>
    private const int MostNear = 2000;

    /// <summary>A deployment by identity, its beginning (4 characters or more), or its name; of several with one name, the one that has not ended.</summary>
    public static Outcome<DeploymentEntry> Deployment(FleetWorld world, string named)
    {
        if (world.Deployments.TryGetValue(named, out var exact))
        {
            return exact;
        }

        var found = world.Deployments.Values.Where(each => each.Plan.Name.Equals(named, StringComparison.OrdinalIgnoreCase) || (
            named.Length >= 4 && each.Id.StartsWith(named, StringComparison.Ordinal)))
            .ToList();
        var active = found.Where(each => each.IsActive).ToList();
        if ((active.Count > 0 ? active : found) is [var one])
        {
            return one;
        }

        return found.Count > 1
            ? new Failure(
                ErrorKind.Conflict, $"'{named}' names {found.Count} deployments: {string.Join(", ", found.Select(each => each.Id))}. Use one of these.")
            : None("deployment", named, world.Deployments.Values.Select(each => each.Plan.Name));
    }

    /// <summary>
    /// A package by digest, by the beginning of one (8 characters or more), by <c>app version</c>, or by an app's slug: its newest released package.
    /// </summary>
    public static Outcome<PackageEntry> Package(FleetWorld world, string named)
    {
        var text = named.Trim();
        if (world.Packages.TryGetValue(text, out var exact))
        {
            return exact;
        }

        if (text.Length >= 8 && text.All(char.IsAsciiHexDigitLower))
        {
            var begun = world.Packages.Values.Where(package => package.Digest.StartsWith(text, StringComparison.Ordinal)).Take(2).ToList();
            if (begun.Count == 1)
            {
                return begun[0];
            }
        }

        var parts = text.Split(' ', 2, StringSplitOptions.RemoveEmptyEntries);
        var slug = parts.Length == 0 ? "" : FactCatalog.Slug(parts[0]);
        var ofApp = world.Packages.Values.Where(package => package.Record.App == slug).OrderByDescending(package => package.Version).ToList();
        if (ofApp.Count == 0)
        {
            var near = Suggest.Nearest(slug, world.Packages.Values.Select(package => package.Record.App).Distinct());
            return new Failure(ErrorKind.NotFound, $"There is no package '{named}'." + Meant(near));
        }

        if (parts.Length == 1)
        {
            return ofApp.Find(package => package.Record.State == PackageState.Released && !package.IsRetired)
                ?? (Outcome<PackageEntry>)new Failure(
                    ErrorKind.NotFound,
                    $"No package of '{slug}' is released yet. Built: {string.Join(", ", ofApp.Select(package => package.Record.Version))}.");
        }

        return AppVersion.TryParse(parts[1], out var version) && ofApp.Find(package => package.Version == version) is { } found
            ? found
            : new Failure(
                ErrorKind.NotFound,
                $"There is no version {parts[1]} of '{slug}'. There are: {string.Join(", ", ofApp.Select(package => package.Record.Version))}.");
    }

    public static Outcome<GroupEntry> Group(FleetWorld world, string slug) =>
        world.Groups.TryGetValue(slug, out var group) ? group : None("group", slug, world.Groups.Keys);

    public static Outcome<WavePlanRecord> WavePlan(FleetWorld world, string slug) =>
        world.WavePlans.TryGetValue(slug, out var plan) ? plan : None("wave plan", slug, world.WavePlans.Keys);

    public static Outcome<HandlingRecord> Handling(FleetWorld world, string slug) =>
        world.Handlings.TryGetValue(slug, out var handling) ? handling : None("handling", slug, world.Handlings.Keys);

    /// <summary>A device by identity or name.</summary>
    public static Outcome<DeviceEntry> Device(FleetWorld world, string named) => world.Devices.Find(named) is { } device ? device : NoDevice(world, named);

    /// <summary>The failure for a device that is not there.</summary>
    public static Failure NoDevice(FleetWorld world, string named)
    {
        var near = Suggest.Nearest(named.ToUpperInvariant(), world.Devices.Values.Take(MostNear).Select(device => device.Name));
        return new Failure(ErrorKind.NotFound, $"There is no device '{named}'." + Meant(near));
    }

    private static Failure None(string noun, string named, IEnumerable<string> there) =>
        new(ErrorKind.NotFound, $"There is no {noun} '{named}'." + Meant(Suggest.Nearest(named, there)));

    private static string Meant(string? near) => near is null ? "" : $" Did you mean '{near}'?";
}
