using Bandejo.Core.Deployments;
using Bandejo.Core.Tests.World;
using Bandejo.Core.Versions;
using Bandejo.Core.World;
using Bandejo.Device;
using Bandejo.Server.World;

namespace Bandejo.Simulation.Tests;

/// <summary>This part looks at how all of it ended, when everything had come to rest.</summary>
internal sealed partial class Watch
{
    /// <summary>Whether nothing is on its way to the store or to the service.</summary>
    public bool IsSettled =>
        simulation.Service is { IsUp: true, IsKept: true }
            && simulation.Devices.All(
                device => device.Engine is not { State.Outbox.Count: > 0 } && device is not { Identity: not null, IsGone: false, Engine: null });

    /// <summary>Whether devices of a site wait for each other's next start of the system: each start serves one more of them.</summary>
    public bool WaitsForStarts => simulation.Service.World.Active.Any(
        deployment => deployment.Plan is { AtOnce: not null, StartWhen.With: StartWith.SystemStart } && deployment.Targets.All.Any(
            target => target is { State: TargetState.Ready } or { State: TargetState.Waiting, Reason.Code: ReasonCode.SiteAtIt }));

    /// <summary>Nothing goes wrong any more, and everybody had time enough.</summary>
    public void AtTheEnd()
    {
        var service = simulation.Service;
        Hold(service is { IsUp: true, IsKept: true }, "all comes to rest", "the service is not up, or has something to keep still");
        var world = service.World;
        Same(world);
        Hold(!(world.Agenda.Next <= Now), "all comes to rest", $"something was due at {world.Agenda.Next}");
        foreach (var device in simulation.Devices.Where(device => device is { Engine: not null, Identity: not null }))
        {
            Told(device);
        }

        NothingStale(world);
        MovesTold(world);
        foreach (var deployment in world.Active)
        {
            foreach (var target in deployment.Targets.All)
            {
                Stands(world, deployment, target);
            }

            Hold(
                !(deployment.State.TakesIn && IsOver(deployment, deployment.State, _counted)), "what its rule stops is stopped",
                $"{deployment.Id} is {deployment.State.Status}, and stops at '{deployment.Plan.Halt}'; by wave: "
                    + string.Join(", ", deployment.State.Waves.Select((wave, at) => $"{_counted.GetValueOrDefault((deployment.Id, at))}, accepted {wave}")));
        }
    }

    /// <summary>Who was told to have come into a group and not to have left it is in it, and nobody else.</summary>
    private void MovesTold(FleetWorld world)
    {
        foreach (var group in world.Groups.Values.Where(group => group.Rule is not null))
        {
            var told = simulation.Service.Store.WereIn.GetValueOrDefault(group.Record.Slug) ?? [];
            var isIn = group.In.Rows().Select(row => world.Devices.At(row).Id).ToHashSet();
            Hold(
                told.SetEquals(isIn), "who was in a group is kept",
                $"{group.Record.Slug} has {string.Join(", ", isIn.Order())}, and kept is {string.Join(", ", told.Order())}");
        }
    }

    /// <summary>Who weighs everything anew finds what was found before.</summary>
    private void NothingStale(FleetWorld world)
    {
        var (changes, wholly) = (new List<Change>(), new List<string>());
        world.Decide(null, Now, () => "none", changes, decision =>
        {
            foreach (var device in world.Devices.Values)
            {
                Core.Rollouts.Weighing.WeighDevice(decision, device);
            }

            wholly.AddRange(changes.OfType<AddEvent>().Select(added => $"{added.Event.Deployment}: {added.Event.Text}"));
            return (Core.Outcome<bool>)new Core.Failure(Core.ErrorKind.Conflict, "Nothing of it is kept.");
        });
        Hold(wholly.Count == 0, "every target stands as it would if it were weighed now", string.Join("; ", wholly));
    }

    /// <summary>What is read from the store is what is in memory.</summary>
    private void Same(FleetWorld world)
    {
        var read = KeptWorld.Read(simulation.Service.Store.Load(), simulation.History.CheckInInterval, Now, simulation.History.Slice);
        simulation.Service.Lend(read, isLent: true);
        foreach (var device in world.Devices.Values)
        {
            // When a device was last heard is kept late.
            read.Apply(new NoteHeard(device.Id, device.LastHeard ?? default, device.Presence.Sequence));
        }

        world.Now = Now;
        var difference = WorldText.Difference(WorldText.Of(world), WorldText.Of(read));
        Hold(difference is null, "the world read from the store is the one in memory", difference ?? "");
    }

    /// <summary>Everything that a device told is known, once, and as it told it.</summary>
    private void Told(SimulatedDevice device)
    {
        var known = KnownOf(device);
        Hold(
            device.Engine!.State.Outbox.Count == 0, "nothing that was done is lost",
            $"{device.Name} has {device.Engine.State.Outbox.Count} reports that nobody took");
        foreach (var (attempt, outcome) in known.Outcomes)
        {
            var kept = simulation.Service.Store.Attempts.GetValueOrDefault(attempt);
            Hold(kept is not null, "nothing that was done is lost", $"the service does not know of {attempt} of {device.Name}");
            Hold(
                kept is null || kept.Outcome == outcome, "nothing that was done is lost",
                $"the service says of {attempt} of {device.Name} '{kept?.Outcome}', and it was '{outcome}'");
        }

        foreach (var attempt in simulation.Service.Store.Attempts.Values.Where(attempt => attempt.Device == known.Id))
        {
            Hold(known.Begun.Contains(attempt.Id), "nothing is made up", $"the service knows of {attempt.Id}, which {device.Name} never began");
        }
    }

    /// <summary>A target stands as its device is.</summary>
    private void Stands(FleetWorld world, DeploymentEntry deployment, Target target)
    {
        if (simulation.DeviceOf(target.Device) is not { Engine: not null } device)
        {
            return;
        }

        var has = device.Machine.VersionOf(deployment.Plan.App) is { } text ? AppVersion.Parse(text) : null;
        var isThere = has is not null
            && (deployment.Plan.AllowsDowngrade ? has.CompareTo(deployment.Plan.Version) == 0 : has.CompareTo(deployment.Plan.Version) >= 0);
        var holds = deployment.Plan.Wish == Wish.Gone ? has is null : isThere;
        var where = $"{device.Name} in {deployment.Id} ({deployment.State.Status}, {deployment.Plan.Wish} {deployment.Plan.App} {deployment.Plan.Version}): "
            + $"{target.State} ({target.Reason}), order {target.Order}; it has {has?.Text ?? "none"}, and knows "
                + $"{string.Join(", ", device.Engine!.State.Orders.Where(order => order.Deployment == deployment.Id).Select(order => $"{DeviceState.KeyOf(order)} (may start: {order.MayStart}, back to {order.Previous?.Version ?? "none"}, {device.Engine.State.Progress.GetValueOrDefault(DeviceState.KeyOf(order))})"))}";
        Hold(target.State != TargetState.Met || holds, "what is met is there", where);

        // A device may wait for its hours as long as it likes, by its own clocks; the service says so.
        var isHeld = device.Engine.State.Orders.Any(order => order.Deployment == deployment.Id
            && Hours.Closed(KnownOf(device).Calendars, order, Now + device.Ahead, device.Machine.Facts["zone"]) is not null);
        if (isHeld && target.State == TargetState.Ready)
        {
            Hold(target.Reason.Code == ReasonCode.DeviceWaits, "who waits for its hours is said to", where);
            return;
        }

        if (target.IsGoingBack || target.IsToGoBack)
        {
            Hold(
                target.State is TargetState.Undone or TargetState.Failed or TargetState.Left, "all comes to rest",
                $"{where}; it was {target.Before ?? "not known"} before");
            return;
        }

        var mayRest = target.State is not (
            TargetState.Ready or TargetState.Working or TargetState.Restart or TargetState.Retry or TargetState.Unknown or TargetState.Lost);
        Hold(mayRest || (target.State == TargetState.Restart && target.Since >= device.SwitchedOnAt), "all comes to rest", where);
        Hold(!holds || target.State is not (TargetState.Waiting or TargetState.Failed), "what is there is known", where);
    }
}
