using Bandejo.Core.Fleet;

namespace Bandejo.Core.World;

/// <summary>
/// One decision in the making. What it changes is seen by the rest of it at once; where it ends with a refusal, or throws, the world is as it was before
/// (<see cref="Deciding.Decide"/>).
/// </summary>
public sealed class Decision
{
    private readonly List<Change> _changes;
    private readonly List<Action> _undo;
    private readonly int _begin;

    internal Decision(FleetWorld world, string? by, DateTimeOffset now, Func<string> newId, List<Change> changes, List<Action> undo)
    {
        (World, By, Now, NewId, _changes, _undo, _begin) = (world, by, now, newId, changes, undo, changes.Count);
    }

    /// <summary>The world as this decision has made it so far.</summary>
    public FleetWorld World { get; }

    /// <summary>The moment at which it is decided.</summary>
    public DateTimeOffset Now { get; }

    /// <summary>Whose doing it is: an account, or a device's name once it is found; null for the service itself.</summary>
    public string? By { get; set; }

    /// <summary>Gathers whom windows open and close for; null where each is told of by itself.</summary>
    internal OpeningsTold? Openings { get; set; }

    /// <summary>Gives an identity that nothing has yet.</summary>
    public Func<string> NewId { get; }

    /// <summary>Alters the world by a change, and keeps it where it is to be kept.</summary>
    public void Do(Change change)
    {
        var moves = GroupMoves.Before(World, change);
        World.Apply(change, _undo);
        if (!change.IsKept)
        {
            return;
        }

        // A target that moves twice in a row is kept as it stands at the end. One that stands twice costs only room, so that no more than the last few are
        // looked at.
        if (change is PutTarget(var deployment, var target))
        {
            for (var i = _changes.Count - 1; i >= Math.Max(_begin, _changes.Count - 4); i--)
            {
                if (_changes[i] is PutTarget(var other, var before) && other == deployment && before.Device == target.Device)
                {
                    _changes[i] = change;
                    return;
                }
            }
        }

        _changes.Add(change);
        if (moves is not null)
        {
            _changes.AddRange(moves());
        }
    }

    /// <summary>Takes in a deployment that was made with its targets apart from the world.</summary>
    /// <param name="ahead">The number under which its targets are kept already; null where they are not.</param>
    /// <param name="gone">Rows that may stand for other devices by now than when it was made, or for none.</param>
    internal void Attach(DeploymentEntry deployment, long? ahead, Bitmap gone)
    {
        var left = new List<string>();
        foreach (var row in gone.Rows().Where(row => deployment.Targets.DeviceOf(row) is { } device && World.Devices.Get(device)?.Row != row))
        {
            left.Add(deployment.Targets.DeviceOf(row)!);
            deployment.Targets.Remove(row);
        }

        World.Attach(deployment, _undo);
        _changes.Add(new PutDeployment(deployment.Record));
        if (ahead is { } number)
        {
            _changes.Add(new PutTargetsAhead(deployment.Id, number));

            // What was kept ahead for a device that went meanwhile goes as the rest of it did.
            _changes.AddRange(left.Where(device => World.Devices.Get(device) is null).Select(device => new DeleteDevice(device)));
        }
        else
        {
            _changes.AddRange(deployment.Targets.All.Select(target => new PutTarget(deployment.Id, target)));
        }
    }

    /// <summary>Adds a line to the audit trail: who changed what.</summary>
    public void Audit(string what, string text, string? reason = null, string? device = null, string? deployment = null) =>
        Event("audit", what, text, reason, device, deployment, By);

    /// <summary>Adds a line to what came into a group and went out of it.</summary>
    public void Moved(GroupEntry group, DeviceEntry device, bool isIn)
    {
        var why = group.Rule?.Evaluate(World.Columns.Row(device.Row)).Why ?? "";
        Event(
            "group", GroupEntry.MoveWord(group.Record.Slug, isIn),
            $"{device.Name} {(isIn ? "came into" : "left")} '{group.Record.Slug}'{(why.Length > 0 ? $": {why}" : "")}.", null, device.Id, null, By);
    }

    /// <summary>Adds an event.</summary>
    public void Event(string topic, string what, string text, string? reason = null, string? device = null, string? deployment = null, string? actor = null) =>
        Do(new AddEvent(new EventRecord(World.LastEvent + 1, Now, topic, what, actor, deployment, device, text, string.IsNullOrEmpty(reason) ? null : reason)));
}

/// <summary>Decides.</summary>
public static class Deciding
{
    /// <summary>
    /// Lets a command look at the world and change it. Where it refuses or throws, nothing of it is left, in the world or among the changes; else both have all
    /// of it.
    /// </summary>
    /// <param name="by">Whose doing it is: an account, a device's name, or null for the service itself.</param>
    /// <param name="newId">Gives an identity that nothing has yet.</param>
    /// <param name="changes">What must be kept goes to its end.</param>
    /// <param name="command">Decides.</param>
    public static Outcome<T> Decide<T>(
        this FleetWorld world, string? by, DateTimeOffset now, Func<string> newId, List<Change> changes, Func<Decision, Outcome<T>> command)
    {
        world.Now = now;
        var (begin, undo, isDone) = (changes.Count, new List<Action>(), false);
        try
        {
            var outcome = command(new Decision(world, by, now, newId, changes, undo));
            isDone = outcome.Ok;
            return outcome;
        }
        finally
        {
            if (!isDone)
            {
                changes.RemoveRange(begin, changes.Count - begin);
                TakeBack(undo);
            }
        }
    }

    private static void TakeBack(List<Action> undo)
    {
        try
        {
            for (var at = undo.Count - 1; at >= 0; at--)
            {
                undo[at]();
            }
        }
        catch (Exception error)
        {
            throw new HalfDecidedException(error);
        }
    }
}

/// <summary>What a decision had changed could not be taken back: the world holds half of it, and must be made anew of what was kept.</summary>
public sealed class HalfDecidedException(Exception inner) : Exception("What a decision had changed could not be taken back.", inner);
