using System.Globalization;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Kit;
using Xunit;

namespace Bandejo.Chaos.Tests;

/// <summary>
/// Everything breaks at random while rollouts run, and nothing may be lost, done twice, or done when it must not be. The judge is the fleet's own record.
/// BANDEJO_CHAOS_SECONDS says how long (60 unless set), BANDEJO_CHAOS_SEED which chaos.
/// </summary>
public sealed class NothingLostTests(ITestOutputHelper output)
{
    /// <summary>How far clocks of processes may be apart when a clock's speed is changed.</summary>
    private static readonly TimeSpan Slack = TimeSpan.FromSeconds(15);

    private int _checks;

    [Theory]
    [InlineData(false)]
    [InlineData(true)]
    public async Task Nothing_is_lost_done_twice_or_done_when_it_must_not_be(bool hasServer)
    {
        var seconds = Number("BANDEJO_CHAOS_SECONDS", 60);
        var seed = Number("BANDEJO_CHAOS_SEED", 1);
        Say($"seed {seed}, {seconds} s; again with: make chaos SEED={seed} SECONDS={seconds}");
        await using var world = await World.Start(seed, hasServer ? new PostgresServer(canFail: true) : null);
        await using var onlookers = world.LookOn();
        var faults = await Rage(world, new Random(seed), TimeSpan.FromSeconds(seconds));
        Say($"faults: "
            + $"{string.Join(", ", faults.GroupBy(fault => fault).OrderBy(group => group.Key, StringComparer.Ordinal).Select(group => $"{group.Count()} x {group.Key}"))}");
        var versions = await Settle(world);
        var seen = await onlookers.Leave();
        Check(seen.Wrongs.Count == 0, $"Those who looked on saw what should not be: {string.Join("; ", seen.Wrongs.Take(5))}");
        Check(seen.Answers > seconds, $"Those who looked on had only {seen.Answers} answers; that proves nothing.");
        Say($"looked on meanwhile: {seen.Answers} answers, {seen.Refusals} times told that it cannot be said now, nobody left waiting");
        await Judge(world, versions);
        Say($"{faults.Count} faults, {_checks} checks, none failed");
    }

    /// <summary>Starts one version after the other while things break.</summary>
    private async Task<List<string>> Rage(World world, Random random, TimeSpan length)
    {
        var faults = new List<string>();
        var watch = global::System.Diagnostics.Stopwatch.StartNew();
        var version = 0;
        var nextVersion = TimeSpan.Zero;
        var kinds = new Queue<int>();
        while (watch.Elapsed < length)
        {
            if (kinds.Count == 0)
            {
                // Every kind in turn, in no order: a short rage has all of them.
                int[] all = [.. Enumerable.Range(0, 10)];
                random.Shuffle(all);
                kinds = new Queue<int>(all);
            }

            if (watch.Elapsed >= nextVersion)
            {
                version++;
                await world.Package($"1.{version}");
                await world.Deploy($"1.{version}");
                nextVersion = watch.Elapsed + TimeSpan.FromSeconds(28);
            }

            faults.Add(await Break(world, random, kinds.Dequeue()));
            Assert.True(await world.Fleet.Ended() is null, $"The fleet ended by itself: {await world.Fleet.Ended()}");
            await World.Pass(TimeSpan.FromMilliseconds(random.Next(300, 2500)));
        }

        return faults;
    }

    private static async Task<string> Break(World world, Random random, int kind)
    {
        switch (kind)
        {
            case 1 when world.HasServer:
                world.CutConnections();
                return "cut of all connections to the database";
            case 3 when world.HasServer:
                await world.RestartServer(TimeSpan.FromMilliseconds(random.Next(0, 3000)));
                return "kill of the database's server";
            case 0 or 1:
                await world.RestartService(TimeSpan.FromMilliseconds(random.Next(0, 2000)));
                return "kill of the service";
            case 2 or 3:
                await world.RestartFleet();
                return "kill of the fleet";
            case 4:
                await world.RestartAgent(random.Next(2), withWhatItStarted: false);
                return "kill of an agent";
            case 5:
                await world.RestartAgent(random.Next(2), withWhatItStarted: true);
                return "power cut of a machine";
            case 6:
                await world.LockDatabase(TimeSpan.FromSeconds(random.Next(1, 8)));
                return "locked database";
            case 7 when world.CanFillDisk:
                await world.FillDisk(TimeSpan.FromMilliseconds(random.Next(300, 3000)));
                return "full disk";
            case 8 when random.Next(3) == 0:
                await world.HourAway();
                return "service away for an hour";
            default:
                var running = (await world.Get("/api/v1/deployments", ContractJson.Default.IReadOnlyListDeploymentInfo))!.ToList();
                if (running.Count > 0)
                {
                    var deployment = running[random.Next(running.Count)];
                    await world.Act(deployment.Id, deployment.Status is "halted" or "paused" ? "resume" : random.Next(2) == 0 ? "halt" : "pause");
                }

                return "halt, pause or resume by hand";
        }
    }

    /// <summary>Lets everything come to its end, and returns the deployments, newest first.</summary>
    private async Task<IReadOnlyList<DeploymentInfo>> Settle(World world)
    {
        await world.Hurry(World.Speed * 4);
        string[] open = ["ready", "working", "restart", "retry", "waiting", "unknown", "lost", "contested"];
        using var limit = new CancellationTokenSource(TimeSpan.FromSeconds(400));
        using var pace = new PeriodicTimer(TimeSpan.FromMilliseconds(500));
        while (true)
        {
            var all = (await world.Get("/api/v1/deployments", ContractJson.Default.IReadOnlyListDeploymentInfo))!;
            foreach (var stopped in all.Where(deployment => deployment.Status is "halted" or "paused"))
            {
                await world.Act(stopped.Id, "resume");
            }

            if (all.All(deployment => deployment.Status is "running" or "standing" && !deployment.States.Any(state => open.Contains(state.Name))))
            {
                return all;
            }

            try
            {
                await pace.WaitForNextTickAsync(limit.Token);
            }
            catch (OperationCanceledException)
            {
                Assert.Fail($"The deployments did not go on to their end: "
                    + $"{string.Join("; ", all.Select(deployment => $"{deployment.Name} {deployment.Status}: {string.Join(", ", deployment.States.Select(state => $"{state.Count} {state.Name}"))}"))}"
                    + $"\n{await WhoIsLeft(world, all, open)}");
            }
        }
    }

    /// <summary>Who keeps deployments from their end, and what is known of each: without it nobody finds the reason afterwards.</summary>
    private static async Task<string> WhoIsLeft(World world, IReadOnlyList<DeploymentInfo> deployments, string[] open)
    {
        var lines = new List<string>();
        foreach (var deployment in deployments)
        {
            var targets = (await world.Get($"/api/v1/deployments/{deployment.Id}/targets?limit=1000", ContractJson.Default.PageTargetInfo))!.Items;
            foreach (var target in targets.Where(target => open.Contains(target.State)).Take(3))
            {
                var device = await world.Get($"/api/v1/devices/{target.DeviceName}", ContractJson.Default.DeviceDetails);
                lines.Add($"{target.DeviceName} {target.State} since {target.Since:O}, tries {target.Tries}: {target.Reason}; heard {device?.Device.LastHeard:O}");
                lines.AddRange(
                    (await world.Get($"/api/v1/deployments/{deployment.Id}/attempts?limit=1000", ContractJson.Default.IReadOnlyListAttemptInfo))!
                        .Where(attempt => attempt.DeviceName == target.DeviceName)
                        .Select(attempt => $"  {attempt.Id} {attempt.StartedAt:O} to {attempt.EndedAt:O}: {attempt.Outcome} {attempt.Message}"));
                lines.AddRange(world.Agents.Where(agent => agent.Name == target.DeviceName).SelectMany(agent => agent.Lines.TakeLast(30)));
                lines.AddRange(File.ReadLines(world.Fleet.Record).Where(
                    line => line.Contains($"\"{target.DeviceName}\"", StringComparison.Ordinal)).TakeLast(8).Select(line => line[..Math.Min(line.Length, 300)]));
            }
        }

        lines.AddRange(world.Said.Where(line => line.Contains("ERR", StringComparison.Ordinal) || line.Contains("FTL", StringComparison.Ordinal)
            || line.Contains("Exception", StringComparison.Ordinal)).TakeLast(20));
        return string.Join('\n', lines);
    }

    private async Task Judge(World world, IReadOnlyList<DeploymentInfo> deployments)
    {
        var record = Record.Read(world.Fleet.Record);
        var believed = new Dictionary<string, AttemptInfo>();
        var targets = new Dictionary<(string Deployment, string Device), TargetInfo>();
        foreach (var deployment in deployments)
        {
            foreach (
                var attempt in (await world.Get($"/api/v1/deployments/{deployment.Id}/attempts?limit=1000", ContractJson.Default.IReadOnlyListAttemptInfo))!)
            {
                believed[attempt.Id] = attempt;
            }

            foreach (var target in (await world.Get($"/api/v1/deployments/{deployment.Id}/targets?limit=1000", ContractJson.Default.PageTargetInfo))!.Items)
            {
                targets[(deployment.Id, target.DeviceName)] = target;
            }
        }

        Assert.True(record.Attempts.Count > 20, $"Only {record.Attempts.Count} attempts were made; that proves nothing.");
        foreach (var (device, name) in record.Acknowledged)
        {
            var (id, part) = (name.Split('/')[0], name.Split('/')[1]);
            if (part == "said")
            {
                continue;
            }

            Check(believed.TryGetValue(id, out var known), $"{device}: the report {name} was acknowledged, and the service does not have it");
            var outcome = record.Attempts.First(attempt => attempt.Attempt == id).Outcome;
            Check(part == "began" || known!.Outcome == outcome, $"{device}: attempt {id} ended as {outcome}, and the service has {known?.Outcome}");
        }

        foreach (var steps in record.Steps.GroupBy(step => (step.Device, step.Attempt, step.Name)))
        {
            Check(steps.Count() == 1, $"{steps.Key.Device} ran step '{steps.Key.Name}' of attempt {steps.Key.Attempt} {steps.Count()} times");
        }

        foreach (var asked in record.Attempts.GroupBy(attempt => (attempt.Device, attempt.Deployment, attempt.Number, attempt.Kind)))
        {
            var ran = asked.Where(attempt => attempt.Outcome == "done" && record.Steps.Any(step => step.Attempt == attempt.Attempt && step.Code == 0)).ToList();
            Check(ran.Count <= 1, $"{asked.Key.Device} installed for {asked.Key.Deployment}/{asked.Key.Number} {ran.Count} times");
        }

        foreach (var attempt in record.Attempts)
        {
            JudgeStart(attempt, deployments, targets);
        }

        foreach (var ((deployment, device), target) in targets.Where(pair => pair.Value.State == "met" && record.There.ContainsKey(pair.Key.Device)))
        {
            var there = record.There[device].GetValueOrDefault("alpha");
            Check(
                there is not null && int.Parse(there[2..], CultureInfo.InvariantCulture) >= int.Parse(target.Version[2..], CultureInfo.InvariantCulture),
                $"{device} counts as met in {deployment} with {target.Version}, and has {there ?? "nothing"}");
        }

        foreach (var agent in world.Agents)
        {
            var installs = (agent.Read("run/installs") ?? "").Split('\n', StringSplitOptions.RemoveEmptyEntries);
            Check(installs.Length == installs.Distinct().Count(), $"{agent.Name} ran a step twice: {string.Join(", ", installs)}");
            var newest = deployments.MaxBy(deployment => deployment.StartedAt)!;
            Check(
                targets[(newest.Id, agent.Name)].State != "met" || agent.Read("opt/alpha/VERSION") == newest.Version,
                $"{agent.Name} counts as met with {newest.Version}, and has {agent.Read("opt/alpha/VERSION")}");
        }
    }

    private void JudgeStart(Begun attempt, IReadOnlyList<DeploymentInfo> deployments, Dictionary<(string Deployment, string Device), TargetInfo> targets)
    {
        var target = targets[(attempt.Deployment, attempt.Device)];
        var wave = deployments.First(deployment => deployment.Id == attempt.Deployment).Waves.First(each => each.Name == target.Wave);
        Check(
            wave.OpenedAt is { } opened && attempt.At >= opened - Slack,
            $"{attempt.Device} began {attempt.Attempt} at {attempt.At:O}, and wave '{wave.Name}' opened at {wave.OpenedAt:O}");
        Check(attempt.WasAllowed, $"{attempt.Device} began {attempt.Attempt} at {attempt.At:O} against the orders it had heard at {attempt.OrdersAt:O}");
        var heard = attempt.HeardAt > attempt.OrdersAt ? attempt.HeardAt.Value : attempt.OrdersAt;
        Check(
            attempt.At <= heard + TimeSpan.FromSeconds(attempt.Lease) + Slack,
            $"{attempt.Device} began {attempt.Attempt} at {attempt.At:O}, after its lease: it had last heard at {heard:O}");
    }

    private void Check(bool holds, string otherwise)
    {
        _checks++;
        Assert.True(holds, otherwise);
    }

    private void Say(string line)
    {
        output.WriteLine(line);
        Console.WriteLine($"   chaos: {line}");
    }

    private static int Number(string name, int otherwise) =>
        int.TryParse(Environment.GetEnvironmentVariable(name), CultureInfo.InvariantCulture, out var number) ? number : otherwise;
}
