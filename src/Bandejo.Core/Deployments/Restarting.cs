using Bandejo.Core.Calendars;

namespace Bandejo.Core.Deployments;

/// <summary>One deployment's need of a restart of a device.</summary>
/// <param name="Choice">What it does about it.</param>
/// <param name="Since">Since when it is needed.</param>
/// <param name="Hours">When the device may be changed by it.</param>
/// <param name="IsAtOnce">It waits for no window.</param>
/// <param name="FreeFrom">From when on it waits for none; null for never.</param>
public sealed record RestartNeed(RestartChoice Choice, DateTimeOffset Since, Timetable Hours, bool IsAtOnce = false, DateTimeOffset? FreeFrom = null);

/// <summary>Why a device is not restarted.</summary>
public enum RestartHeld
{
    /// <summary>It is to be restarted now.</summary>
    No,

    /// <summary>That is left to people.</summary>
    ByPeople,

    /// <summary>Somebody is signed in.</summary>
    SignedIn,

    /// <summary>It may not be changed now.</summary>
    Closed,
}

/// <summary>Whether a device is restarted at a moment.</summary>
/// <param name="Why">Why not.</param>
/// <param name="Hours">What its calendars say, where they are why.</param>
/// <param name="Until">When that changes by time alone; null where that is not known.</param>
public sealed record RestartSays(RestartHeld Why, TimetableSays? Hours, DateTimeOffset? Until)
{
    public bool IsNow => Why == RestartHeld.No;

    /// <summary>The same in words, without a full stop and without until when.</summary>
    public override string ToString() => Why switch
    {
        RestartHeld.No => "It restarts now",
        RestartHeld.SignedIn => $"It restarts when nobody is signed in{(Until is null ? "" : ", or at its latest moment all the same")}",
        RestartHeld.Closed => $"It restarts when it may: {char.ToLowerInvariant(Hours!.ToString()[0])}{Hours.ToString()[1..]}",
        _ => Until is null ? "Its restart is left to people" : "People restart it before its latest moment, or it restarts by itself then",
    };
}

/// <summary>
/// When a device is restarted. All deployments that need it share one restart: of their choices the gentlest rules, until the earliest of their last moments
/// has come.
/// </summary>
public static class Restarting
{
    /// <summary>So long a restart takes: so much room is left before a window closes.</summary>
    public static TimeSpan Takes { get; } = TimeSpan.FromMinutes(10);

    /// <summary>What is so at a moment.</summary>
    /// <param name="needs">At least one.</param>
    /// <param name="isSignedIn">Somebody is signed in.</param>
    public static RestartSays At(IReadOnlyCollection<RestartNeed> needs, bool isSignedIn, DateTimeOffset now)
    {
        var last = needs.Min(need => need.Since + need.Choice.After);
        if (last <= now)
        {
            return Held(need => need.Hours.StartAt(now, true, null, Takes));
        }

        var gentlest = needs.Min(need => isSignedIn ? need.Choice.WhileSignedIn : need.Choice.When);
        return gentlest switch
        {
            RestartWhen.Never when isSignedIn && needs.All(need => need.Choice.When != RestartWhen.Never) => new RestartSays(RestartHeld.SignedIn, null, last),
            RestartWhen.Never => new RestartSays(RestartHeld.ByPeople, null, last),
            RestartWhen.InWindow => Held(need => need.Hours.At(now, Takes)),
            _ => Held(need => need.Hours.StartAt(now, need.IsAtOnce, need.FreeFrom, Takes)),
        };

        RestartSays Held(Func<RestartNeed, TimetableSays> ask)
        {
            // Of several that are closed, none can be passed before the one that opens last.
            var closed = needs.Select(ask).Where(says => !says.IsOpen).OrderByDescending(says => says.Until ?? DateTimeOffset.MaxValue).FirstOrDefault();
            return closed is null ? new RestartSays(RestartHeld.No, null, null)
                : new RestartSays(RestartHeld.Closed, closed, last > now && !(closed.Until <= last) ? last : closed.Until);
        }
    }
}
