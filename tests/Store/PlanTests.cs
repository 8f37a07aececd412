using Bandejo.Core.Deployments;
using Bandejo.Core.Versions;
using Bandejo.Core.World;
using Xunit;

namespace Bandejo.Store.Tests;

/// <summary>What was started is kept as it was started, part by part, and not as words that may come to mean something else.</summary>
public sealed class PlanTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("bandejo-plan").FullName;

    [Fact]
    public async Task A_plan_comes_back_as_it_was_kept()
    {
        var gate = Gate.Parse("95 % met for 2 d, at most 1 harm report, clean, silent left out after 3 d, not-needed counts, then approval").Value;
        var plan = new DeploymentPlan
        {
            Id = "D1001", Salt = "a salt", Name = "Foldline 7.2.0", App = "foldline", AppName = "Foldline", Package = "p1",
            Version = AppVersion.Parse("7.2.0+2"), Wish = Wish.Choice, Groups = ["desks"], Except = ["lab"],
            Waves = [new Wave("Pilots", new Pick { Share = 1250 }, gate, new DateTimeOffset(2026, 1, 14, 10, 0, 0, TimeSpan.Zero)), new Wave(
                "Rest", new Pick(), null, null) { Deadline = new WaveDeadline(null, new DateTime(2026, 2, 3, 18, 0, 0), "Europe/Lisbon") }],
            Fetch = FetchRule.Parse("at most 1 MB/s Mon-Fri 08:00-18:00; 5 of a site at once; over metered links too").Value, AtOnce = new AtOnce(3), Wakes = true,
            Halt = new HaltRule { Rate = 1500, LeastTrials = 7, Failures = 8, Harms = 3 }, RollBackOnHalt = true,
            Retry = new RetryRule(5, TimeSpan.FromMinutes(2), TimeSpan.FromHours(9)), Deadline = new DateTimeOffset(2026, 2, 1, 0, 0, 0, TimeSpan.Zero),
            Lease = TimeSpan.FromHours(5), ProofAge = TimeSpan.FromDays(3), LostAfter = TimeSpan.FromHours(2), Repairs = 9,
            Settings = new Dictionary<string, string> { ["site"] = "BRM" }, Handling = "quiet", Priority = 4, AllowsDowngrade = true, EndsWhenReplaced = true,
            AfterDeadline = AfterDeadline.Close, Notice = TimeSpan.FromMinutes(5), Calendars = ["nights"],
            StartWhen = new StartWhen(StartWith.Nobody, true),
            Restart = new RestartChoice(RestartWhen.InWindow, RestartWhen.Never, TimeSpan.FromDays(3)),
        };
        Assert.DoesNotContain(typeof(DeploymentPlan).GetProperties(), property => Equals(property.GetValue(plan), property.GetValue(
            new DeploymentPlan { Id = "", Name = "", App = "", AppName = "", Package = "", Version = AppVersion.Parse("0"), Groups = [], Waves = [] })));
        await using var store = DatabaseStore.Open(Path.Combine(_folder, "bandejo.db"));
        await store.Commit(DateTimeOffset.UnixEpoch, [new PutDeployment(new DeploymentRecord(
            "D1001", "Foldline", "p1", "{}",
            DeploymentState.Start(plan, "tomas", plan.Deadline!.Value) with { HaltedBy = new HaltedBy(1, 2, 3), RollsBackSome = true }, plan))]);
        var kept = Assert.Single(store.Load().Deployments);
        Assert.Equivalent(plan, kept.Plan, strict: true);
        Assert.Equal((new HaltedBy(1, 2, 3), true), (kept.State.HaltedBy, kept.State.RollsBackSome));
    }

    public void Dispose() => Directory.Delete(_folder, recursive: true);
}
