using Bandejo.Core.Calendars;
using Bandejo.Core.Deployments;
using Bandejo.Core.World;

namespace Bandejo.Core.Site;

/// <summary>What something ahead is.</summary>
public enum AheadKind
{
    /// <summary>Nothing starts.</summary>
    Freeze,

    /// <summary>Devices may be changed.</summary>
    Window,

    /// <summary>A deadline passes.</summary>
    Deadline,

    /// <summary>A wave may open.</summary>
    Wave,

    /// <summary>What a gate asks for has held for as long as it asks.</summary>
    Gate,
}

/// <summary>Something ahead: of a calendar, by the clocks that it names, or of a deployment, at a moment.</summary>
/// <param name="Name">For people.</param>
/// <param name="Occasion">Of a calendar: when; null otherwise.</param>
/// <param name="At">Of a deployment: when; null otherwise.</param>
/// <param name="Devices">How many devices it is about.</param>
public sealed record AheadEntry(AheadKind Kind, string Name, Occasion? Occasion, DateTimeOffset? At, int Devices)
{
    public CalendarEntry? Calendar { get; init; }

    public DeploymentEntry? Deployment { get; init; }

    /// <summary>Of a deployment, which of its waves it is about, from 0; -1 for all.</summary>
    public int Wave { get; init; } = -1;

    /// <summary>Its moment, or what clocks show at its first, for putting all in one order.</summary>
    public DateTime Shown => Occasion?.Span.From ?? At!.Value.UtcDateTime;

    /// <summary>Names it among all that there is, also once it is at another moment.</summary>
    public string Id => Calendar is { } calendar
        ? $"{calendar.Record.Slug}-{Shown:yyyyMMdd'T'HHmm}-{Occasion!.Value.Span.To:yyyyMMdd'T'HHmm}"
        : $"{Deployment!.Id}-{Kind}-{Wave}";
}

/// <summary>What is ahead: the times of calendars, and moments of deployments under way.</summary>
public static class Ahead
{
    /// <summary>The most days that are looked ahead.</summary>
    public const int MostDays = 100;

    /// <summary>The most that is told of; the first of it.</summary>
    public const int Most = 2000;

    /// <summary>All from a day on, in order.</summary>
    /// <param name="from">The first day.</param>
    /// <param name="to">The first day after it, at most <see cref="MostDays"/> later.</param>
    public static IReadOnlyList<AheadEntry> Of(FleetWorld world, DateOnly from, DateOnly to) =>
        [.. world.Calendars.Values.SelectMany(calendar => OfCalendar(world, calendar, from, to)).Concat(
            world.Active.SelectMany(deployment => OfDeployment(world, deployment)).Where(
                each => each.Shown >= from.ToDateTime(TimeOnly.MinValue) && each.Shown < to.ToDateTime(TimeOnly.MinValue)))
            .OrderBy(each => each.Shown).ThenBy(each => each.Kind).ThenBy(each => each.Name, StringComparer.Ordinal).Take(Most)];

    private static IEnumerable<AheadEntry> OfCalendar(FleetWorld world, CalendarEntry calendar, DateOnly from, DateOnly to)
    {
        if (!calendar.Contents.Ok || calendar.Contents.Value.Occasions(from, to) is not { Ok: true } times)
        {
            return [];
        }

        var devices = Calendars.Ruled(world, calendar.Record.Slug).Count();
        return times.Value.Select(each => new AheadEntry(
            calendar.Record.IsFreeze ? AheadKind.Freeze : AheadKind.Window, calendar.Record.Name, each, null, devices) { Calendar = calendar });
    }

    private static IEnumerable<AheadEntry> OfDeployment(FleetWorld world, DeploymentEntry deployment)
    {
        var (plan, state) = (deployment.Plan, deployment.State);
        if (!state.TakesIn)
        {
            yield break;
        }

        var tallies = world.TalliesToShow(deployment);
        if (plan.Deadline is { } deadline)
        {
            yield return Entry(AheadKind.Deadline, $"Deadline of {plan.Name}", deadline, tallies.Sum(tally => tally.Bottom - tally.Top), -1);
        }

        for (var at = 0; at < plan.Waves.Count; at++)
        {
            var (wave, stands) = (plan.Waves[at], state.Waves[at]);
            if (wave.Deadline?.At(stands.OpenedAt, null) is { } due)
            {
                // By the clocks of each device it is over for all by then.
                yield return Entry(AheadKind.Deadline, $"Deadline of '{wave.Name}' of {plan.Name}", due, tallies[at].Bottom - tallies[at].Top, at);
            }

            var isNext = at == 0 || state.Waves[at - 1].PassedAt is not null;
            if (stands is { ReachedAt: { } reached, IsSoaked: false, PassedAt: null } && wave.Gate is { } gate)
            {
                var follow = at + 1 < plan.Waves.Count ? tallies[at + 1].Total : 0;
                yield return Entry(AheadKind.Gate, $"Gate behind '{wave.Name}' of {plan.Name}", reached + gate.Soak, follow, at);
            }

            if (stands.OpenedAt is null && (isNext || wave.OpensAt > world.Now) && wave.NotBefore(world.Now) is { } opens && opens < DateTimeOffset.MaxValue)
            {
                yield return Entry(AheadKind.Wave, $"Wave '{wave.Name}' of {plan.Name}", opens, tallies[at].Total, at);
            }
        }

        AheadEntry Entry(AheadKind kind, string name, DateTimeOffset at, int devices, int wave) =>
            new(kind, name, null, at, devices) { Deployment = deployment, Wave = wave };
    }
}
