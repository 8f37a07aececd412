using Bandejo.Core.Tests.World;
using Bandejo.Core.World;
using Bandejo.Store;
using Xunit;

namespace Bandejo.Store.Tests;

/// <summary>Whatever happened: the world that is read from the store is the one that was in memory.</summary>
public sealed class HistoryTests : IDisposable
{
    private const int Steps = 300;
    private const int AtOnce = 4;

    private readonly string _folder = Directory.CreateTempSubdirectory("bandejo-history").FullName;

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Theory]
    [InlineData(1)]
    [InlineData(2)]
    [InlineData(3)]
    [InlineData(4)]
    [InlineData(5)]
    [InlineData(6)]
    public async Task The_world_read_from_the_store_is_the_one_in_memory(int seed)
    {
        var history = new RandomHistory(seed);
        var file = Path.Combine(_folder, $"{seed}.db");
        var kept = 0;
        for (var part = 0; part < 3; part++)
        {
            await using var store = DatabaseStore.Open(file);
            for (var step = 0; step < Steps / 3; step++)
            {
                history.Step();
                if (step % AtOnce == 0 || step == (Steps / 3) - 1)
                {
                    await store.Commit(history.World.Now, [.. history.Changes.Skip(kept), .. history.World.TakeWords()]);
                    kept = history.Changes.Count;
                }
            }

            var difference = WorldText.Difference(WorldText.Of(history.World), WorldText.Of(Read(store.Load(), history)));
            Assert.True(difference is null, $"seed {seed}, part {part}, {history.Last}: {difference}");
        }

        Assert.Empty(DatabaseStore.Check(file).Differing);
    }

    private static FleetWorld Read(StoredWorld kept, RandomHistory history)
    {
        var world = new FleetWorld(kept.WordBook, history.World.CheckInInterval, RandomHistory.ContentsOf) { Now = history.World.Now };
        kept.ApplyTo(world, (deployment, _) => deployment);
        world.ForgetWords();

        // When a device was last heard is kept late.
        foreach (var device in history.World.Devices.Values)
        {
            world.Apply(new NoteHeard(device.Id, device.LastHeard ?? default, device.Presence.Sequence));
        }

        return world;
    }
}
