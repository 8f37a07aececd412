using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.Rollouts;
using Bandejo.Core.World;

namespace Bandejo.Core.CheckIns;

/// <summary>Takes devices into the fleet, and out of it.</summary>
public static class Enrolment
{
    private const int LongestName = 60;

    /// <summary>Enrols a device. The same key with the same code again gets the same answer, so that a lost answer costs nothing.</summary>
    /// <param name="name">What it calls itself; it may get another name.</param>
    /// <param name="code">The hash of the join code.</param>
    public static Outcome<DeviceEntry> Join(Decision decision, string name, KeyRecord key, string code, FactsTold facts)
    {
        var world = decision.World;
        if (world.Devices.OfKey(key.KeyId) is { } known)
        {
            return known.Record.JoinCode == code
                ? known
                : new Failure(
                    ErrorKind.Conflict, $"This device's key is enrolled already, as {known.Name}. Remove the device first, or give the agent a new folder.");
        }

        if (!world.JoinCodes.TryGetValue(code, out var join))
        {
            return new Failure(ErrorKind.Gone, "The join code is not known; it may be misspelt, used up or taken back. Ask for a new one.");
        }

        if (join.Expires <= decision.Now || join.UsesLeft <= 0)
        {
            return new Failure(
                ErrorKind.Gone,
                join.UsesLeft <= 0
                    ? "The join code is used up. Ask for a new one."
                    : $"The join code expired at {join.Expires:yyyy-MM-dd HH:mm} UTC. Ask for a new one.");
        }

        var record = new DeviceRecord(decision.NewId(), FreeName(world, name), key, code, decision.Now, null, 0, "", FactSheet.Empty, join.Group is not null);
        decision.Do(new PutDevice(record));
        FactIntake.Take(decision, world.Devices[record.Id], "", facts);
        decision.Do(new PutJoinCode(join with { UsesLeft = join.UsesLeft - 1 }));
        if (join.Group is { } slug && world.Groups.ContainsKey(slug))
        {
            decision.Do(new PutMember(slug, record.Id));
        }

        decision.Event(
            "device", "joined", $"{record.Name} joined{(join.Group is null ? " and is unsorted" : $" into '{join.Group}'")} with a code of {join.MadeBy}.",
            null, record.Id, null, record.Name);
        Weighing.WeighDevice(decision, world.Devices[record.Id]);
        return world.Devices[record.Id];
    }

    /// <summary>Takes a device out of the fleet. Nothing is changed on it.</summary>
    /// <param name="shelved">
    /// Its targets that are not in memory; a failure of kind <see cref="ErrorKind.Stale"/> says that they must be looked for again.
    /// </param>
    /// <returns>Its identity.</returns>
    public static Outcome<string> Remove(Decision decision, string named, ShelvedTargets shelved)
    {
        var world = decision.World;
        var found = Named.Device(world, named, isWhole: true);
        if (!found.Ok)
        {
            return found.Failure!;
        }

        if (world.Shelved.Any(each => !shelved.LookedIn.Contains(each.Id)))
        {
            return new Failure(ErrorKind.Stale, "What it was part of was put away in this moment; ask once more.");
        }

        // Nobody will tell any more what became of what it was at.
        var device = found.Value;
        foreach (var open in world.OpenAttempts.Values.Where(attempt => attempt.Device == device.Id).ToList())
        {
            decision.Do(new PutAttempt(
                open with
                {
                    EndedAt = decision.Now, Outcome = Attempts.Word(AttemptOutcome.Interrupted),
                    Message = $"{device.Name} was removed from the service in the middle of it",
                }));
        }

        if (world.DeviceTrials.GetValueOrDefault(device.Id) is { EndedAt: null })
        {
            decision.Event(
                "journal", "trial-ended", $"{device.Name} was removed; the trial that it was asked for will not be told of.", null, device.Id, null,
                decision.By);
        }

        foreach (var (deployment, target) in shelved.Targets)
        {
            var entry = world.Deployments[deployment];
            if (entry.State.Shelved is { } counts)
            {
                decision.Do(new PutDeployment(entry.Record with { State = entry.State with { Shelved = counts.Without(entry.Plan, target) } }));
            }
        }

        var site = Turns.SiteOf(world, device);
        decision.Do(new DeleteDevice(device.Id));
        Turns.Left(decision, site);
        decision.Audit("device-removed", $"{device.Name} was removed from the service.", null, device.Id);
        return device.Id;
    }

    private static string FreeName(FleetWorld world, string asked)
    {
        var wanted = new string([.. asked.Trim().Where(c => char.IsAsciiLetterOrDigit(c) || c is '-' or '_' or '.').Take(LongestName)]).Trim('.', '-');
        wanted = wanted.Length == 0 ? "device" : wanted;
        var name = wanted;
        for (var i = 2; world.Devices.Named(name) is not null; i++)
        {
            name = $"{wanted}-{i}";
        }

        return name;
    }
}
