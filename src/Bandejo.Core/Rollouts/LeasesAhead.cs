using Bandejo.Core.Calendars;
using Bandejo.Core.Deployments;
using Bandejo.Core.Rules;
using Bandejo.Core.World;

namespace Bandejo.Core.Rollouts;

/// <summary>
/// What comes of leases, by the hours in which devices are usually heard: who starts nothing when its window opens, since nothing was heard of it for longer,
/// and how far a halt would reach with a longer one.
/// </summary>
internal static class LeasesAhead
{
    private const int SampleSize = 3;

    /// <summary>What may be asked for instead, the shortest first.</summary>
    private static readonly TimeSpan[] Longer =
        [TimeSpan.FromDays(1), TimeSpan.FromDays(2), TimeSpan.FromDays(3), TimeSpan.FromDays(4), TimeSpan.FromDays(7)];

    /// <summary>Who misses its opening, and what a longer lease would change.</summary>
    public static IEnumerable<Finding> Findings(FleetWorld world, DeploymentPlan plan, IReadOnlyCollection<(DeviceEntry Device, string? Variant)> devices)
    {
        var waiting = new List<Waits>();
        foreach (var (device, variant) in devices)
        {
            var takes = TimeNeeded.Of(world, plan, variant);
            if (device.Presence.Hours is { IsKnown: true } hours && world.TimetableOf(device, plan) is { } table && !ReferenceEquals(table, Timetable.Always)
                && table.NextSpan(world.Now, takes) is { } opening && opening.From > world.Now)
            {
                waiting.Add(new Waits(device.Name, hours, opening.From, opening.To - takes));
            }
        }

        var missing = waiting.Where(each => !each.Starts(plan.Lease)).ToList();
        if (missing.Count == 0)
        {
            yield break;
        }

        var longer = Longer.Where(lease => lease > plan.Lease).Select(lease => (Lease: lease, More: missing.Count(each => each.Starts(lease))))
            .Where(each => each.More > 0).OrderByDescending(each => each.More).ThenBy(each => each.Lease).FirstOrDefault();
        var names = string.Join(", ", missing.Take(SampleSize).Select(each => each.Name)) + (missing.Count > SampleSize ? ", …" : "");
        var says = $"{missing.Count} of {waiting.Count} devices that wait for a window are usually not heard from for longer than the lease of "
            + $"{Units.FormatDuration(plan.Lease)} when it opens ({names}): they start nothing in it.";
        if (longer.More > 0)
        {
            var (unheard, before) = (waiting.Count(each => each.StartsUnheard(longer.Lease)), waiting.Count(each => each.StartsUnheard(plan.Lease)));
            says += $" With a lease of {Units.FormatDuration(longer.Lease)} {(longer.More == missing.Count ? "all" : longer.More)} of them would; "
                + $"a halt before it opens would then come too late for {unheard} devices and not for {before}, for they start without hearing of it.";
        }

        yield return new Finding(says, "lease") { IsWarning = true };
    }

    /// <summary>A device that waits for its window.</summary>
    /// <param name="Hours">When it is usually heard.</param>
    /// <param name="Opens">When its window opens.</param>
    /// <param name="LastStart">When something can last be started in it.</param>
    private sealed record Waits(string Name, HeardHours Hours, DateTimeOffset Opens, DateTimeOffset LastStart)
    {
        /// <summary>Whether it is heard in its window, or not longer before it than a lease lasts.</summary>
        public bool Starts(TimeSpan lease) => Hours.LastBefore(LastStart, Opens - lease) is { } heard && heard + lease >= Opens;

        /// <summary>Whether it starts as soon as the window opens, although it is not heard then.</summary>
        public bool StartsUnheard(TimeSpan lease) => !Hours.Has(Opens) && Hours.LastBefore(Opens, Opens - lease) is { } heard && heard + lease >= Opens;
    }
}
