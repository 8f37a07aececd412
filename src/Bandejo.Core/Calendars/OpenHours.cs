namespace Bandejo.Core.Calendars;

/// <summary>Hours in which something is opened, by the clocks of one zone: <c>Mon-Thu 08:00-16:00 or Sat 08:00-12:00 in Europe/Lisbon</c>.</summary>
/// <param name="Slots">At least one.</param>
/// <param name="Zone">The name of the zone in the tz database.</param>
public sealed record OpenHours(IReadOnlyList<Slot> Slots, string Zone)
{
    /// <summary>The longest that hours are written, in characters.</summary>
    public const int LongestText = 400;

    /// <summary>What hours without a zone are by.</summary>
    private const string UsualZone = "UTC";

    private const string InZone = " in ";
    private const string Or = " or ";

    /// <summary>What <see cref="SlotWords"/> has between two, as long as that, so that places are right.</summary>
    private const string Between = "  ; ";

    /// <summary>So far ahead hours are looked for, in days: none that come at all come more seldom than once a year.</summary>
    private const int DaysAhead = 800;

    /// <summary>Reads hours; the failure says which word is not understood and what would be right. Without a zone they are by UTC.</summary>
    public static Outcome<OpenHours> Parse(string text)
    {
        if (text.Length > LongestText)
        {
            return Wrong($"Hours are written in at most {LongestText} letters, not {text.Length}.", 1, text.Length);
        }

        var at = text.LastIndexOf(InZone, StringComparison.OrdinalIgnoreCase);
        var named = at < 0 ? UsualZone : text[(at + InZone.Length)..].Trim();
        if (Zones.Known(named) is not { } zone)
        {
            var near = Zones.Near(named) is { } name ? $"; did you mean '{name}'" : "";
            return Wrong($"'{named}' is no time zone such as Europe/Lisbon{near}.", at + InZone.Length + 1, named.Length);
        }

        var words = at < 0 ? text : text[..at];
        var slots = SlotWords.Parse(words.Replace(Or, Between, StringComparison.OrdinalIgnoreCase));
        return slots.Ok ? new OpenHours(slots.Value, zone) : slots.Failure!;
    }

    /// <summary>The first moment from one on that is in them; null for none.</summary>
    public DateTimeOffset? Next(DateTimeOffset from)
    {
        var clocks = Zones.Of(Zone)!;
        var today = DateOnly.FromDateTime((from + clocks(from)).Date);
        var longest = Slots.Max(slot => slot.Length).Days + 1;
        DateTimeOffset? first = null;
        for (var day = today.AddDays(-longest); day <= today.AddDays(DaysAhead); day = day.AddDays(1))
        {
            // No zone is further from UTC than a day.
            if (first <= day.ToDateTime(TimeOnly.MinValue, DateTimeKind.Utc).AddDays(-1))
            {
                break;
            }

            foreach (var slot in Slots.Where(each => each.BeginsOn(day) && !(day > each.Until) && !each.Except.Contains(day)))
            {
                var span = (slot.Lasts > TimeSpan.Zero
                    ? new WallSpan(day.ToDateTime(slot.From), null, slot.Lasts)
                    : new WallSpan(day.ToDateTime(slot.From), day.AddDays(slot.DaysLater).ToDateTime(slot.To), TimeSpan.Zero)).At(clocks);
                if (span.To > from && span.To > span.From && !(first <= span.From))
                {
                    first = span.From;
                }
            }
        }

        return first < from ? from : first;
    }

    /// <summary>The hours as they are written, with their zone.</summary>
    public override string ToString() => $"{string.Join(Or, Slots.Select(SlotWords.Write))}{InZone}{Zone}";

    private static Failure Wrong(string says, int column, int length) =>
        new(ErrorKind.Invalid, says, [new Finding(says, "hours", 1, column, Math.Max(1, length))]);
}
