using System.Text;
using Xunit;

namespace Bandejo.Simulation.Tests;

/// <summary>Whatever happens, in hundreds of histories.</summary>
public sealed class SimulationTests
{
    private const int LinesShown = 60;

    private static readonly int Runs = Number("BANDEJO_RUNS", 300);
    private static readonly int From = Number("BANDEJO_SEED", 1);

    [Fact]
    public void Whatever_happens_what_should_hold_holds()
    {
        var (findings, steps, done) = (new Dictionary<string, (int Count, int Seed)>(), 0L, new Dictionary<string, int>());
        using var trace = Environment.GetEnvironmentVariable("BANDEJO_TRACE") is { } file ? File.AppendText(file) : null;
        var all = new Lock();

        // Each on a thread of its own from its beginning to its end. What is written down is in order only where one follows the other.
        Parallel.For(From, From + Runs, new ParallelOptions { MaxDegreeOfParallelism = trace is null ? Environment.ProcessorCount : 1 }, seed =>
        {
            var found = Simulation.Play(History.Of(seed), trace is null ? null : trace.WriteLine, simulation =>
            {
                lock (all)
                {
                    steps += simulation.Steps;
                    foreach (var (what, count) in simulation.Watch.Done)
                    {
                        done[what] = done.GetValueOrDefault(what) + count;
                    }
                }
            });
            if (found is not null)
            {
                lock (all)
                {
                    findings[found.Invariant] = findings.TryGetValue(found.Invariant, out var known) ? (known.Count + 1, Math.Min(known.Seed, seed)) : (1, seed);
                }
            }
        });

        TestContext.Current.SendDiagnosticMessage(
            $"{Runs} histories of {steps} steps: {string.Join(", ", done.OrderByDescending(pair => pair.Value).Select(pair => $"{pair.Value} {pair.Key}"))}");
        Assert.True(findings.Count == 0, string.Join("\n\n", findings.Select(
            pair => $"In {pair.Value.Count} of {Runs} histories it does not hold that {pair.Key}.\n{Shown(History.Of(pair.Value.Seed))}")));

        // Histories in which little happens hold nothing.
        foreach (var what in (string[])[
            "wave-opened", "gate-passed", "halted", "rolled-back", "approved", "retry", "begins", "steps", "power", "kills", "failed commits", "harm-reported",
            "standing", "ended", "shelved", "brought"])
        {
            Assert.True(
                Runs < 100 || done.GetValueOrDefault(what) >= Runs / 40, $"'{what}' happened {done.GetValueOrDefault(what)} times in {Runs} histories.");
        }
    }

    [Theory]
    [InlineData(3)]
    [InlineData(8)]
    [InlineData(21)]
    public void The_same_seed_plays_the_same_to_the_letter(int seed)
    {
        var (first, second) = (new List<string>(), new List<string>());
        Simulation.Play(History.Of(seed), first.Add);
        Simulation.Play(History.Of(seed), second.Add);
        Assert.True(first.Count > 100, "Little happens.");
        Assert.Equal(first, second);
    }

    [Fact]
    public void A_history_that_ends_badly_is_cut_down_to_what_is_needed_for_that()
    {
        var history = History.Of(5);
        HistoryEvent[] needed = [history.Events[4], history.Events[^3]];
        var played = 0;
        var shortest = Shortening.Shorten(history, each =>
        {
            played++;
            return needed.All(each.Events.Contains) ? new Breach("all is well", "both happened")
                : each.Events.Count == 1 ? new Breach("something else", "only one happened")
                : null;
        });
        Assert.Equal(needed, shortest.Events);
        Assert.InRange(played, 2, 400);
    }

    /// <summary>How it comes to that, as short as it can be told.</summary>
    private static string Shown(History history)
    {
        history = Shortening.Shorten(history, each => Simulation.Play(each));
        var told = new List<string>();
        var found = Simulation.Play(history, told.Add);
        var text = new StringBuilder().AppendLine(found?.ToString()).AppendLine("The shortest history:").AppendLine(history.ToString())
            .AppendLine("What happened last:");
        told.TakeLast(LinesShown).ToList().ForEach(line => text.AppendLine(line));
        return text.ToString();
    }

    private static int Number(string name, int usual) => int.TryParse(Environment.GetEnvironmentVariable(name), out var number) ? number : usual;
}
