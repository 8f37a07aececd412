using System.Buffers;
using Bandejo.Core.Deployments;
using Bandejo.Core.Rollouts;
using Bandejo.Core.World;

namespace Bandejo.Core.CheckIns;

/// <summary>Takes in what a device tells.</summary>
public static class CheckIn
{
    private const int LongestId = 40;
    private const int LongestApp = 64;

    /// <summary>
    /// Of so many deployments whose targets are only kept reports are taken at once, so that a device that comes back after a long time fills no memory; the
    /// others it tells of again.
    /// </summary>
    private const int MostShelved = 4;

    private static readonly SearchValues<char> InIds = SearchValues.Create("ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789");

    /// <summary>Why a check-in is refused as a whole; null where it may be taken.</summary>
    private static Failure? Against(FleetWorld world, string id, CheckInTold told, ToldBefore before)
    {
        if (world.Devices.Get(id) is not { } device)
        {
            return new Failure(ErrorKind.Gone, "This device is not enrolled here any more. Join again with a new code.");
        }

        if (told.Sequence < device.Presence.Sequence)
        {
            return new Failure(
                ErrorKind.Stale,
                $"This check-in has number {told.Sequence}, and {device.Presence.Sequence} was taken already.") { Taken = device.Presence.Sequence };
        }

        foreach (var attempt in told.Attempts)
        {
            if (!IsId(attempt.Id) || (attempt.HasEnded && !Attempts.Outcomes.ContainsKey(attempt.Outcome ?? "")))
            {
                return new Failure(ErrorKind.Invalid, $"The report of attempt '{attempt.Id}' has no valid identity or outcome.");
            }

            if (!attempt.IsOfTrial && !IsTarget(world, attempt.Deployment, device, before))
            {
                return new Failure(
                    ErrorKind.Forbidden,
                    $"{device.Name} is no target of the deployment '{attempt.Deployment}'; the report of attempt {attempt.Id} was not taken.");
            }

            if (world.OpenAttempts.TryGetValue(attempt.Id, out var open) && open.Device != id)
            {
                return new Failure(ErrorKind.Forbidden, $"Attempt {attempt.Id} belongs to another device; the report was not taken.");
            }
        }

        foreach (var proof in told.Proofs)
        {
            if (!IsTarget(world, proof.Deployment, device, before))
            {
                return new Failure(ErrorKind.Forbidden, $"{device.Name} is no target of the deployment '{proof.Deployment}'; its proof was not taken.");
            }
        }

        foreach (var word in told.Said)
        {
            if (!IsId(word.Id) || word.Kind is not ("take" or "harm") || word.App.Length is 0 or > LongestApp)
            {
                return new Failure(ErrorKind.Invalid, $"What the user said ('{word.Id}') has no valid identity, kind or app.");
            }
        }

        return null;
    }

    /// <summary>Whether a check-in brings nothing that must be kept, so that noting that it was heard is all there is to it.</summary>
    private static bool IsQuiet(FleetWorld world, DeviceEntry device, CheckInTold told) =>
        !IsToBeKept(world, device, world.Now) && device.Memory.Skills == told.Skills && device.Memory.Waits.SequenceEqual(told.Waits)
            && device.Memory.Fetched.SequenceEqual(told.Fetched) && !(HasOrders(world, device, told) && Turns.HasUnheard(world, device));

    /// <summary>Whether a device holds its orders as they are now, so that it knows what was taken back.</summary>
    private static bool HasOrders(FleetWorld world, DeviceEntry device, CheckInTold told) =>
        told.OrdersTag.Length > 0 && told.OrdersTag == world.OrdersTag(device);

    /// <summary>Takes a check-in that brings nothing to keep, without a decision: that it was heard is noted, and that is all there is to it.</summary>
    /// <returns>The device, or why it is refused; null where there is something to decide.</returns>
    public static Outcome<DeviceEntry>? TakeQuiet(FleetWorld world, string id, CheckInTold told)
    {
        if (told.HasNews)
        {
            return null;
        }

        if (Against(world, id, told, ToldBefore.Nothing) is { } against)
        {
            return against;
        }

        var device = world.Devices[id];
        if (!IsQuiet(world, device, told))
        {
            return null;
        }

        world.Apply(new NoteHeard(id, world.Now, told.Sequence));
        return device;
    }

    /// <summary>
    /// Takes a check-in. Refused as a whole where any part of it does not belong to this device.
    /// </summary>
    /// <returns>The reports that are acknowledged with it; what is not, the device is to tell again.</returns>
    public static Outcome<IReadOnlyList<string>> Take(Decision decision, string id, CheckInTold told, ToldBefore before)
    {
        var world = decision.World;
        if (Against(world, id, told, before) is { } against)
        {
            return against;
        }

        decision.By = world.Devices[id].Name;
        var hasOrders = HasOrders(world, world.Devices[id], told);
        var isToBeKept = IsToBeKept(world, world.Devices[id], decision.Now);
        var hasNewFacts = told.Facts is not null && told.FactsDigest != world.Devices[id].Record.FactsDigest;
        decision.Do(isToBeKept || hasNewFacts ? new PutHeard(id, decision.Now, told.Sequence) : new NoteHeard(id, decision.Now, told.Sequence));
        if (hasNewFacts)
        {
            FactIntake.Take(decision, world.Devices[id], told.FactsDigest, told.Facts!);
        }

        var acknowledged = new List<string>();
        var taken = Taken(told.Attempts, before.Shelved.LookedIn);
        foreach (var attempt in taken)
        {
            if (attempt.IsOfTrial)
            {
                Trials.Take(decision, world.Devices[id], attempt);
            }
            else
            {
                AttemptIntake.Take(decision, world.Devices[id], attempt, before);
            }

            acknowledged.Add($"{attempt.Id}/{(attempt.HasEnded ? "ended" : "began")}");
        }

        // Whether it still holds what is over for long says nothing that anybody waits for; how an attempt ended does.
        foreach (var proof in told.Proofs.Where(proof => !before.Shelved.LookedIn.Contains(proof.Deployment)))
        {
            ProofIntake.Take(decision, world.Devices[id], proof);
        }

        // What it does not send any more was acknowledged, and is in the store for certain.
        if (taken.Count > 0 || world.Devices[id].Memory.LastReported.Count > 0)
        {
            Remember(decision, id, memory => memory with { LastReported = [.. taken.Where(attempt => attempt.HasEnded).Select(attempt => attempt.Id)] });
        }

        TakeCapabilities(decision, world.Devices[id], told);
        TakeWaits(decision, world.Devices[id], told.Waits);
        TakeFetched(decision, world.Devices[id], told.Fetched);
        Turns.Heard(decision, world.Devices[id], hasOrders);
        foreach (var word in told.Said)
        {
            UserIntake.Take(decision, world.Devices[id], word, before);
            acknowledged.Add(word.Id + "/said");
        }

        Weigh(decision, world.Devices[id], told, taken);
        return acknowledged;
    }

    /// <summary>Notes what a device said last.</summary>
    internal static void Remember(Decision decision, string id, Func<DeviceMemory, DeviceMemory> noted) =>
        decision.Do(new NoteMemory(id, noted(decision.World.Devices[id].Memory)));

    private static bool IsId(string id) => id.Length is > 0 and <= LongestId && !id.AsSpan().ContainsAnyExcept(InIds);

    private static bool IsTarget(FleetWorld world, string deployment, DeviceEntry device, ToldBefore before) =>
        world.Deployments.TryGetValue(deployment, out var found) && (found.IsShelved && before.Shelved.LookedIn.Contains(deployment)
            ? before.Shelved.Targets.Any(each => each.Deployment == deployment)
            : found.Targets.Has(device));

    /// <summary>The reports that are taken now, in the order in which it happened.</summary>
    /// <param name="shelved">The deployments of which only this device's targets were looked up.</param>
    private static IReadOnlyList<AttemptTold> Taken(IReadOnlyList<AttemptTold> attempts, IReadOnlySet<string> shelved)
    {
        if (attempts.Count < 2)
        {
            return attempts;
        }

        var fetched = new HashSet<string>(StringComparer.Ordinal);
        return [.. attempts.OrderBy(attempt => attempt.StartedAt).ThenBy(attempt => attempt.HasEnded).Where(
            attempt => attempt.IsOfTrial || !shelved.Contains(attempt.Deployment) || fetched.Contains(attempt.Deployment)
                || (fetched.Count < MostShelved && fetched.Add(attempt.Deployment)))];
    }

    /// <summary>Whether it is time to keep that a device was heard: a few check-ins late, so that most of them write nothing.</summary>
    private static bool IsToBeKept(FleetWorld world, DeviceEntry device, DateTimeOffset now) =>
        device.Record.LastHeard is not { } kept || now - kept > DevicePresence.KeptLate(world.CheckInInterval);

    /// <summary>Notes what its agent can do; where that is another than was thought, its targets may stand otherwise.</summary>
    private static void TakeCapabilities(Decision decision, DeviceEntry device, CheckInTold told)
    {
        var before = device.Memory.Skills;
        if (before == told.Skills)
        {
            return;
        }

        Remember(decision, device.Id, memory => memory with { Skills = told.Skills });
        if (before is not null || told.Skills != AgentSkills.All)
        {
            Weighing.WeighDevice(decision, device);
        }
    }

    /// <summary>Says at its targets what the device waits for before it starts.</summary>
    private static void TakeWaits(Decision decision, DeviceEntry device, IReadOnlyList<WaitsFor> waits)
    {
        if (device.Memory.Waits.SequenceEqual(waits))
        {
            return;
        }

        var before = device.Memory.Waits;
        Remember(decision, device.Id, memory => memory with { Waits = waits });
        foreach (var deployment in decision.World.ActiveOf(device).ToList())
        {
            // What calendars keep it from is known here too; only where it sees them otherwise does its own word stand.
            var wait = waits.FirstOrDefault(wait => wait.Deployment == deployment.Id);
            var why = wait?.Until is null ? wait?.Why : null;
            if (deployment.Targets[device].State == TargetState.Restart)
            {
                if (wait is not null)
                {
                    var held = new Reason(ReasonCode.RestartHeld, wait.Why);
                    Moving.Happen(decision, deployment, device, new Happening(TargetEvent.NeedsRestart, held, wait.Until));
                }

                continue;
            }

            if (deployment.Targets[device] is var target && target.WaitsFor != why)
            {
                Moving.Replace(decision, deployment, device, target with { WaitsFor = why });
                if (target.State == TargetState.Ready)
                {
                    Moving.Happen(decision, deployment, device, new Happening(TargetEvent.Due, Targets.DueReason(why), target.Next));
                }
            }
            else if (target.State == TargetState.Ready && wait?.Until != before.FirstOrDefault(each => each.Deployment == deployment.Id)?.Until)
            {
                Weighing.WeighWith(decision, deployment, device);
            }
        }
    }

    /// <summary>Notes at its targets whose files the device has.</summary>
    private static void TakeFetched(Decision decision, DeviceEntry device, IReadOnlyList<string> fetched)
    {
        if (device.Memory.Fetched.SequenceEqual(fetched))
        {
            return;
        }

        Remember(decision, device.Id, memory => memory with { Fetched = fetched });
        foreach (var deployment in decision.World.ActiveOf(device).ToList())
        {
            var target = deployment.Targets[device];
            if (target.IsOrdered && target.HasFiles != fetched.Contains(deployment.Id))
            {
                Moving.Replace(decision, deployment, device, target with { HasFiles = !target.HasFiles });
            }
        }
    }

    /// <summary>
    /// Weighs the device for whatever may be otherwise now: all that it may belong to after facts and words, else what its attempts were about.
    /// </summary>
    private static void Weigh(Decision decision, DeviceEntry device, CheckInTold told, IReadOnlyList<AttemptTold> taken)
    {
        if (told.Facts is not null || told.Said.Count > 0)
        {
            Weighing.WeighDevice(decision, device);
            return;
        }

        var names = taken.Select(attempt => attempt.Deployment);
        foreach (var name in taken.Count < 2 ? names : names.Distinct())
        {
            if (decision.World.Deployments.TryGetValue(name, out var deployment))
            {
                Weighing.WeighDevice(decision, device, deployment);
            }
        }
    }
}
