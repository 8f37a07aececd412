using Bandejo.Core.Packages;
using Bandejo.Core.Rules;
using Bandejo.Core.World;

namespace Bandejo.Core.Catalogue;

/// <summary>The room that a package takes, in bytes.</summary>
/// <param name="Own">Of files that no other package has.</param>
/// <param name="Shared">Of files that others have too.</param>
/// <param name="KeptFor">Why its files must stay, as the end of a sentence; null where they need not.</param>
public sealed record PackageRoom(long Own, long Shared, string? KeptFor);

/// <summary>
/// Says how much room packages take, and lets old ones go. What devices have, or may fall back to, is kept; so is everything that is known of a package
/// that was let go: its document, its signature, its history.
/// </summary>
public static class Room
{
    /// <summary>What one package takes.</summary>
    public static PackageRoom Of(FleetWorld world, PackageEntry package) => Of(world, package, Users(world));

    /// <param name="users">By how many packages each file is used.</param>
    /// <inheritdoc cref="Of(FleetWorld, PackageEntry)"/>
    public static PackageRoom Of(FleetWorld world, PackageEntry package, IReadOnlyDictionary<string, int> users)
    {
        var payload = package.Contents.Files.DistinctBy(file => file.Sha256).ToList();
        var own = payload.Where(file => users.GetValueOrDefault(file.Sha256) <= 1).Sum(file => file.Size);
        return package.IsLetGo ? new PackageRoom(0, 0, null) : new PackageRoom(own, payload.Sum(file => file.Size) - own, KeptFor(world, package));
    }

    /// <summary>By how many packages each file is used, by digest.</summary>
    public static IReadOnlyDictionary<string, int> Users(FleetWorld world) =>
        world.Packages.Values.Where(package => !package.IsLetGo).SelectMany(package => package.Content).CountBy(sha256 => sha256)
            .ToDictionary(StringComparer.Ordinal);

    /// <summary>The bytes that go when all of these packages go.</summary>
    public static long Released(IReadOnlyCollection<PackageEntry> going, IReadOnlyDictionary<string, int> users) =>
        going.SelectMany(package => package.Contents.Files.DistinctBy(file => file.Sha256)).GroupBy(file => file.Sha256)
            .Where(group => group.Count() == users[group.Key]).Sum(group => group.First().Size);

    /// <summary>Lets the files of a package go.</summary>
    public static Outcome<(PackageEntry Package, PackageRoom Room)> LetGo(Decision decision, string named, string reason)
    {
        var found = Named.Package(decision.World, named, isWhole: true);
        if (!found.Ok)
        {
            return found.Failure!;
        }

        var package = found.Value;
        if (package.IsLetGo)
        {
            return new Failure(ErrorKind.Conflict, $"{package.Title} was let go before.");
        }

        var room = Of(decision.World, package);
        if (room.KeptFor is { } why)
        {
            return new Failure(ErrorKind.Conflict, $"{package.Title} must stay: {why}.");
        }

        decision.Do(new PutPackage(PackageLives.With(package.Record, new LifeRecord(PackageEntry.LetGo, decision.By!, decision.Now, reason))));
        decision.Audit("package-let-go", $"{package.Title} was let go; {Units.FormatSize(room.Own)} of files went.", reason);
        return (decision.World.Packages[package.Digest], room);
    }

    private static string? KeptFor(FleetWorld world, PackageEntry package)
    {
        var (app, version) = (package.Record.App, package.Version);
        if (world.Active.FirstOrDefault(deployment => deployment.Package == package) is { } deployment)
        {
            return $"'{deployment.Plan.Name}' deploys it";
        }

        if (
            world.DeviceTrials.Values.FirstOrDefault(
                trial => trial.EndedAt is null && (trial.Package == package.Digest || trial.Earlier == package.Digest)) is { } trial)
        {
            return $"{world.Devices[trial.Device].Name} was asked to try it";
        }

        var back = world.Active.Where(other => other.Plan.App == app).Sum(other => other.Targets.CountBefore(package.Digest));
        if (back > 0)
        {
            return $"{back} device{(back == 1 ? "" : "s")} may fall back to it";
        }

        var rule = Rule.Parse($"app \"{app}\" is \"{version}\"");
        if (package.Record.State != PackageState.Withdrawn && rule.Ok && world.Columns.Evaluate(rule.Value).True.Count() is > 0 and var installed)
        {
            return $"{installed} device{(installed == 1 ? " has" : "s have")} it, and may fall back to it from the next version";
        }

        // A newer one that is not released yet takes the place of none that is.
        var isReleased = package.Record.State == PackageState.Released;
        return package.Record.State != PackageState.Withdrawn
            && world.Packages.Values.All(
                other =>
                    other.Record.App != app || other.IsLetGo || other.Record.State == PackageState.Withdrawn || other.Version <= version
                        || (isReleased && other.Record.State != PackageState.Released))
            ? $"it is the newest {(isReleased ? "that is released " : "")}of its app" : null;
    }
}
