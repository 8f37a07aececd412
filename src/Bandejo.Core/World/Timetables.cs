using System.Collections.Concurrent;
using System.Globalization;
using Bandejo.Core.Calendars;
using Bandejo.Core.Rules;

namespace Bandejo.Core.World;

/// <summary>
/// When devices may be changed. Few are ruled differently from all others, so each answer is worked out once a day for all that are ruled alike.
/// </summary>
public sealed class Timetables
{
    /// <summary>How many calendars a device holds.</summary>
    public const int MostOfADevice = 64;

    private const int MostKnown = 10_000;
    private const string TimeOfDay = "HH:mm";
    private static readonly FactRef Zone = new("zone", false);
    private static readonly FactRef Resets = new("resets", false);

    private volatile Today? _today;

    /// <summary>The calendars that a device's groups have, by their short names, in order; none for a device that is ruled by none.</summary>
    public static IReadOnlyList<string> OfGroups(FleetWorld world, DeviceEntry device)
    {
        SortedSet<string>? slugs = null;
        foreach (var group in world.Groups.Values)
        {
            if (group.Calendars.Count > 0 && group.In[device.Row])
            {
                (slugs ??= new SortedSet<string>(StringComparer.Ordinal)).UnionWith(group.Calendars);
            }
        }

        return slugs is null ? [] : [.. slugs];
    }

    /// <summary>When a device may be changed by a deployment with these calendars of its own.</summary>
    /// <param name="own">By their short names.</param>
    /// <returns>Null where its calendars go by the device's clocks, and it is not known which those are.</returns>
    public Timetable? Of(FleetWorld world, DeviceEntry device, IReadOnlyList<string> own)
    {
        var groups = OfGroups(world, device);
        var reset = ResetOf(world, device);
        if (groups.Count + own.Count == 0 && reset is null)
        {
            return Timetable.Always;
        }

        var day = DateOnly.FromDateTime(world.Now.UtcDateTime);
        if (_today is not { } today || today.Day != day || !ReferenceEquals(today.Calendars, world.Calendars) || today.Known.Count > MostKnown)
        {
            _today = today = new Today(day, world.Calendars, new ConcurrentDictionary<(string, string, string, TimeOnly?), Timetable?>());
        }

        var zone = world.Columns.Get(device.Row, Zone).Value?.Text ?? "";
        return today.Known.GetOrAdd((string.Join(' ', groups), string.Join(' ', own), zone, reset), _ =>
        {
            var (ofGroups, ofDeployment) = (Held(groups), Held(own));
            var clocks = Zones.Of(zone);
            if (clocks is null && (reset is not null || ofGroups.Concat(ofDeployment).Any(each => each.Own.Count > 0)))
            {
                return null;
            }

            var table = Timetable.Of(ofGroups, ofDeployment, clocks ?? (_ => TimeSpan.Zero));
            return reset is { } at ? table.AfterReset(at, clocks!) : table;
        });

        IReadOnlyList<HeldCalendar> Held(IReadOnlyList<string> slugs) =>
            [.. slugs.Select(slug => world.Calendars.TryGetValue(slug, out var calendar) ? calendar.On(day) : null).OfType<HeldCalendar>()];
    }

    /// <summary>When in each day a device is reset to what it was, as it says; null for never.</summary>
    public static TimeOnly? ResetOf(FleetWorld world, DeviceEntry device) =>
        world.Columns.Get(device.Row, Resets).Value?.Text is { } text
            && TimeOnly.TryParseExact(text, TimeOfDay, CultureInfo.InvariantCulture, DateTimeStyles.None, out var reset)
            ? reset
            : null;

    private sealed record Today(
        DateOnly Day, object Calendars, ConcurrentDictionary<(string Groups, string Own, string Zone, TimeOnly? Reset), Timetable?> Known);
}
