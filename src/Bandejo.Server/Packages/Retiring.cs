using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.Packages;
using Bandejo.Core.Rules;
using Bandejo.Core.World;
using Bandejo.Server.World;
using Bandejo.Store;

namespace Bandejo.Server.Packages;

/// <summary>
/// Says how much room packages take, and lets the files of old ones go. What devices have, or may fall back to, is kept; so is everything that is known of a retired
/// package: its document, its signature, its history.
/// </summary>
internal sealed class Retiring(FleetWorld world, FileStore files, ContentGate gate)
{
    /// <summary>What each package takes, and why it must stay where it must; those that take most by themselves first.</summary>
    public RoomInfo Room() => world.Read(each =>
    {
        var users = Users(each);
        var packages = each.Packages.Values.Where(package => !package.IsRetired).Select(package => new PackageRoomInfo(Catalogue.Info(package), RoomOf(each, package, users))).OrderByDescending(room => room.Room.Own).ThenBy(room => room.Package.App, StringComparer.Ordinal).ToList();
        return new RoomInfo(each.Packages.Values.Where(package => !package.IsRetired).SelectMany(package => Documents.FilesOf(package.Document)).DistinctBy(file => file.Sha256).Sum(file => file.Size), Released(each, users, [.. packages.Where(room => room.Room.KeptFor is null).Select(room => room.Package.Digest)]), packages);
    });

    /// <summary>What one package takes.</summary>
    public static PackageRoom RoomOf(FleetWorld each, PackageEntry package) => RoomOf(each, package, Users(each));

    /// <summary>Lets the files of a package go that no other needs.</summary>
    public async Task<Outcome<PackageRoomInfo>> Retire(string named, string by, string reason)
    {
        // Nobody may come to need a file between the look and its end.
        using var held = await gate.Enter();
        var retired = await world.Change(by, change => Retire(change, named, reason));
        if (retired.Ok)
        {
            Sweep(retired.Value.Package.Digest);
        }

        return retired;
    }

    /// <summary>Takes away files of retired packages that a stop of the service has left.</summary>
    public async Task SweepAll()
    {
        using var held = await gate.Enter();
        foreach (var digest in world.Read(each => each.Packages.Values.Where(package => package.IsRetired).Select(package => package.Record.Digest).ToList()))
        {
            Sweep(digest);
        }
    }

    private void Sweep(string digest)
    {
        var unused = world.Read(each =>
        {
            var users = Users(each);
            return Documents.FilesOf(each.Packages[digest].Document).Select(file => file.Sha256).Where(sha256 => !users.ContainsKey(sha256)).Distinct().ToList();
        });
        unused.ForEach(files.Drop);
    }

    private static Outcome<PackageRoomInfo> Retire(WorldChange change, string named, string reason)
    {
        var found = Catalogue.Find(change.World, named);
        if (!found.Ok)
        {
            return found.Failure!;
        }

        var package = found.Value;
        if (package.IsRetired)
        {
            return new Failure(ErrorKind.Conflict, $"{package.Document.Name} {package.Record.Version} was retired before.");
        }

        var room = RoomOf(change.World, package);
        if (room.KeptFor is { } why)
        {
            return new Failure(ErrorKind.Conflict, $"{package.Document.Name} {package.Record.Version} must stay: {why}.");
        }

        package.Record = package.Record with { History = [.. package.Record.History, new LifeRecord(PackageEntry.Retired, change.By!, change.Now, reason)] };
        change.Keep(new PutPackage(package.Record));
        change.Audit("package-retired", $"{package.Document.Name} {package.Record.Version} was retired; {Units.FormatSize(room.Own)} of files went.", reason);
        return new PackageRoomInfo(Catalogue.Info(package), room);
    }

    private static PackageRoom RoomOf(FleetWorld each, PackageEntry package, Dictionary<string, int> users)
    {
        var payload = Documents.FilesOf(package.Document).DistinctBy(file => file.Sha256).ToList();
        var own = payload.Where(file => users.GetValueOrDefault(file.Sha256) <= 1).Sum(file => file.Size);
        return package.IsRetired ? new PackageRoom(0, 0, null, IsRetired: true) : new PackageRoom(own, payload.Sum(file => file.Size) - own, KeptFor(each, package), IsRetired: false);
    }

    /// <summary>Why the files of a package must stay, as the end of a sentence; null where they need not.</summary>
    private static string? KeptFor(FleetWorld each, PackageEntry package)
    {
        var (app, version) = (package.Record.App, package.Version);
        if (each.Deployments.Values.FirstOrDefault(deployment => deployment.IsActive && deployment.Package == package) is { } deployment)
        {
            return $"'{deployment.Plan.Name}' deploys it";
        }

        if (each.DeviceTrials.Values.FirstOrDefault(trial => trial.EndedAt is null && (trial.Package == package.Record.Digest || trial.Earlier == package.Record.Digest)) is { } trial)
        {
            return $"{each.Devices[trial.Device].Name} was asked to try it";
        }

        var back = each.Deployments.Values.Where(other => other.IsActive && other.Plan.App == app).Sum(other => other.Targets.All.Count(target => target.BeforePackage == package.Record.Digest));
        if (back > 0)
        {
            return $"{back} device{(back == 1 ? "" : "s")} may fall back to it";
        }

        var rule = Rule.Parse($"app \"{app}\" is \"{version}\"");
        if (package.Record.State != PackageState.Withdrawn && rule.Ok && each.Columns.Evaluate(rule.Value).True.Count() is > 0 and var installed)
        {
            return $"{installed} device{(installed == 1 ? " has" : "s have")} it, and may fall back to it from the next version";
        }

        // A newer one that is not released yet takes the place of none that is.
        var isReleased = package.Record.State == PackageState.Released;
        return package.Record.State != PackageState.Withdrawn && each.Packages.Values.All(other => other.Record.App != app || other.IsRetired || other.Record.State == PackageState.Withdrawn || other.Version <= version || (isReleased && other.Record.State != PackageState.Released))
            ? $"it is the newest {(isReleased ? "that is released " : "")}of its app" : null;
    }

    /// <summary>By how many packages each file is used.</summary>
    private static Dictionary<string, int> Users(FleetWorld each) =>
        each.Packages.Values.Where(package => !package.IsRetired).SelectMany(package => Documents.FilesOf(package.Document).Select(file => file.Sha256).Distinct()).CountBy(sha256 => sha256).ToDictionary(StringComparer.Ordinal);

    /// <summary>The bytes that go when all of these packages go.</summary>
    private static long Released(FleetWorld each, Dictionary<string, int> users, HashSet<string> going) =>
        each.Packages.Values.Where(package => going.Contains(package.Record.Digest)).SelectMany(package => Documents.FilesOf(package.Document).DistinctBy(file => file.Sha256)).GroupBy(file => file.Sha256).Where(group => group.Count() == users[group.Key]).Sum(group => group.First().Size);
}

/// <summary>Lets one at a time bring files that packages need, or take them away.</summary>
internal sealed class ContentGate : IDisposable
{
    private readonly SemaphoreSlim _one = new(1, 1);

    /// <summary>Waits for its turn, which ends when what is returned is disposed.</summary>
    public async Task<IDisposable> Enter()
    {
        await _one.WaitAsync();
        return new Turn(_one);
    }

    public void Dispose() => _one.Dispose();

    private sealed class Turn(SemaphoreSlim one) : IDisposable
    {
        public void Dispose() => one.Release();
    }
}
