using Bandejo.Core.World;
using Bandejo.Store;

namespace Bandejo.Server.World;

/// <summary>One change in the making: collects what must be kept, and the events that tell of it.</summary>
/// <param name="changes">What must be kept goes to its end.</param>
internal sealed class WorldChange(FleetWorld world, string? by, DateTimeOffset now, List<Change> changes)
{
    private readonly int _begin = changes.Count;

    public FleetWorld World => world;

    public DateTimeOffset Now => now;

    /// <summary>Whose doing it is: an account, or a device's name once it is found.</summary>
    public string? By { get; set; } = by;

    /// <summary>Something of it must be kept already.</summary>
    public bool IsBegun => changes.Count > _begin;

    public void Keep(Change change)
    {
        // A target that moves twice in a row is kept as it stands at the end. One that stands twice costs only room, so that no more than the last few are looked at.
        if (change is PutTarget(var deployment, var target))
        {
            for (var i = changes.Count - 1; i >= Math.Max(_begin, changes.Count - 4); i--)
            {
                if (changes[i] is PutTarget(var other, var before) && other == deployment && before.Device == target.Device)
                {
                    changes[i] = change;
                    return;
                }
            }
        }

        changes.Add(change);
    }

    /// <summary>Adds a line to the audit trail: who changed what.</summary>
    public void Audit(string what, string text, string? reason = null, string? device = null, string? deployment = null) => Event("audit", what, text, reason, device, deployment, By);

    /// <summary>Adds a line to what came into a group and went out of it.</summary>
    public void Moved(GroupEntry group, DeviceEntry device, bool isIn)
    {
        var why = group.Rule?.Evaluate(world.Columns.Row(device.Row)).Why ?? "";
        Event("group", GroupEntry.MoveWord(group.Record.Slug, isIn), $"{device.Name} {(isIn ? "came into" : "left")} '{group.Record.Slug}'{(why.Length > 0 ? $": {why}" : "")}.", null, device.Id, null, By);
    }

    /// <summary>Adds an event.</summary>
    public void Event(string topic, string what, string text, string? reason = null, string? device = null, string? deployment = null, string? actor = null) =>
        Keep(new AddEvent(new EventRecord(world.NextEvent(), now, topic, what, actor, deployment, device, text, string.IsNullOrEmpty(reason) ? null : reason)));
}
