using System.Globalization;
using System.Text.RegularExpressions;
using Bandejo.Core.Deployments;
using Bandejo.Core.Rules;
using Bandejo.Core.World;

namespace Bandejo.Simulation.Tests;

/// <summary>This part looks at every decision: that its figures are so, that it was allowed, and that the journal has it.</summary>
internal sealed partial class Watch
{
    private readonly Dictionary<string, DeploymentState> _before = new(StringComparer.Ordinal);
    private readonly Dictionary<(string Deployment, int Wave), DateTimeOffset> _holdsSince = [];
    private readonly Dictionary<(string Deployment, int Wave), Recount> _counted = [];
    private readonly Dictionary<(string Deployment, int Wave), Recount> _countedBefore = [];

    /// <summary>Something is about to be decided.</summary>
    public void Before(FleetWorld world)
    {
        _before.Clear();
        foreach (var deployment in world.Deployments.Values)
        {
            _before[deployment.Id] = deployment.State;
        }
    }

    /// <summary>Something was decided.</summary>
    /// <param name="what">What was asked for.</param>
    /// <param name="changes">What changed.</param>
    public void After(FleetWorld world, string what, bool isDone, IReadOnlyList<Change> changes)
    {
        if (!isDone)
        {
            // That what was looked at came into memory is no change for anybody.
            var left = changes.Count(each => each is not PutDeployment { Deployment: var put } || put.State != _before[put.Id] with { Shelved = null });
            Hold(left == 0, "a refusal changes nothing", $"{what} was refused and leaves {left} changes");
        }

        if (changes.Count == 0)
        {
            return;
        }

        if (simulation.IsTold)
        {
            foreach (var each in changes.OfType<AddEvent>().Select(added => added.Event).Where(each => each.Topic is "journal" or "target"))
            {
                simulation.Say($"{each.Deployment} {each.What}: {each.Text}");
            }
        }

        foreach (var each in changes.OfType<AddEvent>().Where(added => added.Event.Topic == "journal"))
        {
            Count(each.Event.What);
        }

        foreach (var deployment in world.Deployments.Values)
        {
            Figures(world, deployment);
            if (_before.TryGetValue(deployment.Id, out var before) && deployment.State != before with { IsUnfinished = deployment.State.IsUnfinished, Shelved = deployment.State.Shelved })
            {
                Decided(
                    deployment, before,
                    [.. changes.OfType<AddEvent>().Select(added => added.Event).Where(each => each.Topic == "journal" && each.Deployment == deployment.Id)],
                    what);
            }
        }

        foreach (var put in changes.OfType<PutDeployment>().Select(put => put.Deployment))
        {
            if (put.State.Shelved is null != _before.GetValueOrDefault(put.Id)?.Shelved is null)
            {
                Count(put.State.Shelved is null ? "brought" : "shelved");
            }
        }

        Groups(world, what);
    }

    /// <summary>All figures of a deployment are what a recount gives.</summary>
    private void Figures(FleetWorld world, DeploymentEntry deployment)
    {
        var (tallies, targets) = (world.Tallies(deployment), deployment.Targets.All.ToList());
        for (var wave = 0; wave < tallies.Count; wave++)
        {
            var gate = deployment.Plan.Waves[wave].Gate;
            var own = targets.Where(target => target.Wave == wave).ToList();
            var counted = Recount.Of(own, gate, deployment.Plan.ProofAge, deployment.IsActive ? world.LastHeard : _ => Now, Now);
            Hold(
                counted == Recount.Of(tallies[wave]), "every figure is what a recount gives",
                $"{deployment.Id}, wave {wave}: {Recount.Of(tallies[wave])}, and counted again {counted}");
            Hold(
                own.CountBy(target => target.State).All(pair => tallies[wave].In(pair.Key) == pair.Value) && tallies[wave].States.Sum() == own.Count,
                "every figure is what a recount gives",
                $"{deployment.Id}, wave {wave}: the states are {string.Join(' ', tallies[wave].States)}");
            _countedBefore[(deployment.Id, wave)] = _counted.GetValueOrDefault((deployment.Id, wave)) ?? counted;
            _counted[(deployment.Id, wave)] = counted;
            if (gate is null || !counted.Holds(gate))
            {
                _holdsSince.Remove((deployment.Id, wave));
            }
            else
            {
                _holdsSince.TryAdd((deployment.Id, wave), Now);
            }
        }

        Hold(targets.Select(target => target.Device).Distinct().Count() == targets.Count, "nothing is counted twice", $"{deployment.Id} has a device twice");
        Hold(targets.All(target => world.Devices.Get(target.Device) is not null), "what is gone is gone", $"{deployment.Id} has a target without a device");
        var states = deployment.Targets.States();
        Hold(
            states.Sum() == targets.Count, "every figure is what a recount gives",
            $"{deployment.Id} has {targets.Count} targets, and {states.Sum()} in its states");
    }

    /// <summary>A deployment is otherwise than before: it may be, and its journal says so with the right figures.</summary>
    private void Decided(DeploymentEntry deployment, DeploymentState before, IReadOnlyList<EventRecord> journal, string what)
    {
        var (plan, state) = (deployment.Plan, deployment.State);
        Hold(journal.Count > 0, "every decision is in the journal", $"{what}: {deployment.Id} was changed, and its journal says nothing");
        Hold(state.Revision > before.Revision, "every change raises the revision", $"{what}: {deployment.Id}");
        for (var wave = 0; wave < state.Waves.Count; wave++)
        {
            var (was, now, gate, counted) = (before.Waves[wave], state.Waves[wave], plan.Waves[wave].Gate, _counted[(deployment.Id, wave)]);
            var name = $"'{plan.Waves[wave].Name}'";
            var lines = journal.Where(line => line.Text.Contains(name, StringComparison.Ordinal)).ToList();
            if (was.OpenedAt is null && now.OpenedAt is not null)
            {
                Hold(
                    wave == 0 || state.Waves[wave - 1].PassedAt is not null, "no wave opens before the gate in front of it passed",
                    $"{deployment.Id}, wave {wave}");
                Hold(!(plan.Waves[wave].OpensAt > Now), "no wave opens before its time", $"{deployment.Id}, wave {wave}");
                Hold(before.TakesIn || journal.Any(line => line.What == "resumed"), "nothing opens in what is stopped", $"{deployment.Id} was {before.Status}");
                Hold(
                    lines.Any(line => line.What == "wave-opened" && line.Text.Contains(
                        string.Create(CultureInfo.InvariantCulture, $"for {counted.Total} device"), StringComparison.Ordinal)),
                    "every decision is in the journal", $"{what}: {deployment.Id}, wave {wave} opened for {counted.Total}");
            }

            if (was.PassedAt is not null)
            {
                Hold(now.PassedAt == was.PassedAt, "what passed has passed", $"{deployment.Id}, wave {wave}");
            }
            else if (now.PassedAt is not null)
            {
                Passed(deployment, wave, before, journal, counted);
            }

            foreach (var line in lines.Where(line => line.What is "gate-passed" or "gate-reached" or "approval-wanted" or "gate-fell"))
            {
                var figures = MetOf().Match(line.Text);
                Hold(
                    figures.Success && figures.Groups[1].Value == Text(counted.Top) && figures.Groups[2].Value == Text(counted.Bottom)
                        && figures.Groups[3].Value == Text(counted.Needed(gate!)),
                    "the journal has the figures",
                    $"{deployment.Id}: '{line.Text}', and counted again {counted}");
            }
        }

        foreach (var line in journal.Where(line => line is { What: "halted", By: null }))
        {
            // What failed may have left its place by the same decision.
            var isOver = IsOver(deployment, before, _counted) || IsOver(deployment, before, _countedBefore);
            Hold(isOver, "nothing halts without its rule", $"{what}: {deployment.Id}: '{line.Text}'");
        }

        foreach (var line in journal.Where(line => line.What == "rolled-back"))
        {
            var waves = Enumerable.Range(0, plan.Waves.Count).Select(wave => _counted[(deployment.Id, wave)]).ToList();
            var undone = deployment.Targets.All.Count(target => target is { State: TargetState.Undone, Wave: >= 0 });
            var left = waves.Sum(wave => wave.NotBack);
            Hold(
                line.Text.Contains($" {Text(undone)} device", StringComparison.Ordinal)
                    && line.Text.Contains("could not", StringComparison.Ordinal) == left > 0,
                "the journal has the figures", $"{deployment.Id}: '{line.Text}', and counted again {undone} and {left}");
            Hold(waves.Sum(wave => wave.GoingBack) == 0, "a roll back ends when nothing more can be done", $"{deployment.Id}: '{line.Text}'");
        }
    }

    private void Passed(DeploymentEntry deployment, int wave, DeploymentState before, IReadOnlyList<EventRecord> journal, Recount counted)
    {
        var gate = deployment.Plan.Waves[wave].Gate;
        var where = $"{deployment.Id}, wave {wave}: {gate}, {counted}";
        Hold(before.Status == DeploymentStatus.Running || journal.Any(line => line.What == "resumed"), "nothing opens in what is stopped", where);
        if (journal.Any(line => line.What == "advanced"))
        {
            return;
        }

        if (gate is null)
        {
            Hold(counted.Top == counted.Bottom, "no gate opens on figures that do not hold", where);
            return;
        }

        Hold(counted.Holds(gate), "no gate opens on figures that do not hold", where);
        Hold(
            _holdsSince.TryGetValue((deployment.Id, wave), out var since) && Now - since >= gate.Soak, "no gate opens before it has soaked",
            $"{where}, holds since {since:HH:mm:ss}");
        Hold(
            !gate.NeedsApproval || journal.Any(line => line is { What: "approved", By: not null } && (line.By != before.StartedBy)),
            "no gate opens without its approval", where);
        Hold(
            !gate.IsClean || gate.Soak == TimeSpan.Zero || deployment.Targets.All.All(target => target.Wave != wave || !(target.TroubleAt > Now - gate.Soak)),
            "no gate opens before it has soaked", $"{where}, with trouble in between");
    }

    /// <summary>Whether the halt rule of a deployment asks for a halt, by what is counted again.</summary>
    private static bool IsOver(DeploymentEntry deployment, DeploymentState state, Dictionary<(string Deployment, int Wave), Recount> counts)
    {
        return Enumerable.Range(0, deployment.Plan.Waves.Count).Any(IsOverIn);

        bool IsOverIn(int wave)
        {
            var (counted, rule, accepted) = (counts.GetValueOrDefault((deployment.Id, wave)) ?? Recount.None, deployment.Plan.Halt, state.Waves[wave]);

            // What failed may be on its way back already, by the same decision; what was taken back before is no trial any more.
            var goingBack = deployment.Targets.All.Where(target => target.Wave == wave && (target.IsGoingBack || target.IsToGoBack))
                .Where(target => target.State is not (TargetState.Failed or TargetState.Lost or TargetState.Undone or TargetState.Met)).ToList();
            return IsOverWith(counted.Failures, counted.Trials) || IsOverWith(
                counted.Failures + goingBack.Count(target => target.HasFailed),
                counted.Trials + goingBack.Count(target => target.HasFailed || target.IsInstalledHere));

            bool IsOverWith(int failed, int tried)
            {
                var failures = Math.Max(0, failed - accepted.AcceptedFailures);
                var trials = Math.Max(failures, tried - accepted.AcceptedTrials);
                return failures >= (rule.Failures ?? int.MaxValue) || counted.Harms - accepted.AcceptedHarms >= (rule.Harms ?? int.MaxValue)
                    || (rule.Rate is { } rate && trials >= rule.LeastTrials && Wilson(failures, trials) > rate / 10_000.0);
            }
        }
    }

    /// <summary>
    /// The lower bound of the one-sided 95 % Wilson interval, in the form of the textbook: what of the rates would still make this many failures likely.
    /// </summary>
    private static double Wilson(int failures, int trials)
    {
        const double Z = 1.6448536269514722;
        var (low, high) = (0.0, (double)failures / trials);
        for (var turn = 0; turn < 60; turn++)
        {
            var rate = (low + high) / 2;
            var isUnlikely = ((double)failures / trials) - rate > Z * Math.Sqrt(rate * (1 - rate) / trials);
            (low, high) = isUnlikely ? (rate, high) : (low, rate);
        }

        return low;
    }

    /// <summary>Each group holds whom its rule holds for, asked one by one.</summary>
    private void Groups(FleetWorld world, string what)
    {
        foreach (var group in world.Groups.Values.Where(group => group.Rule is not null))
        {
            foreach (var device in world.Devices.Values)
            {
                var truth = group.Rule!.Test(world.Columns.Row(device.Row));
                Hold(
                    group.In[device.Row] == (truth == Truth.True) && group.NotKnown[device.Row] == (truth == Truth.NotKnown),
                    "a group holds whom its rule holds for", $"{what}: {group.Record.Slug}, {device.Name}: {truth}");
            }
        }
    }

    private static string Text(int number) => number.ToString(CultureInfo.InvariantCulture);

    [GeneratedRegex("([0-9]+) of ([0-9]+) met, ([0-9]+) needed")]
    private static partial Regex MetOf();
}
