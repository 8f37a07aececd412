using Bandejo.Core.Deployments;

namespace Bandejo.Core.World;

/// <summary>
/// Gathers the devices for which a window opens or closes, or a freeze begins or ends, so that one line tells of all of them: they are as many as the fleet,
/// every night.
/// </summary>
public sealed class OpeningsTold
{
    private const int SampleSize = 3;

    private readonly Dictionary<(string Deployment, TargetState From, TargetState To, Reason Why), List<DeviceEntry>> _moved = [];

    /// <summary>The devices for which a window opened, or a freeze ended.</summary>
    internal List<DeviceEntry> Opened { get; } = [];

    /// <summary>Takes a move to be told with others; false where it is one to be told by itself.</summary>
    internal bool Takes(string deployment, DeviceEntry device, Target before, Target after)
    {
        var isOpening = before.State == TargetState.Waiting && before.Reason.IsOfCalendars && after.State == TargetState.Ready;
        var isClosing = before.State == TargetState.Ready && after.State == TargetState.Waiting && after.Reason.IsOfCalendars;
        if (!isOpening && !isClosing)
        {
            return false;
        }

        if (isOpening)
        {
            Opened.Add(device);
        }

        var key = (deployment, before.State, after.State, after.Reason);
        (_moved.TryGetValue(key, out var moved) ? moved : _moved[key] = []).Add(device);
        return true;
    }

    /// <summary>Tells of those that were gathered, what is alike in one line.</summary>
    internal void Tell(Decision decision)
    {
        foreach (var ((deployment, from, to, why), moved) in _moved)
        {
            var such = string.Join(", ", moved.Take(SampleSize).Select(device => device.Name));
            var who = moved.Count == 1 ? moved[0].Name : $"{moved.Count} devices ({such}{(moved.Count > SampleSize ? ", …" : "")})";
            decision.Event(
                "target", StateNames.Of(to), $"{who}: {StateNames.Of(from)} → {StateNames.Of(to)}, {why}", null, moved.Count == 1 ? moved[0].Id : null,
                deployment);
        }
    }
}
