using Bandejo.Core.World;
using Xunit;

namespace Bandejo.Core.Tests.World;

/// <summary>What holds of the world whatever happens in it.</summary>
public sealed class WorldTests
{
    private const int Steps = 400;

    public static TheoryData<int> Seeds => [.. Enumerable.Range(1, 12)];

    [Theory]
    [MemberData(nameof(Seeds))]
    public void Of_a_decision_that_throws_nothing_is_left(int seed)
    {
        var history = new RandomHistory(seed);
        for (var step = 0; step < Steps; step++)
        {
            history.Step();
            var (now, before, kept) = (history.World.Now, WorldText.Of(history.World), history.Changes.Count);
            history.StepThatThrows();
            Assert.Equal(kept, history.Changes.Count);

            // What time it is is nobody's decision.
            history.World.Now = now;
            AssertSame(before, WorldText.Of(history.World), $"seed {seed}, step {step}, {history.Last}");
        }
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void The_world_is_what_its_changes_make_of_it(int seed)
    {
        var history = new RandomHistory(seed);
        for (var step = 0; step < Steps; step++)
        {
            history.Step();
        }

        var again = RandomHistory.NewWorld();
        again.Now = history.World.Now;
        foreach (var (number, text) in history.World.WordBook.TakeChanges().New)
        {
            again.Apply(new AddWord(number, text));
        }

        history.Changes.ForEach(again.Apply);

        // What a device's last check-in was is noted and not kept; what is silent is counted by it.
        foreach (var device in history.World.Devices.Values)
        {
            again.Apply(new NoteHeard(device.Id, device.LastHeard ?? default, device.Presence.Sequence));
        }

        AssertSame(WorldText.Of(history.World), WorldText.Of(again), $"seed {seed}");
    }

    [Theory]
    [MemberData(nameof(Seeds))]
    public void What_stands_still_stays_as_it_was(int seed)
    {
        var history = new RandomHistory(seed);
        var still = new Queue<(FleetWorld World, string Text)>();
        for (var step = 0; step < Steps; step++)
        {
            history.Step();
            if (step % 3 == 0)
            {
                history.World.Now = history.Now;
                still.Enqueue((history.World.Still(), WithoutHeard(history.World)));
                AssertSame(still.Last().Text, WithoutHeard(still.Last().World), $"seed {seed}, step {step}, {history.Last}");
            }

            if (still.Count > 20)
            {
                var (world, text) = still.Dequeue();
                AssertSame(text, WithoutHeard(world), $"seed {seed}, step {step}, {history.Last}");
            }
        }
    }

    [Fact]
    public void In_these_histories_everything_happens()
    {
        string[] all =
        [
            "joins", "put-in-or-out", "new-group", "changes", "removes", "new-package", "releases", "withdraws", "starts", "rolls", "retries", "new-handling",
            "asked-to-try", "looks", "checks-in",
            "Pause", "Resume", "Approve", "Advance", "Halt", "End",
        ];
        var done = new HashSet<string>();
        for (var seed = 1; seed <= 400 && !done.IsSupersetOf(all); seed++)
        {
            var history = new RandomHistory(seed);
            for (var step = 0; step < Steps; step++)
            {
                history.Step();
            }

            done.UnionWith(history.Done);
        }

        Assert.Empty(all.Except(done));
    }

    [Fact]
    public void What_stands_still_is_not_altered()
    {
        var still = new RandomHistory(1).World.Still();
        Assert.Throws<InvalidOperationException>(() => still.Apply(new PutSetting("a", "b")));
    }

    private static void AssertSame(string expected, string actual, string when)
    {
        var difference = WorldText.Difference(expected, actual);
        Assert.True(difference is null, $"{when}: {difference}");
    }

    // Open attempts are decided by and not read; who is silent is counted by what may be ahead.
    private static string WithoutHeard(FleetWorld world) =>
        string.Join('\n', WorldText.Of(world).Split('\n').Where(line => !line.StartsWith("open ", StringComparison.Ordinal) && !line.StartsWith(
            "wave ", StringComparison.Ordinal)));
}
