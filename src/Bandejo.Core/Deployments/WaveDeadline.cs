using System.Globalization;
using Bandejo.Core.Calendars;
using Bandejo.Core.Rules;

namespace Bandejo.Core.Deployments;

/// <summary>
/// When the devices of one wave are late, in the place of what the deployment says: <c>3 d after it opens</c>, <c>2026-12-20 18:00 in Europe/Lisbon</c>, or
/// <c>2026-12-20 18:00</c> by each device's own clocks.
/// </summary>
/// <param name="After">So long after the wave opened; null where a day is named.</param>
/// <param name="Wall">What clocks show then; null where it is after opening.</param>
/// <param name="Zone">The zone of the clocks; null for each device's own.</param>
public sealed record WaveDeadline(TimeSpan? After, DateTime? Wall, string? Zone)
{
    /// <summary>The longest that it is written, in characters.</summary>
    public const int LongestText = 100;

    private const string AfterOpening = " after it opens";
    private const string InZone = " in ";
    private const string Form = "yyyy-MM-dd HH:mm";
    private static readonly string[] Forms = [Form, "yyyy-MM-ddTHH:mm"];

    /// <summary>Where no clocks are further behind: a device whose zone is not known is late no sooner than any other.</summary>
    private static readonly TimeSpan Last = TimeSpan.FromHours(-12);

    /// <summary>Whether it is by each device's own clocks.</summary>
    public bool IsLocal => Wall is not null && Zone is null;

    /// <summary>Reads it; the failure says what would be right.</summary>
    public static Outcome<WaveDeadline> Parse(string text)
    {
        var words = text.Trim();
        if (words.Length > LongestText)
        {
            return Wrong($"A deadline is written in at most {LongestText} letters, not {words.Length}.");
        }

        if (words.EndsWith(AfterOpening, StringComparison.OrdinalIgnoreCase))
        {
            return Units.TryParseDuration(words[..^AfterOpening.Length], out var after) && after > TimeSpan.Zero
                ? new WaveDeadline(after, null, null)
                : NotKnown(words);
        }

        var at = words.IndexOf(InZone, StringComparison.OrdinalIgnoreCase);
        var named = at < 0 ? null : words[(at + InZone.Length)..].Trim();
        if (!DateTime.TryParseExact(
            at < 0 ? words : words[..at].Trim(), Forms, CultureInfo.InvariantCulture, DateTimeStyles.None, out var wall))
        {
            return NotKnown(words);
        }

        if (named is not null && Zones.Known(named) is null)
        {
            return Wrong($"'{named}' is no time zone such as Europe/Lisbon{(Zones.Near(named) is { } near ? $"; did you mean '{near}'" : "")}.");
        }

        return new WaveDeadline(null, wall, named is null ? null : Zones.Known(named));
    }

    /// <summary>The moment; null where the wave did not open yet and it counts from then.</summary>
    /// <param name="openedAt">When the wave opened; null for not yet.</param>
    /// <param name="clocks">Those of the device; null where they are not known.</param>
    public DateTimeOffset? At(DateTimeOffset? openedAt, OffsetAt? clocks) =>
        After is { } after ? openedAt + after : WallSpan.Moment(Wall!.Value, Zone is null ? clocks ?? (_ => Last) : Zones.Of(Zone)!);

    public override string ToString() => After is { } after
        ? Units.FormatDuration(after) + AfterOpening
        : Wall!.Value.ToString(Form, CultureInfo.InvariantCulture) + (Zone is null ? "" : InZone + Zone);

    private static Failure NotKnown(string words) =>
        Wrong(
            $"'{words}' is no deadline of a wave such as '3 d after it opens', '2026-12-20 18:00 in Europe/Lisbon' or, by the clocks of each device, "
                + "'2026-12-20 18:00'.");

    private static Failure Wrong(string says) => new(ErrorKind.Invalid, says, [new Finding(says, "deadline")]);
}

/// <summary>When targets are late.</summary>
public static class Deadlines
{
    /// <summary>Whether any wave has a deadline of its own.</summary>
    public static bool AreOfWaves(DeploymentPlan plan) => plan.Waves.Any(wave => wave.Deadline is not null);

    /// <summary>Of a target: what its wave says, else what the deployment does; null for never, or not known yet.</summary>
    /// <param name="wave">Its wave, from 0; -1 for none.</param>
    /// <param name="clocks">Those of its device; null where they are not known.</param>
    public static DateTimeOffset? Of(DeploymentPlan plan, DeploymentState state, int wave, OffsetAt? clocks) =>
        wave >= 0 && plan.Waves[wave].Deadline is { } own ? own.At(state.Waves[wave].OpenedAt, clocks) : plan.Deadline;

    /// <summary>The last of all, which whoever does not look at single devices goes by; null for never, or not known yet.</summary>
    public static DateTimeOffset? Last(DeploymentPlan plan, DeploymentState state) =>
        !AreOfWaves(plan) ? plan.Deadline : Enumerable.Range(0, plan.Waves.Count).Select(wave => Of(plan, state, wave, null)).Max();

    /// <summary>The first of all that has passed; null where none has.</summary>
    public static DateTimeOffset? FirstPassed(DeploymentPlan plan, DeploymentState state, DateTimeOffset now) =>
        Enumerable.Range(0, plan.Waves.Count).Select(wave => Of(plan, state, wave, null)).Append(plan.Deadline).Where(at => at <= now).Min();
}
