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
/// Says how much room packages take, and lets the files of old ones go. What devices have, or may fall back to, is kept; so is everything that is known of a
/// package that was let go: its document, its signature, its history.
/// </summary>
internal sealed class Leaving(WorldHost world, FileStore files, ContentGate gate)
{
    /// <summary>What each package takes, and why it must stay where it must; those that take most by themselves first.</summary>
    public RoomInfo Room() => world.Read(each =>
    {
        var users = Core.Catalogue.Room.Users(each);
        var packages = each.Packages.Values.Where(package => !package.IsLetGo)
            .Select(package => (Package: package, Room: Core.Catalogue.Room.Of(each, package, users)))
            .OrderByDescending(room => room.Room.Own).ThenBy(room => room.Package.Record.App, StringComparer.Ordinal).ToList();
        return new RoomInfo(
            packages.SelectMany(room => room.Package.Contents.Files).DistinctBy(file => file.Sha256).Sum(file => file.Size),
            Core.Catalogue.Room.Released([.. packages.Where(room => room.Room.KeptFor is null).Select(room => room.Package)], users),
            [.. packages.Select(room => new PackageRoomInfo(Catalogue.Info(room.Package), Info(room.Package, room.Room)))]);
    });

    /// <summary>What one package takes.</summary>
    public static Contract.Api.PackageRoom RoomOf(FleetWorld each, PackageEntry package) => Info(package, Core.Catalogue.Room.Of(each, package));

    /// <summary>Lets the files of a package go that no other needs.</summary>
    public async Task<Outcome<PackageRoomInfo>> LetGo(string named, string by, string reason)
    {
        // Nobody may come to need a file between the look and its end.
        using var held = await gate.Enter();
        var gone = await world.Change(by, decision => Core.Catalogue.Room.LetGo(decision, named, reason));
        if (!gone.Ok)
        {
            return gone.Failure!;
        }

        // What went is told as it was before it went.
        var (package, room) = gone.Value;
        Sweep(package.Digest);
        return new PackageRoomInfo(Catalogue.Info(package), new Contract.Api.PackageRoom(room.Own, room.Shared, room.KeptFor, IsLetGo: false));
    }

    /// <summary>Takes away files of packages that were let go that a stop of the service has left.</summary>
    public async Task SweepAll()
    {
        using var held = await gate.Enter();
        foreach (var digest in world.Read(each => each.Packages.Values.Where(package => package.IsLetGo).Select(package => package.Record.Digest).ToList()))
        {
            Sweep(digest);
        }
    }

    private void Sweep(string digest)
    {
        var unused = world.Read(each =>
        {
            var users = Core.Catalogue.Room.Users(each);
            return each.Packages[digest].Content.Where(sha256 => !users.ContainsKey(sha256)).ToList();
        });
        unused.ForEach(files.Drop);
    }

    private static Contract.Api.PackageRoom Info(PackageEntry package, Core.Catalogue.PackageRoom room) =>
        new(room.Own, room.Shared, room.KeptFor, package.IsLetGo);
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
